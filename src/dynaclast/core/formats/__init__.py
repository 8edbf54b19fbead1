"""Open formats in and out: mesh files, frames and events, USD, GLB."""
