"""Steps that make a mesh usable: weld, fill, unify, make solid, subdivide, decimate, scale.

Each takes a mesh and its document part and gives a new mesh; none changes its input. ``STEPS`` finds them by kind.
"""

from __future__ import annotations

from collections.abc import Callable

import manifold3d
import numpy as np
from scipy.spatial import cKDTree

from ..arrays import Array, Index
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
from .inside import winding_number
from .isosurface import surface_of_grid
from .mass import signed_volume
from .mesh import TriMesh, make, triangle_normals, weld

MOST_TRIANGLES = 2_000_000


def weld_step(mesh: TriMesh, step: Weld) -> TriMesh:
    """Joins vertices nearer than a share of the mesh's size, chains included."""
    size = mesh.size()
    if size <= 0:
        return mesh
    pairs = cKDTree(mesh.vertices).query_pairs(step.distance * size, output_type="ndarray")
    root = np.arange(len(mesh.vertices))
    for a, b in pairs:
        while root[a] != a:
            root[a] = root[root[a]]
            a = root[a]
        while root[b] != b:
            root[b] = root[root[b]]
            b = root[b]
        root[max(a, b)] = min(a, b)
    while (root[root] != root).any():
        root = root[root]
    used, inverse = np.unique(root, return_inverse=True)
    faces = inverse.reshape(-1)[mesh.faces]
    whole = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    return make(mesh.vertices[used], faces[whole])


def open_loops(mesh: TriMesh) -> list[list[int]]:
    """Rims of holes: vertices in the order that makes a filling face look outwards. Rims that branch are walked as far
    as they go.
    """
    edges = np.concatenate([mesh.faces[:, [0, 1]], mesh.faces[:, [1, 2]], mesh.faces[:, [2, 0]]])
    key = np.sort(edges, axis=1)
    _, inverse, count = np.unique(key, axis=0, return_inverse=True, return_counts=True)
    rim = edges[count[inverse.reshape(-1)] == 1]
    after: dict[int, list[int]] = {}
    for a, b in rim[:, ::-1].tolist():  # the missing face runs along the edge the other way
        after.setdefault(a, []).append(b)
    loops: list[list[int]] = []
    for start in list(after):
        while after.get(start):
            loop, at = [start], after[start].pop()
            while at != start and after.get(at):
                loop.append(at)
                at = after[at].pop()
            if at == start and len(loop) >= 3:
                loops.append(loop)
    return loops


def fill_step(mesh: TriMesh, step: FillHoles) -> TriMesh:
    """Closes every rim: three corners by one triangle, more by a fan round their middle."""
    mesh = weld(mesh)
    vertices, faces = [mesh.vertices], [mesh.faces]
    count = len(mesh.vertices)
    for loop in open_loops(mesh):
        ring = np.array(loop)
        if len(ring) == 3:
            faces.append(ring[None, :])
            continue
        vertices.append(mesh.vertices[ring].mean(axis=0, keepdims=True))
        faces.append(np.stack([ring, np.roll(ring, -1), np.full(len(ring), count)], axis=1))
        count += 1
    return make(np.concatenate(vertices), np.concatenate(faces))


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
    edges = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    owner = np.tile(np.arange(len(faces), dtype=np.int32), 3)
    _, inverse, count = np.unique(edges, axis=0, return_inverse=True, return_counts=True)
    inverse = inverse.reshape(-1)
    order = np.argsort(inverse, kind="stable")
    start = np.concatenate([[0], np.cumsum(count)])
    out = np.full(len(edges), -1, np.int32)
    two = np.flatnonzero(count == 2)
    a, b = order[start[two]], order[start[two] + 1]
    out[a], out[b] = owner[b], owner[a]
    return np.ascontiguousarray(out.reshape(3, -1).T)


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


def unify_step(mesh: TriMesh, step: Unify) -> TriMesh:
    """Faces of every shell agree, and every shell encloses a positive volume."""
    mesh = without_empty(weld(mesh))
    count, part, flip = shells(mesh)
    faces = np.where(flip[:, None] > 0.5, mesh.faces[:, ::-1], mesh.faces)
    for k in range(count):
        own = part == k
        if signed_volume(TriMesh(mesh.vertices, faces[own])) < 0:
            faces[own] = faces[own][:, ::-1]
    return make(mesh.vertices, faces)


def solid_step(mesh: TriMesh, step: MakeSolid) -> TriMesh:
    """The surface where the winding number is one half, on a grid; sharp edges are rounded by about a cell.

    Rims are closed and the faces made to agree first, since the winding number needs directions.
    """
    mesh = unify_step(fill_step(unify_step(mesh, Unify()), FillHoles()), Unify())
    if not len(mesh.faces):
        raise GeometryError("there is nothing to make solid: no face has an area")
    lo, hi = mesh.bounds()
    cell = float((hi - lo).max()) / step.detail
    low = lo - 1.5 * cell
    shape = tuple(int(n) + 4 for n in np.ceil((hi - lo) / cell))
    axes = [low[k] + cell * np.arange(shape[k]) for k in range(3)]
    grid = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    near, _ = cKDTree(_surface_samples(mesh, 0.5 * cell)).query(grid, distance_upper_bound=2.5 * cell)
    near = np.minimum(near, 2.5 * cell)
    # far from the surface the nearest cells decide for all: only a band and one point of each calm block need the sum
    field = np.empty(len(grid))
    band = near < 1.9 * cell
    field[band] = winding_number(mesh, grid[band])
    inside = np.zeros(len(grid))
    inside[band] = field[band] > 0.5
    volume = inside.reshape(shape)
    calm = ~band.reshape(shape)
    volume = _spread(volume, calm, mesh, grid.reshape(*shape, 3))  # type: ignore[arg-type]
    distance = np.where(volume > 0.5, near.reshape(shape), -near.reshape(shape))

    return surface_of_grid(
        distance,
        low,
        cell,
        "the mesh is too thin to be made solid at this detail; raise the detail, or give it thickness",
    )


def _surface_samples(mesh: TriMesh, spacing: float) -> Array:
    """Points on the surface no farther apart than about ``spacing``."""
    corners = mesh.vertices[mesh.faces]
    longest = np.max(np.linalg.norm(np.diff(corners[:, [0, 1, 2, 0]], axis=1), axis=2), axis=1)
    splits = np.clip(np.ceil(longest / spacing).astype(int), 1, 200)
    out = [mesh.vertices]
    for n in np.unique(splits):
        own = corners[splits == n]
        i, j = (x.ravel() for x in np.meshgrid(np.arange(n + 1), np.arange(n + 1), indexing="ij"))
        keep = i + j <= n
        a, b = i[keep] / n, j[keep] / n
        out.append(
            (
                (1 - a - b)[None, :, None] * own[:, None, 0]
                + a[None, :, None] * own[:, None, 1]
                + b[None, :, None] * own[:, None, 2]
            ).reshape(-1, 3)
        )
    return np.concatenate(out)


def _spread(volume: Array, calm: Array, mesh: TriMesh, grid: Array) -> Array:
    """Fill calm regions (no surface near) with what one winding number in each says."""
    from scipy.ndimage import label

    regions, count = label(calm)
    if count:
        first = np.array([np.argmax(regions.ravel() == k + 1) for k in range(count)])
        values = winding_number(mesh, grid.reshape(-1, 3)[first]) > 0.5
        volume = np.where(calm, np.concatenate([[0.0], values.astype(float)])[regions], volume)
    return volume


def subdivide_step(mesh: TriMesh, step: Subdivide) -> TriMesh:
    """Every triangle into four, the surface unchanged."""
    for _ in range(step.times):
        if 4 * len(mesh.faces) > MOST_TRIANGLES:
            raise GeometryError(
                f"subdividing once more would give {4 * len(mesh.faces):,} triangles; the limit is "
                f"{MOST_TRIANGLES:,}. Subdivide fewer times"
            )
        edges = np.sort(np.concatenate([mesh.faces[:, [0, 1]], mesh.faces[:, [1, 2]], mesh.faces[:, [2, 0]]]), axis=1)
        unique, inverse = np.unique(edges, axis=0, return_inverse=True)
        middle = mesh.vertices[unique].mean(axis=1)
        ab, bc, ca = (inverse.reshape(3, -1) + len(mesh.vertices)).astype(np.int32)
        a, b, c = mesh.faces.T
        faces = np.stack(
            [np.stack(t, axis=1) for t in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))], axis=1
        ).reshape(-1, 3)
        mesh = make(np.concatenate([mesh.vertices, middle]), faces)
    return mesh


def decimate_step(mesh: TriMesh, step: Decimate) -> TriMesh:
    """Collapses edges within a tolerance, found so that about the wanted share of triangles is left. Needs a closed
    mesh.
    """
    mesh = weld(mesh)
    source = manifold3d.Manifold(manifold3d.Mesh64(mesh.vertices, mesh.faces.astype(np.uint64)))
    if source.status() != manifold3d.Error.NoError:
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
    return make(np.asarray(raw.vert_properties)[:, :3], raw.tri_verts)


def scale_step(mesh: TriMesh, step: ScaleMesh) -> TriMesh:
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


def apply_steps(mesh: TriMesh, steps: list[MeshStep], ask: Ask) -> TriMesh:
    """The mesh after all steps, in order; ``ask`` gives values of falloffs. Raises GeometryError where a step cannot be
    done.
    """
    for step in steps:
        mesh = displace_step(mesh, step, ask) if isinstance(step, DisplaceMesh) else STEPS[step.kind](mesh, step)
    return mesh
