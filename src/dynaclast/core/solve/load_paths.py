"""Everything that acts on the pieces of an assembly flows through its bonds: what its load path carries in a run.

Forces come from sources: a body's weight with what rests on it and hangs from it, each field, and its own motion
(spinning, shaking, being carried). They are taken per piece once a frame, and at every blow; an assembly that nothing
holds is balanced by its inertia. Statics are solved at the opening pose, where the stiffness of an assembly stays what
it is until a bond of it breaks.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from ..arrays import Array, Index, Mask
from ..fields import Forcing
from ..geometry.rotations import rotation_matrices, rotation_matrix
from ..kernels import kernel
from ..kernels.linalg import multiply, rotate_by
from .bonds import Bonds
from .contact_forces import add_contact_forces, add_tie_forces
from .deformable.pushes import add_pushes
from .events import Event, kilonewtons
from .frame import piece_positions
from .impact_loads import IMPACT_TIME
from .kinematics import Kinematics
from .model import Hold, LoadPath, Model, Motion, PieceTable
from .multifrontal import Multifrontal
from .state import Assemblies, State
from .statics import Faces, RigidMotion, elements_of, inertial_loads, measure_bonds, sections_of

MOST_ROUNDS = 6
"""Rounds of breaking in one frame; a collapse that needs more goes on in the next."""
WORST_SHARE = 0.85
"""Overloaded bonds within this share of the worst break together."""
IDLE_SHARE = 0.02
"""What cannot load any bond of an assembly by more than this share of its strength is not followed."""


class Source(NamedTuple):
    """Forces on pieces that stem from one thing.

    kind, name : what it is called among the causes of a broken bond; without a name, it is the body's own
    force       : (P, 3) float64, [N]
    torque      : (P, 3) float64, [N m], about each piece's centre
    """

    kind: str
    name: str
    force: Array
    torque: Array


MOST_SHARE = 10.0
"""Of how much more than it can bear a bond is told."""


class Spans(NamedTuple):
    """Where the pieces of each followed assembly are among all that are followed; K of them.

    start  : (K + 1,) int64
    slot   : (K,) int64
    """

    start: Index
    slot: Index


@kernel
def balance(
    spans: Spans,
    own: Index,
    asm: Assemblies,
    pieces: PieceTable,
    force: Array,
    torque: Array,
    spins: bool,
    out_force: Array,
    out_torque: Array,
    most: Array,
) -> None:
    """Turn forces and torques back to the opening pose, and add what free assemblies resist with (d'Alembert).

    own           : (N,) int64, pieces of all assemblies, one after the other
    force, torque : (P, 3) float64, [N], [N m], world frame
    spins         : bool, whether spinning counts
    out_force     : (N, 3) float64, [N], out, at the opening pose; out_torque : likewise [N m]
    most          : (K,) float64, out: a bound on what any force in the assembly can come to [N] and [N m]
    """
    for k in range(len(spans.slot)):
        a = spans.slot[k]
        free = asm.motion[a] == Motion.DYNAMIC
        qx, qy, qz, qw = -asm.orientation[a, 0], -asm.orientation[a, 1], -asm.orientation[a, 2], asm.orientation[a, 3]
        fx, fy, fz, mx, my, mz = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for n in range(spans.start[k], spans.start[k + 1]):
            p = own[n]
            x, y, z = rotate_by(qx, qy, qz, qw, force[p, 0], force[p, 1], force[p, 2])
            u, v, w = rotate_by(qx, qy, qz, qw, torque[p, 0], torque[p, 1], torque[p, 2])
            out_force[n, 0], out_force[n, 1], out_force[n, 2] = x, y, z
            out_torque[n, 0], out_torque[n, 1], out_torque[n, 2] = u, v, w
            rx, ry, rz = _arm(pieces, asm, p, a)
            fx, fy, fz = fx + x, fy + y, fz + z
            mx, my, mz = mx + u + ry * z - rz * y, my + v + rz * x - rx * z, mz + w + rx * y - ry * x
        ax, ay, az, bx, by, bz, wx, wy, wz = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        if free:
            if spins:
                omega = asm.angular_velocity[a]
                wx, wy, wz = rotate_by(qx, qy, qz, qw, omega[0], omega[1], omega[2])
            lx, ly, lz = multiply(asm.inertia[a], wx, wy, wz)
            bx, by, bz = multiply(
                asm.inv_inertia[a], mx - (wy * lz - wz * ly), my - (wz * lx - wx * lz), mz - (wx * ly - wy * lx)
            )
            ax, ay, az = fx / asm.mass[a], fy / asm.mass[a], fz / asm.mass[a]
        push, twist = 0.0, 0.0
        for n in range(spans.start[k], spans.start[k + 1]):
            p = own[n]
            if free:
                rx, ry, rz = _arm(pieces, asm, p, a)
                cx, cy, cz = wy * rz - wz * ry, wz * rx - wx * rz, wx * ry - wy * rx
                m = pieces.mass[p]
                out_force[n, 0] -= m * (ax + by * rz - bz * ry + wy * cz - wz * cy)
                out_force[n, 1] -= m * (ay + bz * rx - bx * rz + wz * cx - wx * cz)
                out_force[n, 2] -= m * (az + bx * ry - by * rx + wx * cy - wy * cx)
                lx, ly, lz = multiply(pieces.inertia[p], wx, wy, wz)
                ix, iy, iz = multiply(pieces.inertia[p], bx, by, bz)
                out_torque[n, 0] -= ix + wy * lz - wz * ly
                out_torque[n, 1] -= iy + wz * lx - wx * lz
                out_torque[n, 2] -= iz + wx * ly - wy * lx
            push += np.sqrt(out_force[n, 0] ** 2 + out_force[n, 1] ** 2 + out_force[n, 2] ** 2)
            twist += np.sqrt(out_torque[n, 0] ** 2 + out_torque[n, 1] ** 2 + out_torque[n, 2] ** 2)
        most[k] = max(push, push * 2.0 * asm.radius[a] + twist)


@kernel(inline=True)
def _arm(pieces: PieceTable, asm: Assemblies, p: int, a: int) -> tuple[float, float, float]:
    """From the centre of assembly a to that of its piece p, at the opening pose [m]."""
    return (
        pieces.rest_center[p, 0] - asm.rest_center[a, 0],
        pieces.rest_center[p, 1] - asm.rest_center[a, 1],
        pieces.rest_center[p, 2] - asm.rest_center[a, 2],
    )


@kernel
def worst_of_pieces(piece: Index, ratio: Array, out: Array) -> None:
    """Of each piece (P,) the greatest of its bonds' ratios (B,), where it is above what stands there."""
    for b in range(len(piece)):
        for side in range(2):
            out[piece[b, side]] = max(out[piece[b, side]], ratio[b])


class BondLoad(NamedTuple):
    """What a bond bears, beside what it can bear [kN], and from where, by kind and name, the most first."""

    bond: int
    piece: int
    load: float
    strength: float
    causes: list[Event]


class LoadPaths:
    """The bodies of a run whose load path is followed."""

    def __init__(self, model: Model, state: State, bonds: Bonds, kinematics: Kinematics) -> None:
        self._model, self._state, self._bonds = model, state, bonds
        self._kinematics = kinematics
        self.followed = bool(model.load_path.any()) and model.bond_count > 0
        self._rule = model.load_path[model.pieces.body[model.bonds.piece[:, 0]]]
        self._watch = -1
        self.watched: list[BondLoad] = []
        if not self.followed:
            return
        table = model.bonds
        self._faces = Faces(table.piece, table.center, table.area, table.normal, table.second_moment)
        self._sections = sections_of(self._faces)
        self._stiffness = Multifrontal(model.pieces.rest_center, table.piece)
        # what each piece (P, 6) and each bond (B,) bore when last asked, and of which pieces that still holds
        self._borne, self._load = np.zeros((model.piece_count, 6)), np.zeros(model.bond_count)
        self._known = np.zeros(model.piece_count, bool)
        # the last question, and the loads, their shares of strengths and those of pieces that answered it
        self._asked: tuple[Array, ...] | None = None
        self._found = np.zeros(0), np.zeros(0)
        self._share = np.zeros(0)
        self._changed: tuple[Array, Mask, Mask] | None = None
        self._hold = b""
        self._parts: tuple[bytes, bytes, bytes] | None = None
        # what loads depended on when they were last followed at rest
        self._borne_alike: tuple[np.ndarray, ...] | None = None
        self._group()

    # ------------------------------------------------------------------------------ frames

    def follow(
        self,
        fields: Iterable[tuple[str, Forcing]] = (),
        hands: tuple[Array, Array] | None = None,
        *,
        moved: bool = True,
    ) -> None:
        """Break what bears more than it can: the most overloaded first, so that a collapse runs on from bond to bond
        within the frame.

        fields : what each does to pieces in this interval
        hands  : forces [N] and torques [N m] of grips on pieces (P, 3)
        moved  : whether anything was solved since they were last followed
        """
        if not self.followed:
            return
        forced = self._forced(fields)
        if hands is not None:
            forced.append(Source("grip", "", *hands))
        if self._borne_alike is not None and not moved and not forced and self._all_alike(self._borne_alike):
            return
        # before anything breaks: what does goes on in the next frame
        self._borne_alike = None if forced or moved else tuple(x.copy() for x in self._bearing())
        sources = [self._weight(), self._motion(), *forced]
        if self._watch >= 0:
            self.watched = self.loads_on(self._watch, sources)
        self._fail(sources)

    def _bearing(self) -> tuple[np.ndarray, ...]:
        """What loads depend on, beside what moves or is touched only where an interval is solved."""
        state, asm = self._state, self._state.assemblies
        bonds = state.bond_broken, state.bond_wear, state.piece_assembly, state.hold
        ties = state.tie_broken, state.tie_impulse, state.vertex_tie_pull, state.touching.push
        return *bonds, *ties, asm.motion, asm.orientation, asm.angular_velocity, self._model.pieces.gravity_scale

    def _all_alike(self, before: tuple[np.ndarray, ...]) -> bool:
        return all(map(np.array_equal, before, self._bearing()))

    def watch(self, piece: int) -> None:
        """Keep in ``watched`` what loads the bonds of a piece whenever bonds are followed."""
        self._watch, self._borne_alike = piece, None

    def loads_on(self, piece: int, sources: list[Source] | None = None) -> list[BondLoad]:
        """Loads on the bonds of a piece that hold, the fullest first; of weight and motion unless sources are given."""
        model, state = self._model, self._state
        own = (model.bonds.piece == piece).any(axis=1) & (state.bond_broken == 0)
        if not self.followed or not own.any():
            return []
        sources = [self._weight(), self._motion()] if sources is None else sources
        load, ratio = self.measure(sources)
        rows = np.flatnonzero(own)
        rows = rows[np.argsort(-ratio[rows], kind="stable")]
        causes = self._causes(rows, load, sources)
        return [
            BondLoad(
                b,
                int(model.bonds.piece[b].sum()) - piece,
                kilonewtons(load[b]),
                kilonewtons(model.bonds.strength[b] * (1.0 - state.bond_wear[b])),
                causes[b] if load[b] > 0 else [],
            )
            for b in rows.tolist()
        ]

    def strike(self, blows: Iterable[tuple[str, Forcing]]) -> None:
        """Break what blows break that would change velocities: a change of momentum over the time of an impact."""
        self._change(blows, IMPACT_TIME)

    def carry(self, changes: Iterable[tuple[str, Forcing]]) -> None:
        """Break what changes of velocity break that come about within an interval."""
        self._change(changes, self._model.settings.interval)

    def _change(self, changes: Iterable[tuple[str, Forcing]], time: float) -> None:
        """Break what bears too much where velocities change, each within so long [s]."""
        if not self.followed:
            return
        forced = [s._replace(force=s.force / time, torque=s.torque / time) for s in self._forced(changes)]
        if forced:
            self._borne_alike = None
            self._fail([self._weight(), self._motion(), *forced])

    def measure(self, sources: list[Source] | None = None) -> tuple[Array, Array]:
        """Load (B,) [N] of bonds whose load path is followed, and its share of the strength (B,). Each piece's worst
        share is kept.
        """
        model, state = self._model, self._state
        sources = [self._weight(), self._motion()] if sources is None else sources
        force = np.sum([s.force for s in sources], axis=0)
        torque = np.sum([s.torque for s in sources], axis=0)
        self._group()
        asm, slot = state.assemblies, self._spans.slot
        asked = force, torque, asm.orientation[slot], asm.angular_velocity[slot], state.bond_wear.copy()
        if self._asked is not None and all(map(np.array_equal, self._asked, asked)):
            state.memory["load share"] = self._share
            return self._found
        strength = np.maximum(model.bonds.strength * (1.0 - state.bond_wear), 1e-9)
        load = self._loads(force, torque, strength)
        ratio = load / strength
        share = np.zeros(model.piece_count)
        worst_of_pieces(model.bonds.piece, ratio, share)
        self._asked, self._found = asked, (load, ratio)
        self._share = state.memory["load share"] = np.minimum(share, MOST_SHARE)
        return load, ratio

    def piece_share(self) -> Array:
        """The worst share of a bond's strength that is taken, of each piece (P,)."""
        return self._state.memory.get("load share", np.zeros(self._model.piece_count))

    def _fail(self, sources: list[Source]) -> None:
        """Break, round by round, what the sources together break."""
        for _ in range(MOST_ROUNDS):
            load, ratio = self.measure(sources)
            if ratio.max(initial=0.0) <= 1.0:
                return
            ratio = np.where((self._rule == LoadPath.FAIL) & (self._state.bond_broken == 0), ratio, 0.0)
            worst = ratio.max(initial=0.0)
            if worst <= 1.0:
                return
            load = np.where(ratio < max(1.0, WORST_SHARE * worst), 0.0, load)
            causes = self._causes(np.flatnonzero(load), load, sources)
            self._bonds.break_overloaded(load, causes.__getitem__)

    def _causes(self, failing: Index, load: Array, sources: list[Source]) -> dict[int, list[Event]]:
        """What each failing bond bears, and from where: sources by what each would load it with alone; the
        first bears most.
        """
        model = self._model
        strength = np.maximum(model.bonds.strength * (1.0 - self._state.bond_wear), 1e-9)
        alone = np.zeros((len(sources), model.bond_count))
        if len(sources) > 1:
            for row, source in enumerate(sources):
                spins = source.kind == "motion"
                alone[row] = self._loads(source.force, source.torque, strength, spins, failing)
        out: dict[int, list[Event]] = {}
        for b in failing.tolist():
            body = model.body_names[model.pieces.body[model.bonds.piece[b, 0]]]
            share = alone[:, b] / max(float(alone[:, b].sum()), 1e-300)
            rows: list[Event] = [
                {s.kind: s.name or body, "load": kilonewtons(share[k] * load[b])}
                for k, s in enumerate(sources)
                if share[k] > 0.005
            ]
            rows.sort(key=lambda row: -float(row["load"]))
            out[b] = rows or [{"weight": body, "load": kilonewtons(load[b])}]
        return out

    # ----------------------------------------------------------------------------- sources

    def _weight(self) -> Source:
        """Weight, what rests on pieces, and what ties them."""
        model, state = self._model, self._state
        center, pieces = piece_positions(model, state), model.pieces
        force = (pieces.mass * pieces.gravity_scale)[:, None] * model.settings.gravity
        torque = np.zeros_like(force)
        add_contact_forces(
            state.contact_cache, model.hulls.piece, state.piece_assembly, state.assemblies, center, force, torque
        )
        add_tie_forces(model, state, center, force, torque)
        if model.deformables is not None:
            add_pushes(model.deformables, model, state, force, torque)
        return Source("weight", "", force, torque)

    def _motion(self) -> Source:
        """What pieces resist with that an animation carries; that of free assemblies is found with their balance."""
        model, state = self._model, self._state
        asm, center = state.assemblies, piece_positions(model, state)
        force, torque = np.zeros((model.piece_count, 3)), np.zeros((model.piece_count, 3))
        for slot, linear, angular in self._kinematics.accelerations():
            own = np.flatnonzero(state.piece_assembly == slot)
            motion = RigidMotion(asm.position[slot], asm.angular_velocity[slot], linear, angular)
            inertia = self._inertia(own, rotation_matrix(asm.orientation[slot]))
            force[own], torque[own] = inertial_loads(center[own], model.pieces.mass[own], inertia, motion)
        return Source("motion", "", force, torque)

    def _forced(self, fields: Iterable[tuple[str, Forcing]]) -> list[Source]:
        """Forces by accelerations that fields give pieces."""
        model, state, out = self._model, self._state, []
        mass = model.pieces.mass[:, None]
        for name, forcing in fields:
            acts = forcing.acts()
            if acts is None or not acts.any():
                continue
            none = np.zeros((model.piece_count, 3))
            force = none if forcing.linear is None else mass * forcing.linear
            torque = none if forcing.torque is None else forcing.torque
            if forcing.angular is not None:
                turn = rotation_matrices(state.assemblies.orientation)[state.piece_assembly]
                inertia = turn @ model.pieces.inertia @ turn.transpose(0, 2, 1)
                torque = torque + np.einsum("pij,pj->pi", inertia, forcing.angular)
            out.append(Source("field", name, force, torque))
        return out

    def _inertia(self, own: Index, turn: Array) -> Array:
        """(n, 3, 3) [kg m2] of pieces about their centres, turned."""
        return turn @ self._model.pieces.inertia[own] @ turn.T

    # ------------------------------------------------------------------------------ solves

    def _group(self) -> None:
        """Bring the followed assemblies up to date, and say what of their stiffness has changed."""
        model, state = self._model, self._state
        now = state.bond_broken.tobytes(), state.piece_assembly.tobytes(), state.hold.tobytes()
        if now == self._parts:
            return
        self._parts, self._asked = now, None
        held = state.hold != Hold.FREE
        if self._hold != now[2]:
            self._hold = now[2]
            self._elements = elements_of(model.pieces.rest_center, self._faces, held)
        rows = np.flatnonzero((state.bond_broken == 0) & (self._rule != LoadPath.OFF))
        slot = state.piece_assembly[model.bonds.piece[rows, 0]]
        frees = np.zeros(len(state.assemblies.mass), bool)
        frees[state.piece_assembly[~held]] = True
        follows = np.zeros(len(frees), bool)
        follows[slot] = True
        follows &= frees  # of what is held as a whole nothing is asked
        rows, slot = rows[follows[slot]], slot[follows[slot]]
        self._rows = rows[np.argsort(slot, kind="stable")]
        slots, self._first_row = np.unique(np.sort(slot), return_index=True)
        by_slot = np.argsort(state.piece_assembly, kind="stable")
        self._own = by_slot[follows[state.piece_assembly[by_slot]]]
        start = np.searchsorted(state.piece_assembly[self._own], [*slots, len(frees)]).astype(np.int64)
        self._spans = Spans(start, slots.astype(np.int64))
        self._levers = np.zeros(0)
        moves = np.zeros(model.piece_count, bool)
        if len(slots):
            shortest = np.minimum.reduceat(self._sections.side[self._rows, 1], self._first_row)
            self._levers = np.maximum(1.0, 9.0 / shortest)
            moves[self._own] = ~held[self._own]
            floats = np.logical_and.reduceat(moves[self._own], start[:-1])
            moves[self._own[start[:-1][floats]]] = False  # of what floats the first takes nothing
        active = np.zeros(model.bond_count, bool)
        active[self._rows] = True
        self._changed = self._elements.block, active, moves

    def _loads(
        self, force: Array, torque: Array, strength: Array, spins: bool = True, failing: Index | None = None
    ) -> Array:
        """Loads (B,) [N] on bonds by forces and torques on all pieces (P, 3).

        spins   : bool, whether what is free bears its own spinning too
        failing : on these bonds only, and without keeping what they bore
        """
        model, asm, out = self._model, self._state.assemblies, np.zeros(self._model.bond_count)
        own, spans = self._own, self._spans
        f, t, most = np.empty((len(own), 3)), np.empty((len(own), 3)), np.empty(len(spans.slot))
        balance(spans, own, asm, model.pieces, force, torque, spins, f, t, most)
        if not len(own):
            return out
        follow = most * self._levers >= IDLE_SHARE * np.minimum.reduceat(strength[self._rows], self._first_row)
        if not follow.any():
            return out
        if self._changed is not None:  # not before anything is to be solved
            self._known[self._stiffness.update(*self._changed)] = False
            self._changed = None
        bonds = np.diff(np.append(self._first_row, len(self._rows)))
        if failing is not None:
            fails = np.zeros(len(strength), bool)
            fails[failing] = True
            follow &= np.logical_or.reduceat(fails[self._rows], self._first_row)
            rows = failing[np.isin(failing, self._rows[np.repeat(follow, bonds)])]
            self._solve(follow, f, t, rows, out)
            return out
        load = np.concatenate([f, t], axis=1)
        same = self._known[own] & (load == self._borne[own]).all(axis=1)
        anew = follow & ~np.logical_and.reduceat(same, spans.start[:-1])
        pieces = np.repeat(anew, np.diff(spans.start))
        self._known[own[pieces]], self._borne[own[pieces]] = True, load[pieces]
        self._solve(anew, f, t, self._rows[np.repeat(anew, bonds)], self._load)
        rows = self._rows[np.repeat(follow, bonds)]
        out[rows] = self._load[rows]
        return out

    def _solve(self, parts: Mask, force: Array, torque: Array, rows: Index, out: Array) -> None:
        """Loads of some bonds into ``out`` (B,) [N], by forces and torques on followed pieces (N, 3), of the assemblies
        named (K,).
        """
        if not len(rows):
            return
        own = self._own[np.repeat(parts, np.diff(self._spans.start))]
        count = self._model.piece_count
        load, pieces = np.zeros((count, 6)), np.zeros(count, bool)
        load[self._own, :3], load[self._own, 3:] = force, torque
        pieces[own] = True
        load[~pieces] = 0.0
        moved = self._stiffness.solve(load, pieces)
        measure_bonds(rows, moved, self._elements, self._faces, self._sections, out)
