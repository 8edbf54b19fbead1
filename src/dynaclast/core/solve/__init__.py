"""The solver: a Model that does not change, a State that a step changes, and the loop between."""
