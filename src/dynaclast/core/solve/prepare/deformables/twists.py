"""Ropes that resist twisting: by what their ends are held."""

from __future__ import annotations

import numpy as np

from ....arrays import Array, Index, lengths
from ....document import Body, RopeMatter
from ...deformable.tables import Solver, TieEnds, TwistTable
from .part import Part

Holder = tuple[int, int, int]
"""The piece that holds an end, -1 the world; and the two ties by which, -1 where it is pinned."""


def twists(bodies: list[Body], parts: list[Part], roots: list[Index], first: Index, ties: TieEnds) -> TwistTable:
    """Those of which both ends are held with the vertices next to them, by the same thing.

    roots : of each part, the vertices that lead while all holds together; first (B + 1,): vertices of each
    """
    rows = []
    for b, (body, part, root) in enumerate(zip(bodies, parts, roots, strict=True)):
        matter = body.matter
        if (
            not isinstance(matter, RopeMatter)
            or not matter.twist
            or part.solver != Solver.CHAIN
            or len(part.segment) < 3
        ):
            continue
        line = root[np.append(part.segment[:, 0], part.segment[-1, 1])]
        held = [_holder(part, int(i), int(j), int(first[b]), ties) for i, j in (line[:2], line[:-3:-1])]
        if held[0] is None or held[1] is None:
            continue
        turned = 2.0 * np.pi * matter.turns
        numbers = (matter.twist / part.length.sum(), turned, matter.bending, 0.5 * np.pi / part.length.mean())
        rows.append((b, numbers, held, _marks(part.start[line], turned), len(line)))
    count = len(rows)
    stiffness, laid, bending, finest = np.array([numbers for _, numbers, *_ in rows], float).reshape(count, 4).T.copy()
    holders = np.array([held for _, _, held, *_ in rows], np.int32).reshape(count, 2, 3)
    return TwistTable(
        np.array([b for b, *_ in rows], np.int32),
        stiffness,
        laid,
        bending,
        finest,
        np.ascontiguousarray(holders[:, :, 0]),
        np.ascontiguousarray(holders[:, :, 1:]),
        np.array([marks for *_, marks, _ in rows], float).reshape(count, 2, 3),
        np.array([whole for *_, whole in rows], np.int32),
    )


def _holder(part: Part, end: int, beside: int, first: int, ties: TieEnds) -> Holder | None:
    """What holds a vertex at an end and the one beside it."""
    if part.pinned[end] and part.pinned[beside]:
        by = int(part.carried_by[end])
        return (by, -1, -1) if by == part.carried_by[beside] else None
    found = [_tied(ties, first + i) for i in (end, beside)]
    for piece, tie in found[0].items():
        if piece in found[1]:
            return piece, tie, found[1][piece]
    return None


def _tied(ties: TieEnds, vertex: int) -> dict[int, int]:
    """Pieces, -1 for the world, that a vertex is tied to, and the first tie to each."""
    out: dict[int, int] = {}
    for tie in np.flatnonzero((ties.vertex == vertex).any(axis=1)):
        if (ties.vertex[tie] < 0).any():  # not another body that deforms
            out.setdefault(int(ties.piece[tie].max()), int(tie))
    return out


def _marks(x: Array, laid: float) -> Array:
    """Unit vectors (2, 3) across the ends of a line (n, 3) [m], the far one turned by so much [rad] against the near
    one.
    """
    along = np.diff(x, axis=0)
    t = along / np.maximum(lengths(along), 1e-12)[:, None]
    mark = np.cross(t[0], np.eye(3)[np.argmin(np.abs(t[0]))])
    mark /= np.linalg.norm(mark)
    near = mark
    for one, other in zip(t[:-1], t[1:], strict=True):
        mark = mark - (mark @ other) / max(1.0 + one @ other, 1e-9) * (one + other)
    return np.array([near, np.cos(laid) * mark + np.sin(laid) * np.cross(t[-1], mark)])
