"""What seams of deformable bodies bear: the traction of cloth across an edge, the tension of ropes, the force and the
moment between pieces of soft bodies.

Across the edge of a triangle with constant stress goes twice the force that the triangle puts on the vertex opposite;
of both triangles at a seam the mean counts (a stress recovered as in Zienkiewicz and Zhu 1992, doi
10.1002/nme.1620330702, by edges). Pieces of a soft body share vertices of its lattice: what goes from one to another
there follows from what each does to it; where more than two meet, as little as can goes round. Inertia, weight and
contacts act on each by its mass.
"""

from __future__ import annotations

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

from ...arrays import Array, Index, cross, lengths, means, sums
from ...kernels import kernel
from ...kernels.simd import LANES
from ..state import State
from ..statics import Faces, bond_loads, sections_of
from .lattice import add_lattice, cube_stresses
from .membrane import length_changes
from .model import DeformableModel
from .parts import Deformables
from .tables import LatticeTable, MembraneTable, SegmentTable

LOOSE = 1e-9
"""What keeps the equations of flows solvable, as a share."""


class SeamLoads:
    """Loads of the seams of a run."""

    def __init__(self, deformables: DeformableModel) -> None:
        self._seams = seams = deformables.seams
        self._soft = np.flatnonzero(np.isin(np.arange(seams.count), seams.at, invert=True))
        self._faces = Faces(
            seams.piece[self._soft],
            seams.center[self._soft],
            seams.size[self._soft],
            seams.normal[self._soft],
            seams.second_moment[self._soft],
        )
        self._sections = sections_of(self._faces) if len(self._soft) else None
        self._own = deformables.own_lattice
        self._mass, self._start = deformables.own_mass, deformables.elements.vertices.rest

    def measure(self, parts: Deformables, state: State) -> Array:
        """Loads (Q,) [N] at the end of an interval; 0 of open seams."""
        seams = self._seams
        out = np.zeros(seams.count)
        e, x, lead = parts.elements, state.vertices.position, parts.elements.vertices.lead
        if len(seams.at):
            load_edges(
                e.membrane, e.segments, x, lead, seams.element, seams.edge, seams.at, state.seam_broken, seams.size, out
            )
        if len(self._soft):
            out[self._soft] = self._between_solids(state, lead)
        if len(seams.cube):
            own = np.unique(seams.near)
            out[own] = self._by_stress(x)[own]
        return np.where(state.seam_broken != 0, 0.0, out)

    def _by_stress(self, x: Array) -> Array:
        """Loads (Q,) [N] of seams along which soft matter tears: the traction across the face between two pieces, of
        the mean stress in the cubes along it; pressure does not count (Camacho and Ortiz 1996, doi
        10.1016/0020-7683(95)00255-3, with both ways of opening alike).
        """
        seams = self._seams
        used, back = np.unique(seams.cube, return_inverse=True)
        both = np.concatenate([part.reshape(-1, 9) for part in cube_stresses(self._own, used, x)], axis=1)
        both = sums(seams.share[:, None] * both[back], seams.near, seams.count)
        both /= np.maximum(sums(seams.share, seams.near, seams.count), 1e-300)[:, None]
        traction, facing = (
            np.einsum("qij,qj->qi", part.reshape(-1, 3, 3), seams.normal) for part in (both[:, :9], both[:, 9:])
        )
        facing /= np.maximum(lengths(facing), 1e-300)[:, None]
        along = np.einsum("qi,qi->q", traction, facing)
        across = lengths(traction - along[:, None] * facing)
        return seams.size * np.hypot(np.maximum(along, 0.0), across)

    def _between_solids(self, state: State, lead: Index) -> Array:
        """Loads [N] of the seams of soft bodies."""
        seams, x = self._seams, state.vertices.position
        wide = np.zeros((len(x), LANES))
        force_lattice(self._own, x, state.vertices.velocity, wide)
        force = wide[:, :3]
        whole = sums(force, lead, len(lead))
        mass = sums(self._mass, lead, len(lead))
        left = (self._mass / np.maximum(mass[lead], 1e-300))[:, None] * whole[lead] - force
        holds = np.isin(seams.of, self._soft) & (state.seam_broken[seams.of] == 0)
        link, of = seams.link[holds], seams.of[holds]
        flow = _flows(link, left)
        count = seams.count
        center = means(x[link[:, 0]], of, count)
        at_start = means(self._start[link[:, 0]], of, count)
        arm, rest = x[link[:, 0]] - center[of], self._start[link[:, 0]] - at_start[of]
        pull = sums(flow, of, count)[self._soft]
        moment = sums(cross(arm, flow), of, count)[self._soft]
        spread = np.stack([sums(rest[:, c : c + 1] * arm, of, count) for c in range(3)], axis=1)[self._soft]
        turn = _rotations(spread)  # from the start to now
        # what the second piece does to the first: tension where it goes along the normal
        pull, moment = np.einsum("qdc,qd->qc", turn, pull), np.einsum("qdc,qd->qc", turn, moment)
        moment = moment - cross(seams.center[self._soft] - at_start[self._soft], pull)
        assert self._sections is not None
        return bond_loads(self._faces, self._sections, pull, moment)


def _rotations(spread: Array) -> Array:
    """The rotations (n, 3, 3) that best take points at rest to where they are, by the sums (n, 3, 3) of products of
    their arms (Kabsch 1976, doi 10.1107/S0567739476001873).
    """
    u, _, w = np.linalg.svd(spread)
    turn = np.swapaxes(w, 1, 2) @ np.swapaxes(u, 1, 2)
    w[:, 2] *= np.sign(np.linalg.det(turn))[:, None]
    return np.asarray(np.swapaxes(w, 1, 2) @ np.swapaxes(u, 1, 2))


def _flows(link: Index, left: Array) -> Array:
    """Forces (L, 3) [N] on the first vertex of each link by the second, so that those on each vertex add up to what is
    left (N, 3) for them; of all such the smallest.
    """
    used, back = np.unique(link, return_inverse=True)
    a, b = back.reshape(-1, 2).T
    n, row = len(used), np.arange(len(link))
    ends = sparse.csr_matrix(
        (np.concatenate([np.ones(len(link)), -np.ones(len(link))]), (np.tile(row, 2), np.concatenate([a, b]))),
        shape=(len(link), n),
    )
    laplacian = (ends.T @ ends + LOOSE * sparse.identity(n)).tocsc()
    return np.asarray(ends @ splu(laplacian).solve(left[used]))


@kernel
def force_lattice(table: LatticeTable, x: Array, v: Array, force: Array) -> None:
    """Forces of all cubes; arguments as of lattice.add_lattice."""
    add_lattice(table, 0, len(table.mu), x, v, force)


@kernel(inner=True)
def _across(table: MembraneTable, t: int, u: int, v: int, x: Array) -> tuple[float, float, float, int]:
    """Force across the edge (u, v) of a triangle, from it [N]; and the place of the vertex opposite."""
    k = 0
    while k < 2 and (table.vertex[t, k] == u or table.vertex[t, k] == v):
        k += 1
    i, j, o = (k + 1) % 3, (k + 2) % 3, table.vertex[t, k]
    p, q = table.vertex[t, i], table.vertex[t, j]
    d0, d1, d2 = length_changes(table, t, x)
    s = table.stiffness[t]
    # edge j joins o and p; edge i joins o and q
    sj = 2.0 * (s[j, 0] * d0 + s[j, 1] * d1 + s[j, 2] * d2)
    si = 2.0 * (s[i, 0] * d0 + s[i, 1] * d1 + s[i, 2] * d2)
    return (
        2.0 * (sj * (x[p, 0] - x[o, 0]) + si * (x[q, 0] - x[o, 0])),
        2.0 * (sj * (x[p, 1] - x[o, 1]) + si * (x[q, 1] - x[o, 1])),
        2.0 * (sj * (x[p, 2] - x[o, 2]) + si * (x[q, 2] - x[o, 2])),
        k,
    )


@kernel
def load_edges(
    membrane: MembraneTable,
    segments: SegmentTable,
    x: Array,
    lead: Index,
    element: Index,
    edge: Index,
    at: Index,
    broken: Array,
    size: Array,
    load: Array,
) -> None:
    """The worst that a seam of cloth or of ropes bears anywhere along it, as if all along.

    lead          : (N,) int32, vertices that stand for others
    element, edge, at, size : as model.Seams
    load          : (Q,) float64, [N], written
    """
    for e in range(len(at)):
        q, one, other = at[e], element[e, 0], element[e, 1]
        if broken[q]:
            continue
        if edge[e, 0] < 0:
            for s in (one, other):
                a, b, far = segments.vertex[s, 0], segments.vertex[s, 1], 0.0
                for c in range(3):
                    far += (x[b, c] - x[a, c]) ** 2
                load[q] = max(load[q], segments.stiffness[s] * (np.sqrt(far) - segments.length[s]))
            continue
        u, v = lead[edge[e, 0]], lead[edge[e, 1]]
        fx, fy, fz, k = _across(membrane, one, u, v, x)
        gx, gy, gz, _ = _across(membrane, other, u, v, x)
        fx, fy, fz = 0.5 * (fx - gx), 0.5 * (fy - gy), 0.5 * (fz - gz)
        # outwards of the first triangle, across the edge
        o = membrane.vertex[one, k]
        ex, ey, ez = x[v, 0] - x[u, 0], x[v, 1] - x[u, 1], x[v, 2] - x[u, 2]
        mx, my, mz = x[u, 0] - x[o, 0], x[u, 1] - x[o, 1], x[u, 2] - x[o, 2]
        share = (mx * ex + my * ey + mz * ez) / max(ex * ex + ey * ey + ez * ez, 1e-300)
        mx, my, mz = mx - share * ex, my - share * ey, mz - share * ez
        long = max(np.sqrt(mx * mx + my * my + mz * mz), 1e-300)
        along = min((fx * mx + fy * my + fz * mz) / long, 0.0)  # what presses opens nothing
        fx, fy, fz = fx - along * mx / long, fy - along * my / long, fz - along * mz / long
        length = np.sqrt(membrane.length2[one, k])
        load[q] = max(load[q], size[q] * np.sqrt(fx * fx + fy * fy + fz * fz) / length)
