"""Impacts of a frame: written down, and heard by fields that wait for one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Array, lengths
from .deformable.run import DeformableRun
from .events import EventLog, readable
from .impact_loads import IMPACT_TIME
from .model import GROUND, Model
from .rigid.constraints import IMPACT_SPEED
from .rigid.run import RigidRun
from .state import State

IMPACT_EVENT_FROM = 0.55
"""Impacts slower than this share of the pair's characteristic speed are not written down."""
MOST_IMPACTS = 40
"""Impact events of a frame: the strongest so many."""


@dataclass(frozen=True)
class Impact:
    """One impact of an interval.

    pieces : the two, None for the ground and for what deforms
    force  : float, [N]
    place  : (3,) float64, [m]
    normal : (3,) float64, towards the first piece, or the ground that what deforms met
    deformable : int, the deformable body that hit, None where none did
    """

    pieces: tuple[int | None, int | None]
    force: float
    place: Array
    normal: Array
    deformable: int | None = None


class Impacts:
    """The impacts of a run."""

    def __init__(
        self, model: Model, state: State, rigid: RigidRun, deformable: DeformableRun | None, log: EventLog
    ) -> None:
        self._model, self._state, self._rigid, self._log = model, state, rigid, log
        self._deformable = deformable
        self._hardest: list[tuple[np.ndarray, ...]] = []
        self._before = np.zeros(0)

    def store(self) -> None:
        """At the end of an interval: keep what contacts did, and note its hardest impacts."""
        solver, n = self._rigid.constraints, self._rigid.contact_count
        self._before = self._state.contact_cache.impact_impulse[solver.contacts.cache_index[:n]].copy()
        impulse = self._rigid.store_impulses(IMPACT_EVENT_FROM)
        if impulse is not None:
            self._hardest.append(self._columns(impulse))
        if self._deformable is not None and (of := self._columns_deforming(self._deformable)) is not None:
            self._hardest.append(of)

    def _columns_deforming(self, run: DeformableRun) -> tuple[np.ndarray, ...] | None:
        """The same of hits on pieces by what deforms, which counts on from the pieces; None where there is none."""
        found = run.pushes()
        hit = np.flatnonzero(found.faster_than(IMPACT_EVENT_FROM) & (found.piece >= 0))
        if not len(hit):
            return None
        impulse = lengths(found.force[hit]) * self._model.settings.interval
        other = self._model.piece_count + found.body[hit]
        return impulse, found.piece[hit], other, found.speed[hit], found.place[hit]

    def _columns(self, impulse: Array) -> tuple[np.ndarray, ...]:
        """The hardest of an interval by the impulses of its contacts (M,) [N s], at most as many as are kept of a
        frame: impulse, pieces (GROUND for the ground), speed [m/s], place.
        """
        contacts, cache, piece = self._rigid.constraints.contacts, self._state.contact_cache, self._model.hulls.piece
        hard = np.flatnonzero(impulse > 0.0)
        hard = hard[np.argsort(-impulse[hard], kind="stable")[:MOST_IMPACTS]]
        k = contacts.cache_index[hard]
        a, b = cache.shape_a[k], cache.shape_b[k]
        other = np.where(b >= 0, piece[b], GROUND)
        speed = -contacts.approach_velocity[hard].min(axis=1)
        return impulse[hard], piece[a], other, speed, contacts.point[hard, 0].copy()

    def write_down(self) -> None:
        """At the end of a frame: its hardest impacts as events."""
        if not self._hardest:
            return
        impulse, one, other, speed, place = (np.concatenate(x) for x in zip(*self._hardest, strict=True))
        self._hardest = []
        hard = np.argsort(-impulse, kind="stable")[:MOST_IMPACTS]
        names, body = [*self._model.body_names, "ground"], [*self._model.pieces.body.tolist(), -1]
        pieces = self._model.piece_count
        if self._deformable is not None:
            body[pieces:pieces] = self._deformable.deformables.body.tolist()
        columns = (impulse[hard], one[hard], other[hard], speed[hard], np.round(place[hard], 4))
        for strength, p, q, fast, at in zip(*(x.tolist() for x in columns), strict=True):
            self._log.add(
                "impact",
                pieces=[p, q if 0 <= q < pieces else None],
                bodies=[names[body[p]], names[body[q]]],
                impulse=readable(strength, 3),
                speed=readable(fast, 3),
                place=at,
            )

    def of_interval(self) -> list[Impact]:
        """The impacts of the interval just stored, in the order of its contacts."""
        contacts, cache, piece = self._rigid.constraints.contacts, self._state.contact_cache, self._model.hulls.piece
        out = []
        for r in range(self._rigid.contact_count):
            met = contacts.approach_velocity[r] < -IMPACT_SPEED * contacts.characteristic_speed[r]
            if not met.any():
                continue
            impulse = float(contacts.total_impulse[r][met].sum())
            if impulse <= 0:
                continue
            impulse += float(self._before[r])
            k = contacts.cache_index[r]
            q = int(piece[cache.shape_b[k]]) if cache.shape_b[k] >= 0 else None
            pieces = (int(piece[cache.shape_a[k]]), q)
            out.append(Impact(pieces, impulse / IMPACT_TIME, contacts.point[r, 0].copy(), contacts.normal[r].copy()))
        return out if self._deformable is None else out + self._of_deforming(self._deformable)

    def _of_deforming(self, run: DeformableRun) -> list[Impact]:
        """Those of what deforms, with pieces and the ground."""
        found, out = run.pushes(), []
        for m in np.flatnonzero(found.faster_than(IMPACT_SPEED)):
            piece, force = int(found.piece[m]), float(np.linalg.norm(found.force[m]))
            normal = found.force[m] / max(force, 1e-300)
            one = piece if piece >= 0 else None
            out.append(Impact((one, None), force, found.place[m].copy(), normal, int(found.body[m])))
        return out
