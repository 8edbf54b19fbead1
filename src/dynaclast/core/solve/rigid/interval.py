"""An interval from its first substep to its last: solve until pairs want to be looked at again, look, go on."""

from __future__ import annotations

import numpy as np

from ...kernels import kernel
from ..model import Hulls, PieceTable, Settings, Sheets, TieTable
from ..state import Assemblies, Contacts
from .again import make_ready
from .manifolds import Near, Rows, build_rows
from .search import Scratch, find_contacts
from .sweep import solve_interval
from .ties import TieRows


@kernel
def run_interval(
    hulls: Hulls, pieces: PieceTable, piece_asm, asm: Assemblies, live, driven, con: Contacts, known, rows: Rows, n_rows, near: Near, n_near,
    ties: TieTable, tie_rows: TieRows, n_ties, inv_mass, inv_inertia, settings: Settings, sheets: Sheets, push, twist, moved, turned,
    wverts, wnormals, wcenter, points, seps, placed_at, turned_at, again, which, turn, arms, scratch: Scratch,
):
    """All substeps of an interval over rows that are built; returns how many rows and near pairs there are at its end.

    again, which (n_rows + n_near,) int32, int64; placed_at (S,), turned_at (A,) int64; turn (3, 3), arms (11, 3): scratch. The rest as in the kernels it calls
    """
    step = np.int64(0)  # not a literal: the solver would be compiled once more for it
    placed_at[:] = 0
    turned_at[:] = 0
    while True:
        step, stale = solve_interval(
            asm, live, driven, rows, n_rows, near, n_near, ties, tie_rows, n_ties, inv_mass, inv_inertia, settings, push, twist, moved, turned, step, again,
        )
        if stale == 0:
            return n_rows, n_near
        make_ready(rows, near, again[:stale], asm, con, step, turned_at, inv_mass, inv_inertia, turn, which[:stale])
        span = settings.interval * (1.0 - step / settings.substeps)
        find_contacts(hulls, pieces, piece_asm, asm, con, known, which[:stale], step, span, settings, sheets, wverts, wnormals, wcenter, placed_at, points, seps, scratch)
        n_rows, n_near = build_rows(
            hulls, pieces, piece_asm, asm, con, which[:stale], again[:stale], settings, points, seps, inv_mass, inv_inertia, moved, turned, arms, rows, n_rows, near, n_near,
        )
