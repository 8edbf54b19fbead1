"""Pure computation: takes a shot document, yields frames.

Nothing in here imports the web, the store or the jobs, opens a path, reads a clock or the
environment. What a document refers to (files, assets) is handed in by the caller as a
``resolve`` function. ``tests/architecture`` enforces it.
"""
