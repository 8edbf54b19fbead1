"""Patterns that break a solid into pieces, and the bonds between the pieces."""
