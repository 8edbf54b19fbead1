"""Steps that make a mesh usable: weld, fill, unify, make solid, subdivide, decimate, scale.

Each takes a mesh and its document part, gives a new mesh, and says what it did; none changes its input, and those that
mend never leave more faults than there were. ``STEPS`` finds them by kind; ``mending`` picks and orders them.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from ..arrays import Array, Index, Mask, cross
from ..document import (
    Decimate,
    DisplaceMesh,
    FillHoles,
    MakeSolid,
    MeshStep,
    ScaleMesh,
    StillFalloff,
    Subdivide,
    Unify,
    Weld,
)
from ..errors import GeometryError
from ..kernels import kernel
from .branching import without_fins
from .check import diagnose, exact_solid, faults, solid
from .crossings import crossing_pairs
from .mesh import TriMesh, edges_of, make, triangle_normals, weld
from .rims import MOST_CORNERS, close_rim, open_loops
from .tetrahedra import surface as marched
from .tree import MeshDistance
from .winding import WindingTree

MOST_TRIANGLES = 2_000_000
Told = list[str]
"""Gets a sentence: what a step did."""
NOTHING_TO_GAIN = "nothing to gain"
"""How that sentence begins where a step left the mesh as it was."""


def counted(number: int, one: str, many: str = "") -> str:
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def better(made: TriMesh, came: TriMesh, said: str, told: Told) -> TriMesh:
    """What a step made, or the mesh as it came where that has fewer faults; says which."""
    if np.array_equal(made.faces, came.faces) and np.array_equal(made.vertices, came.vertices):
        told.append(NOTHING_TO_GAIN)
        return came
    had, left, what = faults(came), faults(made), "fault"
    if had == left == 0:
        had, left, what = len(crossing_pairs(came)), len(crossing_pairs(made)), "crossing"
    if left > had:
        there = f"there {'is' if had == 1 else 'are'} {had:,}"
        told.append(f"{NOTHING_TO_GAIN}: it would leave {counted(left, what)} where {there}")
        return came
    told.append(said)
    return made


def weld_step(mesh: TriMesh, step: Weld, told: Told) -> TriMesh:
    """Joins vertices nearer than a share of the mesh's size, chains included; nearer ones only, where joining farther
    ones would tear the surface elsewhere.
    """
    size = mesh.size()
    if size <= 0:
        return mesh
    had = faults(mesh)
    best, least, used = mesh, had, 0.0
    for distance in step.distance * 0.25 ** np.arange(5):
        tried = _welded(mesh, distance * size)
        if (left := faults(tried)) < least or used == 0.0 and left == least:
            best, least, used = tried, left, distance
        if least == 0:
            break
    gone = len(mesh.vertices) - len(best.vertices)
    if not gone:
        told.append(f"{NOTHING_TO_GAIN}: no vertices lie so close together that joining them helps")
        return mesh
    nearer = "" if used == step.distance else f", nearer than {used * size:.3g} m: farther ones would tear it elsewhere"
    return better(best, mesh, f"{counted(gone, 'vertex', 'vertices')} joined{nearer}", told)


def _welded(mesh: TriMesh, distance: float) -> TriMesh:
    pairs = cKDTree(mesh.vertices).query_pairs(distance, output_type="ndarray")
    graph = coo_matrix((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(len(mesh.vertices),) * 2)
    label = connected_components(graph, directed=False)[1]
    _, first = np.unique(label, return_index=True)  # numbered by the first vertex of each
    faces = label[mesh.faces]
    whole = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    return make(mesh.vertices[first], faces[whole])


def fill_step(mesh: TriMesh, step: FillHoles, told: Told) -> TriMesh:
    """Closes every rim by the triangles of least area that need no edge twice; long ones by a fan round their middle;
    not those of single triangles, which would be shut in on themselves.
    """
    mesh = weld(mesh)
    vertices, faces = [mesh.vertices], [mesh.faces]
    count, loops = len(mesh.vertices), open_loops(mesh)
    single = set(map(tuple, np.sort(mesh.faces, axis=1).tolist())) if loops else set()
    loops = [loop for loop in loops if len(loop) != 3 or tuple(sorted(loop)) not in single]
    joined = set(map(tuple, edges_of(mesh.faces).ends.tolist())) if loops else set()
    for loop in loops:
        ring = np.array(loop)
        over = _closing(mesh, loop, joined)
        if over is None:
            vertices.append(mesh.vertices[ring].mean(axis=0, keepdims=True))
            over = np.stack([ring, np.roll(ring, -1), np.full(len(ring), count)], axis=1)
            count += 1
        faces.append(over)
        for face in over.tolist():
            joined.update((min(a, b), max(a, b)) for a, b in zip(face, face[1:] + face[:1], strict=True))
    filled = make(np.concatenate(vertices), np.concatenate(faces))
    return better(filled, mesh, f"{counted(len(loops), 'hole')} closed", told)


def _closing(mesh: TriMesh, loop: list[int], joined: set[tuple[int, int]]) -> Index | None:
    """Triangles over a rim that use no edge that is there; None where there are none."""
    n = len(loop)
    if n > MOST_CORNERS:
        return None
    taken = np.zeros((n, n), np.uint8)
    for i in range(n):
        for j in range(i + 1, n):
            taken[i, j] = (min(loop[i], loop[j]), max(loop[i], loop[j])) in joined
    over = close_rim(mesh.vertices[loop], taken)
    return None if over is None else np.array(loop, np.int32)[over]


@kernel(allocates=True)
def _turn_alike(faces: Index, other: Index, flip: Array, part: Index) -> int:
    """Walks over neighbours (F, 3; -1 for none) and notes which faces must be turned; part gets each face's shell
    number.
    """
    queue = np.empty(len(faces), np.int32)
    parts = 0
    for first in range(len(faces)):
        if part[first] >= 0:
            continue
        part[first] = parts
        queue[0] = first
        head, tail = 0, 1
        while head < tail:
            f = queue[head]
            head += 1
            for k in range(3):
                g = other[f, k]
                if g < 0 or part[g] >= 0:
                    continue
                a, b = faces[f, k], faces[f, (k + 1) % 3]
                same = False  # does g run along the edge in the same direction as f?
                for m in range(3):
                    if faces[g, m] == a and faces[g, (m + 1) % 3] == b:
                        same = True
                flip[g] = 1.0 - flip[f] if same else flip[f]
                part[g] = parts
                queue[tail] = g
                tail += 1
        parts += 1
    return parts


def neighbours(faces: Index) -> Index:
    """(F, 3) the face across each edge (k, k + 1), -1 where there is none or more than one."""
    _, number, count = edges_of(faces)
    side = np.flatnonzero(count[number.ravel()] == 2)
    order = side[np.argsort(number.ravel()[side], kind="stable")]
    a, b = order[0::2], order[1::2]
    out = np.full(3 * len(faces), -1, np.int32)
    out[a], out[b] = b // 3, a // 3
    return out.reshape(-1, 3)


def shells(mesh: TriMesh) -> tuple[int, Index, Array]:
    """How many shells hang together along edges, each face's shell (F,), and which faces (F,) must turn to agree within
    theirs.
    """
    flip, part = np.zeros(len(mesh.faces)), np.full(len(mesh.faces), -1, np.int32)
    count = _turn_alike(mesh.faces, neighbours(mesh.faces), flip, part)
    return count, part, flip


def without_empty(mesh: TriMesh) -> TriMesh:
    """The mesh without doubled faces and faces without area."""
    _, area = triangle_normals(mesh)
    keep = area > 1e-14 * mesh.size() ** 2
    faces = mesh.faces[keep]
    _, first = np.unique(np.sort(faces, axis=1), axis=0, return_index=True)
    return make(mesh.vertices, faces[np.sort(first)])


def unify_step(mesh: TriMesh, step: Unify, told: Told) -> TriMesh:
    """Faces of every shell agree, and every shell encloses a positive volume; what hangs on a surface and encloses
    nothing goes.
    """
    came = weld(mesh)
    mesh = without_fins(without_empty(came))
    count, part, flip = shells(mesh)
    faces = np.where(flip[:, None] > 0.5, mesh.faces[:, ::-1], mesh.faces)
    a, b, c = np.moveaxis(mesh.vertices[faces] - mesh.vertices.mean(axis=0), 1, 0)
    inwards = np.bincount(part, np.einsum("ij,ij->i", a, cross(b, c)), count) < 0
    faces = np.where(inwards[part][:, None], faces[:, ::-1], faces)
    turned = int((faces != mesh.faces).any(axis=1).sum())
    said = f"{counted(turned, 'face')} turned, {counted(len(came.faces) - len(faces), 'face')} left out"
    return better(make(mesh.vertices, faces), came, said, told)


def solid_step(mesh: TriMesh, step: MakeSolid, told: Told) -> TriMesh:
    """The surface where the winding number is one half, on a grid, with fewer triangles within a fifth of its cell;
    sharp edges are rounded by about a cell. It is closed and never crosses itself.

    Corners are joined, rims closed and the faces made to agree first, since the winding number needs directions.
    """
    for kind in (Weld(distance=1e-5), Unify(), FillHoles(), Unify()):
        mesh = STEPS[kind.kind](mesh, kind, [])
    if not len(mesh.faces):
        raise GeometryError("there is nothing to make solid: no face has an area")
    lo, hi = mesh.bounds()
    cell = float((hi - lo).max()) / step.detail
    low = lo - 1.5 * cell
    shape = tuple(int(n) + 4 for n in np.ceil((hi - lo) / cell))
    axes = [low[k] + cell * np.arange(shape[k]) for k in range(3)]
    grid = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    asked = MeshDistance.of(mesh)
    near = asked.distance(grid, 2.5 * cell)
    # far from the surface the nearest cells decide for all: only a band and one point of each calm block are asked
    band = near < 1.9 * cell
    winding = WindingTree(mesh)
    inside = np.zeros(len(grid))
    inside[band] = winding(grid[band]) > 0.5
    volume = _spread(inside.reshape(shape), ~band.reshape(shape), winding, grid.reshape(*shape, 3))
    distance = np.where(volume > 0.5, near.reshape(shape), -near.reshape(shape))
    if not (distance > 0.0).any():
        raise GeometryError(
            "the mesh is too thin to be made solid at this detail; raise the detail, or give it thickness"
        )
    out = simplified(marched(distance, low, cell), 0.2 * cell)
    new, old = asked.distance(out.vertices, np.inf), MeshDistance.of(out).distance(mesh.vertices, np.inf)
    off = max(float(new.max()), float(old.max()))
    told.append(f"{len(out.faces):,} triangles; corners of both are no farther than {off:.3g} m from the other")
    return out


def simplified(mesh: TriMesh, tolerance: float) -> TriMesh:
    """The mesh with fewer triangles, no farther than a tolerance [m] away, and still free of crossings: with less
    tolerance where need be, or as it was.
    """
    source = exact_solid(mesh)
    for share in (1.0, 0.5, 0.25):
        if source is None:
            break
        raw = source.simplify(share * tolerance).to_mesh64()
        tried = make(np.asarray(raw.vert_properties)[:, :3], raw.tri_verts)
        if len(tried.faces) and not diagnose(tried):
            return tried
    return mesh


def _spread(volume: Array, calm: Mask, winding: WindingTree, grid: Array) -> Array:
    """Fill calm regions (no surface near) with what one winding number in each says."""
    from scipy.ndimage import label  # takes longer to load than what most commands do

    regions, count = label(calm)
    if count:
        _, first = np.unique(regions.ravel(), return_index=True)
        values = winding(grid.reshape(-1, 3)[first[-count:]]) > 0.5
        volume = np.where(calm, np.concatenate([[0.0], values.astype(float)])[regions], volume)
    return volume


def subdivide_step(mesh: TriMesh, step: Subdivide, told: Told) -> TriMesh:
    """Every triangle into four, the surface unchanged."""
    for _ in range(step.times):
        if 4 * len(mesh.faces) > MOST_TRIANGLES:
            raise GeometryError(
                f"subdividing once more would give {4 * len(mesh.faces):,} triangles; the limit is "
                f"{MOST_TRIANGLES:,}. Subdivide fewer times"
            )
        ends, number, _ = edges_of(mesh.faces)
        middle = mesh.vertices[ends].mean(axis=1)
        ab, bc, ca = (number.T + len(mesh.vertices)).astype(np.int32)
        a, b, c = mesh.faces.T
        faces = np.stack(
            [np.stack(t, axis=1) for t in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))], axis=1
        ).reshape(-1, 3)
        mesh = make(np.concatenate([mesh.vertices, middle]), faces)
    told.append(f"{len(mesh.faces):,} triangles")
    return mesh


def decimate_step(mesh: TriMesh, step: Decimate, told: Told) -> TriMesh:
    """Collapses edges within a tolerance, found so that about the wanted share of triangles is left. Needs a closed
    mesh.
    """
    mesh = weld(mesh)
    source = exact_solid(mesh)
    if source is None:
        raise GeometryError("only a closed mesh can be decimated; fill its holes or make it solid first")
    wanted = max(4, round(step.keep * len(mesh.faces)))
    low, high, best = 0.0, 0.1 * mesh.size(), source
    for _ in range(18):
        middle = 0.5 * (low + high)
        tried = source.simplify(middle)
        if tried.num_tri() >= wanted and not tried.is_empty():
            best, low = tried, middle
        else:
            high = middle
    raw = best.to_mesh64()
    told.append(f"{best.num_tri():,} of {len(mesh.faces):,} triangles are left")
    return make(np.asarray(raw.vert_properties)[:, :3], raw.tri_verts)


def scale_step(mesh: TriMesh, step: ScaleMesh, told: Told) -> TriMesh:
    return make(mesh.vertices * np.asarray(step.by), mesh.faces)


STEPS: dict[str, Callable[..., TriMesh]] = {
    "weld": weld_step,
    "fill": fill_step,
    "unify": unify_step,
    "solid": solid_step,
    "subdivide": subdivide_step,
    "decimate": decimate_step,
    "scale": scale_step,
}


Ask = Callable[[StillFalloff, Array], Array]
"""Values (n,) of a falloff at points (n, 3); handed in by the caller."""


def displace_step(mesh: TriMesh, step: DisplaceMesh, ask: Ask) -> TriMesh:
    """Vertices moved by the value at each: along the mean of the normals of the faces round it, weighed by area, and by
    an offset. Vertices in one place move together.
    """
    normals, areas = triangle_normals(mesh)
    weight = normals * areas[:, None]
    _, place = np.unique(mesh.vertices, axis=0, return_inverse=True)
    place = place.reshape(-1)
    normal = np.zeros((len(mesh.vertices), 3))
    for corner in range(3):
        np.add.at(normal, place[mesh.faces[:, corner]], weight)
    normal = normal[place]
    length = np.linalg.norm(normal, axis=1, keepdims=True)
    share = ask(step.reach, mesh.vertices)[:, None]
    return TriMesh(
        mesh.vertices + share * (step.by * normal / np.where(length > 0, length, 1.0) + np.asarray(step.offset)),
        mesh.faces,
    )


def apply_steps(mesh: TriMesh, steps: list[MeshStep], ask: Ask, told: Told | None = None) -> TriMesh:
    """The mesh after all steps, in order; ``ask`` gives values of falloffs. ``told`` gets a sentence of each step: what
    it did. Raises GeometryError where a step cannot be done.
    """
    for step in steps:
        said: Told = []
        mesh = displace_step(mesh, step, ask) if isinstance(step, DisplaceMesh) else STEPS[step.kind](mesh, step, said)
        if told is not None:
            told.append(said[0] if said else "")
    return mesh


MENDS: tuple[tuple[MeshStep, ...], ...] = (
    (),
    (Unify(),),
    (Weld(),),
    (Weld(), Unify()),
    (FillHoles(),),
    (Unify(), FillHoles(), Unify()),
    (Weld(), Unify(), FillHoles(), Unify()),
    (MakeSolid(),),
    (MakeSolid(detail=128),),
)
"""Ways of mending a mesh, the gentlest first."""


def mending(mesh: TriMesh) -> tuple[list[MeshStep], TriMesh] | None:
    """The gentlest steps after which the mesh is a solid, and the mesh after them; None where none of the ways leads
    there.
    """
    done: dict[str, tuple[TriMesh, str]] = {"": (mesh, "")}
    for way in MENDS:
        so_far, now, useful = "", mesh, []
        try:
            for step in way:
                so_far += step.model_dump_json()
                if so_far not in done:
                    told: Told = []
                    done[so_far] = STEPS[step.kind](now, step, told), told[0]
                after, said = done[so_far]
                if not said.startswith(NOTHING_TO_GAIN):
                    now = after
                    useful.append(step)
            solid(now, "the mesh")
        except GeometryError:
            continue
        return useful, now
    return None
