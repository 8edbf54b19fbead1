"""What is wrong with a mesh, in words and with a place.

A body must be a solid: closed, facing outwards, not crossing itself, with a volume. ``diagnose`` lists what it
finds; ``solid`` returns a usable mesh or raises GeometryError with the sentence to show.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ..arrays import Array, Index
from ..errors import GeometryError
from ..kernels import kernel
from .mass import signed_volume
from .mesh import TriMesh, triangle_normals, weld


@dataclass(frozen=True)
class Defect:
    """One kind of defect: ``kind``, how many, where, and what mends it.

    place (3,) the middle of the first place [m]; marks (n, 2, 3) line segments that show where (a point is a segment of
    no length), at most MOST_MARKS of them; mends: kinds of mesh steps that help, the gentlest first
    """

    kind: str
    count: int
    place: tuple[float, float, float]
    sentence: str
    marks: Array
    mends: tuple[str, ...] = ()


MOST_MARKS = 400


def _near(place: Array) -> str:
    return "({:.3g}, {:.3g}, {:.3g}) m".format(*place)


def _edges(faces: Index) -> tuple[Index, Index]:
    """All directed edges (3F, 2) and the face each belongs to (3F,)."""
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    return edges, np.tile(np.arange(len(faces), dtype=np.int32), 3)


def _defect(kind: str, count: int, marks: Array, sentence: str, mends: tuple[str, ...]) -> Defect:
    """A defect shown by segments (n, 2, 3); {near} in the sentence becomes the first place."""
    place = marks[0].mean(axis=0)
    return Defect(
        kind,
        count,
        tuple(place.tolist()),
        sentence.format(near=f"the first near {_near(place)}", at=_near(place)),
        marks[:MOST_MARKS],
        mends,
    )


NOWHERE = np.zeros((0, 2, 3))


def diagnose(mesh: TriMesh, *, crossings: bool = True) -> list[Defect]:
    """What keeps a welded mesh from being a solid, gravest first."""
    if len(mesh.faces) == 0:
        return [Defect("empty", 1, (0.0, 0.0, 0.0), "the mesh has no triangles", NOWHERE)]
    if not np.isfinite(mesh.vertices).all():
        return [Defect("not finite", 1, (0.0, 0.0, 0.0), "some vertices are not finite numbers", NOWHERE)]
    out: list[Defect] = []
    edges, _ = _edges(mesh.faces)
    key = np.sort(edges, axis=1)
    unique, inverse, count = np.unique(key, axis=0, return_inverse=True, return_counts=True)
    inverse = inverse.reshape(-1)
    ends = mesh.vertices[unique]
    rim = np.flatnonzero(count == 1)
    if len(rim):
        out.append(
            _defect(
                "open",
                len(rim),
                ends[rim],
                f"it is open: {len(rim)} edges have a face on one side only, {{near}}; fill its holes, or close it "
                f"and bring it in again",
                ("weld", "fill", "solid"),
            )
        )
    odd = np.flatnonzero((count > 2) & (count % 2 == 1))
    if len(odd):
        out.append(
            _defect(
                "branching",
                len(odd),
                ends[odd],
                f"{len(odd)} edges are shared by three or more faces, {{near}}",
                ("unify", "solid"),
            )
        )
    direction = np.where(edges[:, 0] < edges[:, 1], 1, -1)
    turn = np.zeros(len(unique), dtype=np.int64)
    np.add.at(turn, inverse, direction)
    mixed = np.flatnonzero((count == 2) & (turn != 0))
    if len(mixed):
        out.append(
            _defect(
                "flipped",
                len(mixed),
                ends[mixed],
                f"neighbouring faces look to opposite sides along {len(mixed)} edges, {{near}}; make the "
                f"directions agree",
                ("unify", "solid"),
            )
        )
    if not out:
        size = mesh.size()
        if abs(signed_volume(mesh)) < 1e-9 * size**3:
            middle = mesh.vertices.mean(axis=0)
            out.append(
                Defect(
                    "flat",
                    1,
                    tuple(middle.tolist()),
                    "it encloses no volume, so it has no mass",
                    np.stack([middle, middle])[None],
                )
            )
        elif crossings:
            pair = first_crossing(mesh)
            if pair is not None:
                rings = mesh.vertices[mesh.faces[list(pair)]]
                marks = np.concatenate([np.stack([r, np.roll(r, -1, axis=0)], axis=1) for r in rings])
                out.append(
                    _defect(
                        "self-crossing",
                        1,
                        marks,
                        f"its surface crosses itself near {{at}} (triangles {pair[0]} and {pair[1]}); make it one "
                        f"clean shell",
                        ("solid",),
                    )
                )
    return out


def report(mesh: TriMesh) -> list[Defect]:
    """All there is to say about a mesh as it came: what keeps it from being a solid, and what is only untidy (gravest
    first).
    """
    welded = weld(mesh)
    out = diagnose(welded)
    if out and out[0].kind in ("empty", "not finite"):
        return out
    normals, area = triangle_normals(mesh)
    thin = np.flatnonzero(area <= 1e-14 * mesh.size() ** 2)
    if len(thin):
        middle = mesh.vertices[mesh.faces[thin]].mean(axis=1)
        out.append(
            _defect(
                "zero-area",
                len(thin),
                np.stack([middle, middle], axis=1),
                f"{len(thin)} faces have no area, {{near}}; they are left out",
                ("unify",),
            )
        )
    _, first, times = np.unique(np.sort(welded.faces, axis=1), axis=0, return_index=True, return_counts=True)
    doubled = first[times > 1]
    if len(doubled):
        middle = welded.vertices[welded.faces[doubled]].mean(axis=1)
        out.append(
            _defect(
                "doubled",
                len(doubled),
                np.stack([middle, middle], axis=1),
                f"{len(doubled)} faces lie twice in the same place, {{near}}",
                ("unify", "solid"),
            )
        )
    if not any(d.kind in ("open", "flipped", "branching", "flat") for d in out) and signed_volume(welded) < 0:
        middle = welded.vertices.mean(axis=0)
        out.append(
            Defect(
                "inside-out",
                1,
                tuple(middle.tolist()),
                "all faces look inwards; they are turned round",
                np.stack([middle, middle])[None],
                ("unify",),
            )
        )
    parts = shell_count(welded)
    if parts > 1:
        middle = welded.vertices.mean(axis=0)
        out.append(
            Defect(
                "shells",
                parts,
                tuple(middle.tolist()),
                f"it has {parts} separate shells, which are computed as one body",
                NOWHERE,
            )
        )
    return out


def shell_count(mesh: TriMesh) -> int:
    """How many parts hang together by vertices."""
    count = len(mesh.vertices)
    a, b, c = mesh.faces.T
    graph = coo_matrix(
        (np.ones(2 * len(a), np.int8), (np.concatenate([a, b]), np.concatenate([b, c]))), shape=(count, count)
    )
    labels = connected_components(graph, directed=False)[1]
    return len(np.unique(labels[mesh.faces[:, 0]]))


def solid(mesh: TriMesh, name: str) -> tuple[TriMesh, list[str]]:
    """A welded, outward-facing mesh, and what was done to get there.

    Raises GeometryError naming the body, the defect and its place.
    """
    notes: list[str] = []
    if not np.isfinite(mesh.vertices).all():
        raise GeometryError(f"{name} cannot be used: some vertices are not finite numbers", where=name)
    welded = weld(mesh)
    if len(welded.vertices) < len(mesh.vertices):
        notes.append(f"{len(mesh.vertices) - len(welded.vertices)} doubled vertices were welded")
    defects = diagnose(welded)
    if defects:
        raise GeometryError(
            f"{name} cannot be used: " + "; ".join(d.sentence for d in defects),
            where=name,
            code="geometry." + defects[0].kind,
        )
    if signed_volume(welded) < 0:
        welded = welded.flipped()
        notes.append("it was inside out: all faces were turned round")
    return welded, notes


# ------------------------------------------------------------------------------- crossings


@kernel(inner=True)
def _segment_hits(p: Array, q: Array, a: Array, b: Array, c: Array) -> bool:
    """Does the segment pq pass through the inside of triangle abc (both strictly)?

    Source: Moller and Trumbore 1997 (doi 10.1080/10867651.1997.10487468).
    """
    dx, dy, dz = q[0] - p[0], q[1] - p[1], q[2] - p[2]
    ax, ay, az = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    bx, by, bz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    hx, hy, hz = dy * bz - dz * by, dz * bx - dx * bz, dx * by - dy * bx
    det = ax * hx + ay * hy + az * hz
    scale = np.sqrt((dx * dx + dy * dy + dz * dz) * (ax * ax + ay * ay + az * az) * (bx * bx + by * by + bz * bz))
    if abs(det) < 1e-9 * scale or scale == 0.0:
        return False
    sx, sy, sz = p[0] - a[0], p[1] - a[1], p[2] - a[2]
    gx, gy, gz = sy * az - sz * ay, sz * ax - sx * az, sx * ay - sy * ax
    u = (sx * hx + sy * hy + sz * hz) / det
    v = (dx * gx + dy * gy + dz * gz) / det
    t = (bx * gx + by * gy + bz * gz) / det
    eps = 1e-7
    return u > eps and v > eps and u + v < 1.0 - eps and t > eps and t < 1.0 - eps


@kernel(allocates=True)
def _find_crossing(vertices: Array, faces: Index, order: Index, lo: Array, hi: Array) -> tuple[int, int]:
    """First pair of triangles without a common vertex that cut each other, or (-1, -1)."""
    n = len(order)
    for oi in range(n):
        i = order[oi]
        for oj in range(oi + 1, n):
            j = order[oj]
            if lo[j, 0] > hi[i, 0]:
                break
            if lo[j, 1] > hi[i, 1] or hi[j, 1] < lo[i, 1] or lo[j, 2] > hi[i, 2] or hi[j, 2] < lo[i, 2]:
                continue
            common = False
            for k in range(3):
                for m in range(3):
                    if faces[i, k] == faces[j, m]:
                        common = True
            if common:
                continue
            for k in range(3):
                if _segment_hits(
                    vertices[faces[i, k]],
                    vertices[faces[i, (k + 1) % 3]],
                    vertices[faces[j, 0]],
                    vertices[faces[j, 1]],
                    vertices[faces[j, 2]],
                ):
                    return i, j
                if _segment_hits(
                    vertices[faces[j, k]],
                    vertices[faces[j, (k + 1) % 3]],
                    vertices[faces[i, 0]],
                    vertices[faces[i, 1]],
                    vertices[faces[i, 2]],
                ):
                    return i, j
    return -1, -1


def first_crossing(mesh: TriMesh) -> tuple[int, int] | None:
    """Indices of two triangles that cut each other, or None. Sweeps along the longest axis."""
    axis = int(np.argmax(np.ptp(mesh.vertices, axis=0)))
    turned = np.ascontiguousarray(np.roll(mesh.vertices, -axis, axis=1))
    corners = turned[mesh.faces]
    lo, hi = corners.min(axis=1), corners.max(axis=1)
    order = np.argsort(lo[:, 0], kind="stable").astype(np.int32)
    i, j = _find_crossing(turned, mesh.faces, order, lo, hi)
    return None if i < 0 else (int(i), int(j))
