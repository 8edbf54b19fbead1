"""Dynaclast: break meshes into bonded pieces and choreograph their collapse."""

__version__ = "0.35.0"
