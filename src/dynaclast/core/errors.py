"""What can go wrong, in three kinds a caller can tell apart.

Every error carries a stable ``code`` and, where one is known, the ``where`` it is about (a
field of the document such as ``bodies[0].material.density``, or a body's name).
"""

from __future__ import annotations


class DynaclastError(Exception):
    """Base of all errors meant for the artist's eyes."""

    code = "error"

    def __init__(self, message: str, *, where: str = "", code: str | None = None) -> None:
        super().__init__(message)
        self.message = message
        self.where = where
        if code:
            self.code = code

    def line(self) -> str:
        """The error as one line: place first, then the sentence."""
        return f"{self.where}: {self.message}" if self.where else self.message


class InputError(DynaclastError):
    """A document, file or setting that cannot be used as it is."""

    code = "input"


class DocumentError(InputError):
    """Several things wrong in one document; ``problems`` lists (where, sentence)."""

    code = "document"

    def __init__(self, problems: list[tuple[str, str]]) -> None:
        first_where, first = problems[0]
        super().__init__(first, where=first_where)
        self.problems = problems

    def lines(self) -> list[str]:
        return [f"{where}: {text}" if where else text for where, text in self.problems]


class GeometryError(InputError):
    """A mesh that is open, self-crossing, flat or otherwise not a solid."""

    code = "geometry"


class SolveError(DynaclastError):
    """The solver produced something that is not a number; names frame and body."""

    code = "solve"
