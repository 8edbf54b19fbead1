"""Bakes on Dask. The queue, progress, cancel flag and heartbeat live in the database; Dask only runs them."""
