"""What is wrong with a mesh, in words and with a place.

A body must be a solid: closed, facing outwards, with a volume, and crossing itself no more than in small places.
``diagnose`` lists what it finds; ``solid`` returns a usable mesh or raises GeometryError with the sentence to show.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import manifold3d
import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ..arrays import Array, Index
from ..errors import GeometryError
from .crossings import MOST_PAIRS, crossing_pairs
from .mass import signed_volume
from .mesh import TriMesh, edges_of, make, triangle_normals, weld


@dataclass(frozen=True)
class Defect:
    """One kind of defect: ``kind``, how many, where, and what mends it.

    place (3,) the middle of the first place [m]; marks (n, 2, 3) line segments that show where (a point is a segment of
    no length), at most MOST_MARKS of them; mends: kinds of mesh steps that help, the gentlest first; taken: the mesh
    that is computed instead, where the defect is only told
    """

    kind: str
    count: int
    place: tuple[float, float, float]
    sentence: str
    marks: Array
    mends: tuple[str, ...] = ()
    taken: TriMesh | None = None


MOST_MARKS = 400


def _near(place: Array) -> str:
    return "({:.3g}, {:.3g}, {:.3g}) m".format(*place)


def _turns(faces: Index, number: Index, count: Index) -> Index:
    """How often the sides of faces run along each edge (E,), less how often against it."""
    way = np.where(faces < np.roll(faces, -1, axis=1), 1, -1)
    return np.bincount(number.ravel(), way.ravel(), len(count)).astype(np.int64)


def faults(mesh: TriMesh) -> int:
    """How many edges keep a mesh from being closed and of one direction."""
    welded = weld(mesh)
    _, number, count = edges_of(welded.faces)
    return int(((count % 2 == 1) | (_turns(welded.faces, number, count) != 0)).sum())


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
    unique, number, count = edges_of(mesh.faces)
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
    mixed = np.flatnonzero((count == 2) & (_turns(mesh.faces, number, count) != 0))
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
            pairs = crossing_pairs(mesh)
            if len(pairs):
                out.append(_crossing(mesh, pairs))
    return out


def _crossing(mesh: TriMesh, pairs: Index) -> Defect:
    """What is said of pairs of triangles that cut each other; see ``uncrossed`` for what becomes of them."""
    rings = mesh.vertices[mesh.faces[pairs[: MOST_MARKS // 6].ravel()]]
    marks = np.stack([rings, np.roll(rings, -1, axis=1)], axis=2).reshape(-1, 2, 3)
    many = f"{len(pairs)}{' or more' if len(pairs) == MOST_PAIRS else ''} places" if len(pairs) > 1 else "one place"
    taken, left = uncrossed(mesh, pairs)
    joined = len(taken.faces) != len(mesh.faces)
    if left:
        sentence, mends = f"its surface crosses itself in {many}, {{near}}; make it one clean shell", ("solid",)
        return _defect("self-crossing", len(pairs), marks, sentence, mends)
    sentence = f"its surface crosses itself in {many}, {{near}}; that is small enough to be computed as it is"
    if joined:
        sentence = f"its shells cross in {many}, {{near}}; they are joined into one"
    return replace(_defect("crossing", len(pairs), marks, sentence, ()), taken=taken)


SMALL_CROSSING = 0.02
"""Share of the surface that may lie in triangles that cut each other, for the body to be computed as it is."""


def uncrossed(mesh: TriMesh, pairs: Index) -> tuple[TriMesh, bool]:
    """A closed mesh whose surface crosses itself, with shells that cross joined by the exact kernel; and whether it
    crosses itself too much still to be computed.
    """
    if signed_volume(mesh) < 0:  # it is inside out: what encloses and what is hollow are told by directions
        mesh = mesh.flipped()
    part = shell_of(mesh)
    if (part[pairs[:, 0]] != part[pairs[:, 1]]).any():
        joined = _joined(mesh, part)
        if joined is not None:
            mesh = joined
            pairs = crossing_pairs(mesh)
    if not len(pairs):
        return mesh, False
    area = triangle_normals(mesh)[1]
    share = float(area[np.unique(pairs)].sum() / area.sum())
    return mesh, len(pairs) == MOST_PAIRS or share > SMALL_CROSSING or exact_solid(mesh) is None


def exact_solid(mesh: TriMesh) -> manifold3d.Manifold | None:
    """The mesh as an exact solid; None where it is none."""
    out = manifold3d.Manifold(manifold3d.Mesh64(mesh.vertices.copy(), mesh.faces.astype(np.uint64)))
    return None if out.status() != manifold3d.Error.NoError or out.is_empty() else out


def _joined(mesh: TriMesh, part: Index) -> TriMesh | None:
    """What the shells enclose together: those that look outwards, without those that look inwards."""
    solids: list[manifold3d.Manifold] = []
    hollows: list[manifold3d.Manifold] = []
    for k in range(int(part.max()) + 1):
        shell = TriMesh(mesh.vertices, mesh.faces[part == k])
        hollow = signed_volume(shell) < 0
        found = exact_solid(weld(shell.flipped() if hollow else shell))
        if found is None:
            return None
        (hollows if hollow else solids).append(found)
    out = manifold3d.Manifold.batch_boolean(solids, manifold3d.OpType.Add) if solids else None
    if out is None or out.is_empty():
        return None
    for hollow in hollows:
        out = out - hollow
    raw = out.to_mesh64()
    return weld(make(np.asarray(raw.vert_properties)[:, :3], raw.tri_verts))


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


def shell_of(mesh: TriMesh) -> Index:
    """Which part (F,) each face belongs to, of those that hang together by vertices; numbered from 0."""
    count = len(mesh.vertices)
    a, b, c = mesh.faces.T
    graph = coo_matrix(
        (np.ones(2 * len(a), np.int8), (np.concatenate([a, b]), np.concatenate([b, c]))), shape=(count, count)
    )
    labels = connected_components(graph, directed=False)[1]
    return np.unique(labels[mesh.faces[:, 0]], return_inverse=True)[1].reshape(-1)


def shell_count(mesh: TriMesh) -> int:
    """How many parts hang together by vertices."""
    return int(shell_of(mesh).max(initial=-1)) + 1


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
    grave = [d for d in defects if d.kind != "crossing"]
    if grave:
        raise GeometryError(
            f"{name} cannot be used: " + "; ".join(d.sentence for d in grave),
            where=name,
            code="geometry." + grave[0].kind,
        )
    for defect in defects:
        welded = defect.taken or welded
        notes.append(defect.sentence)
    if signed_volume(welded) < 0:
        welded = welded.flipped()
        notes.append("it was inside out: all faces were turned round")
    return welded, notes
