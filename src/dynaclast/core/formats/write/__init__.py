"""Baked shots out: USD and GLB."""
