"""Rigid assemblies: collision hulls, contact and the sub-stepped impulse solver.

A Numba-cached kernel does not notice edits of kernels it calls in other files: after editing any kernel run
``./dynaclast`` (which clears stale caches) or delete the ``__pycache__`` folders.
"""
