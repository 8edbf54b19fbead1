"""The web application: a typed JSON API, binary frames, and the built interface."""
