"""Meshes, primitives, mass properties and what can be wrong with a mesh."""
