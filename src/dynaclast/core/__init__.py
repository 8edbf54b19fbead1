"""Pure computation: takes a shot document, yields frames.

Nothing in here imports the web, the store or the jobs, opens a path, reads a clock or the
environment. What a document refers to (files, assets) is handed in by the caller as a
``resolve`` function. ``tests/architecture`` enforces it.
"""

from numba import config

config.LOOP_VECTORIZE = config.SLP_VECTORIZE = 0
"""The compiler's two vectorisers find nothing to gain in these kernels and take a quarter of the time to compile them
(measured: docs/architecture.md).
"""
