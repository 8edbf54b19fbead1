"""The language of expression layers: read into a tree, never run as anything else.

    value * (1 - step(2, distance)) if y > 3 else noise(x, y, z)

Numbers, names, + - * / % ^, comparisons (1 or 0), ``and or not``, ``A if C else B``, and functions. docs/expressions.md
lists them.
"""

from __future__ import annotations

import re
from typing import Any, NamedTuple

NAMES = ("value", "x", "y", "z", "distance", "nx", "ny", "nz", "time", "frame", "seed", "pi")
FUNCTIONS: dict[str, int] = {
    "sin": 1,
    "cos": 1,
    "tan": 1,
    "atan2": 2,
    "sqrt": 1,
    "abs": 1,
    "exp": 1,
    "log": 1,
    "floor": 1,
    "ceil": 1,
    "round": 1,
    "sign": 1,
    "min": 2,
    "max": 2,
    "pow": 2,
    "clamp": 3,
    "mix": 3,
    "step": 2,
    "smooth": 3,
    "noise": 3,
    "random": 1,
}
"""Each function and how many arguments it takes."""
MOST_DEEP = 60
_TOKEN = re.compile(
    r"\s*(?:(\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+(?:[eE][+-]?\d+)?)|([A-Za-z_]\w*)|(<=|>=|==|!=|[-+*/%^()<>,]))"
)


class Node(NamedTuple):
    """A number ("number", value), a name ("name", text), or a call (function or operator, *arguments)."""

    what: str
    args: tuple[Any, ...]


class ExpressionError(ValueError):
    """What is wrong, and at which character (from 0)."""

    def __init__(self, at: int, sentence: str) -> None:
        super().__init__(f"at character {at + 1}: {sentence}")
        self.at = at


class _Reader:
    def __init__(self, text: str) -> None:
        self.text, self.tokens, self.k, self.deep = text, [], 0, 0
        at = 0
        while at < len(text.rstrip()):
            found = _TOKEN.match(text, at)
            if not found:
                at += len(text[at:]) - len(text[at:].lstrip())
                raise ExpressionError(at, f"'{text[at]}' has no meaning here")
            kind = found.lastindex or 0
            self.tokens.append((found.start(kind), kind, found.group(kind)))
            at = found.end()

    def now(self) -> str:
        return self.tokens[self.k][2] if self.k < len(self.tokens) else ""

    def where(self) -> int:
        return self.tokens[self.k][0] if self.k < len(self.tokens) else len(self.text)

    def take(self, *wanted: str) -> str | None:
        if self.now() in wanted and self.now():
            self.k += 1
            return self.tokens[self.k - 1][2]
        return None

    def need(self, wanted: str) -> None:
        if not self.take(wanted):
            raise ExpressionError(
                self.where(),
                f"expected '{wanted}'" + (f", found '{self.now()}'" if self.now() else ", but it ends here"),
            )

    def whole(self) -> Node:
        out = self.choice()
        if self.now():
            raise ExpressionError(self.where(), f"'{self.now()}' does not belong here")
        return out

    def choice(self) -> Node:
        self.deep += 1
        if self.deep > MOST_DEEP:
            raise ExpressionError(self.where(), f"nested more than {MOST_DEEP} deep")
        out = self.level(0)
        if self.take("if"):
            condition = self.level(0)
            self.need("else")
            out = Node("choose", (condition, out, self.choice()))
        self.deep -= 1
        return out

    LEVELS = (("or",), ("and",), ("<", "<=", ">", ">=", "==", "!="), ("+", "-"), ("*", "/", "%"))

    def level(self, n: int) -> Node:
        if n == 2 and self.take("not"):
            return Node("not", (self.level(2),))
        if n == len(self.LEVELS):
            return self.signed()
        out = self.level(n + 1)
        while (sign := self.take(*self.LEVELS[n])) is not None:
            out = Node(sign, (out, self.level(n + 1)))
        return out

    def signed(self) -> Node:
        if self.take("-"):
            self.deep += 1
            if self.deep > MOST_DEEP:
                raise ExpressionError(self.where(), f"nested more than {MOST_DEEP} deep")
            out = Node("negative", (self.signed(),))
            self.deep -= 1
            return out
        base = self.atom()
        return Node("pow", (base, self.signed())) if self.take("^") else base

    def atom(self) -> Node:
        at, word = self.where(), self.now()
        if not word:
            raise ExpressionError(at, "a value is missing")
        kind = self.tokens[self.k][1]
        self.k += 1
        if kind == 1:
            return Node("number", (float(word),))
        if word == "(":
            inner = self.choice()
            self.need(")")
            return inner
        if kind == 2 and word in FUNCTIONS:
            self.need("(")
            args = [self.choice()]
            while self.take(","):
                args.append(self.choice())
            self.need(")")
            if len(args) != FUNCTIONS[word]:
                raise ExpressionError(
                    at,
                    f"{word} takes {FUNCTIONS[word]} {'value' if FUNCTIONS[word] == 1 else 'values'}, got {len(args)}",
                )
            return Node(word, tuple(args))
        if kind == 2 and word in NAMES:
            return Node("name", (word,))
        if kind == 2:
            raise ExpressionError(
                at, f"there is no '{word}'; names are {', '.join(NAMES)}, functions {', '.join(FUNCTIONS)}"
            )
        raise ExpressionError(at, f"a value is missing before '{word}'")


def read(text: str) -> Node:
    """The tree of an expression. Raises ExpressionError."""
    return _Reader(text).whole()
