"""Elements, factors and levels of deformable bodies against derivatives, dense algebra and slow twins."""

from __future__ import annotations

from itertools import combinations
from typing import Any

import numpy as np
import pytest
from scipy import sparse

from dynaclast.core.geometry.primitives import flat_sheet, sphere
from dynaclast.core.kernels import kernel
from dynaclast.core.solve.deformable.bending import add_curves, bending_matrix, chain_bending, curvature_of, curved_rest
from dynaclast.core.solve.deformable.chain import factor_chain, make_chain_factor, solve_chain
from dynaclast.core.solve.deformable.cycle import coarsen_blocks, cycle, invert_diagonals
from dynaclast.core.solve.deformable.exposure import project_faces, project_segments
from dynaclast.core.solve.deformable.factor import PANEL, factored, panels, solve_factored
from dynaclast.core.solve.deformable.lattice import (
    add_lattice,
    boundary,
    cube_stresses,
    lame,
    shape_gradients,
    stiffness_bound,
    tetrahedra_of,
)
from dynaclast.core.solve.deformable.levels import NEAREST, SMALL, body_levels, keep, lie_between, stack_levels
from dynaclast.core.solve.deformable.membrane import add_membrane, membrane_energy, membrane_stiffness
from dynaclast.core.solve.deformable.pattern import (
    add_block_product,
    add_scalar_product,
    block_of,
    block_pattern,
    complete_rows,
    neighbours,
    scalar_rows,
)
from dynaclast.core.solve.deformable.segments import add_segments
from dynaclast.core.solve.deformable.tables import CurveTable, LatticeTable, MembraneTable, SegmentTable


@kernel
def _membrane(table, x, damping, force, blocks):  # type: ignore[no-untyped-def]
    add_membrane(table, 0, len(table.vertex), x, damping, force, blocks)


@kernel
def _segments(table, x, damping, force, blocks):  # type: ignore[no-untyped-def]
    add_segments(table, 0, len(table.vertex), x, damping, force, blocks)


@kernel
def _add_lattice(table, x, v, force):  # type: ignore[no-untyped-def]
    add_lattice(table, 0, len(table.mu), x, v, force)


def _lattice(table: LatticeTable, x: np.ndarray, v: np.ndarray, force: np.ndarray) -> None:
    wide = np.zeros((len(x), 4))
    _add_lattice(table, x, v, wide)
    force += wide[:, :3]
    assert (wide[:, 3] == 0.0).all()


@kernel(allocates=True)
def _curves(table, x, force):  # type: ignore[no-untyped-def]
    add_curves(table, 0, len(table.face), 0, len(x), x, force, np.zeros_like(x))


@kernel
def _complete(pattern, count, blocks):  # type: ignore[no-untyped-def]
    complete_rows(pattern, 0, count, blocks)


@kernel
def _products(rows, pattern, blocks, count, x, out):  # type: ignore[no-untyped-def]
    add_scalar_product(rows, 0, count, x, out)
    add_block_product(pattern, blocks, 0, count, x, out)


@kernel
def _chain(rows, pattern, blocks, extra, pinned, order, factor, r, z):  # type: ignore[no-untyped-def]
    factor_chain(rows, pattern, blocks, extra, pinned, order, 0, len(order), factor)
    solve_chain(factor, order, 0, len(order), r, z)


@kernel
def _factored(table, count, r, z, work):  # type: ignore[no-untyped-def]
    solve_factored(table, 0, count, r, z, work)


@kernel
def _coarsen(pattern, levels, blocks, work):  # type: ignore[no-untyped-def]
    for level in range(len(levels.first) - 1):
        coarsen_blocks(pattern, levels, levels.first[level, 0], levels.first[level, 1], blocks, work)


@kernel
def _cycle(pattern, levels, extra, pinned, blocks, inverse, r, left, z):  # type: ignore[no-untyped-def]
    for level in range(len(levels.first)):
        first, last = levels.first[level, 0], levels.first[level, 1]
        invert_diagonals(pattern, levels.mass, extra, pinned, first, last, blocks, inverse)
    cycle(pattern, levels, 0, blocks, inverse, r, left, z)


def sheet(cells: int = 5, seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    """A flat sheet with vertices moved about in its plane, and its triangles."""
    mesh = flat_sheet((1.0, 1.0), (cells, cells))
    move = np.random.default_rng(seed).uniform(-0.2, 0.2, mesh.vertices.shape) / cells
    inner = (np.abs(mesh.vertices[:, [0, 2]]) < 0.499).all(axis=1)
    return mesh.vertices + move * [1, 0, 1] * inner[:, None], mesh.faces


def membrane(
    x: np.ndarray, faces: np.ndarray, stretch: tuple[float, float] = (900.0, 400.0), shear: float = 200.0
) -> tuple[MembraneTable, Any]:
    low = np.sort(faces, axis=1).astype(np.int32)
    warp = np.tile([1.0, 0.0, 0.0], (len(low), 1))
    given = np.tile(stretch, (len(low), 1)), np.full(len(low), shear)
    length2, stiffness = membrane_stiffness(x[low], warp, *given)
    pairs = np.concatenate([low[:, [0, 1]], low[:, [0, 2]], low[:, [1, 2]]])
    pattern = block_pattern(pairs, len(x))
    block = np.stack([block_of(pattern, low[:, a], low[:, b]) for a, b in ((0, 1), (0, 2), (1, 2))], axis=1)
    return MembraneTable(low, length2, stiffness, block.astype(np.int32)), pattern


def dense(pattern: Any, blocks: np.ndarray, first: int = 0, last: int | None = None) -> np.ndarray:
    last = len(pattern.start) - 1 if last is None else last
    out = np.zeros((last - first, 3, last - first, 3))
    for i in range(first, last):
        for e in range(pattern.start[i], pattern.start[i + 1]):
            j = pattern.column[e]
            out[i - first, :, j - first, :] = blocks[e]
            out[j - first, :, i - first, :] = blocks[e].T
    return out.reshape(3 * (last - first), -1)


def assembled(
    kernel_of: Any, table: Any, pattern: Any, x: np.ndarray, damping: float = 1.0
) -> tuple[np.ndarray, np.ndarray]:
    force, blocks = np.zeros_like(x), np.zeros((len(pattern.column), 3, 3))
    kernel_of(table, x, damping, force, blocks)
    _complete(pattern, len(x), blocks)
    return force, blocks


def slope(energy: Any, x: np.ndarray, step: float = 1e-6) -> np.ndarray:
    out = np.zeros(x.size)
    for k in range(x.size):
        d = np.zeros(x.size)
        d[k] = step
        out[k] = (energy(x + d.reshape(x.shape)) - energy(x - d.reshape(x.shape))) / (2 * step)
    return out.reshape(x.shape)


# -------------------------------------------------------------------------------- membrane


def test_a_stretched_and_sheared_sheet_stores_what_the_material_says() -> None:
    x, faces = sheet()
    table, _ = membrane(x, faces)
    strain = np.array([[0.03, 0.02], [0.02, -0.01]])
    deformation = np.linalg.cholesky(np.eye(2) + 2 * strain).T  # F'F = 1 + 2 E
    moved = x.copy()
    moved[:, [0, 2]] = x[:, [0, 2]] @ deformation.T
    out = np.zeros(len(faces))
    membrane_energy(table, moved, out)
    # the second thread lies along z: both shear strains count once
    expected = 0.5 * (900 * 0.03**2 + 400 * 0.01**2 + 200 * (2 * 0.02) ** 2)
    assert out.sum() == pytest.approx(expected, rel=1e-9)


def test_forces_of_a_membrane_are_the_slope_of_its_energy_and_its_matrix_that_of_its_forces() -> None:
    x, faces = sheet(3)
    table, pattern = membrane(x, faces)
    rng = np.random.default_rng(2)
    taut = 1.2 * x + 0.05 * rng.normal(size=x.shape)

    def energy(at: np.ndarray) -> float:
        out = np.zeros(len(faces))
        membrane_energy(table, at, out)
        return float(out.sum())

    force, blocks = assembled(_membrane, table, pattern, taut)
    assert force == pytest.approx(-slope(energy, taut), abs=2e-5)
    way = rng.normal(size=x.shape)
    ahead, behind = (assembled(_membrane, table, pattern, taut + s * 1e-6 * way)[0] for s in (1, -1))
    by_forces = -(ahead - behind).ravel() / 2e-6
    found = dense(pattern, blocks)
    # of right angles that are stretched alike, no edge is pressed: nothing is left out
    flat = flat_sheet((1.0, 1.0), (3, 3))
    even, pattern_even = membrane(flat.vertices, flat.faces, stretch=(900.0, 900.0))
    _, blocks = assembled(_membrane, even, pattern_even, 1.3 * flat.vertices)
    ahead, behind = (assembled(_membrane, even, pattern_even, 1.3 * flat.vertices + s * 1e-6 * way)[0] for s in (1, -1))
    whole = dense(pattern_even, blocks) @ way.ravel()
    assert whole == pytest.approx(-(ahead - behind).ravel() / 2e-6, rel=1e-5, abs=1e-3)
    # elsewhere, what is left out would have pulled down: the matrix is never less than the slope, and positive
    assert way.ravel() @ found @ way.ravel() >= way.ravel() @ by_forces - 1e-6
    assert np.linalg.eigvalsh(found).min() > -1e-9 * np.linalg.eigvalsh(found).max()


def test_a_membrane_that_only_moves_and_turns_feels_nothing() -> None:
    x, faces = sheet()
    table, pattern = membrane(x, faces)
    turn, _ = np.linalg.qr(np.random.default_rng(3).normal(size=(3, 3)))
    force, blocks = assembled(_membrane, table, pattern, x @ turn.T + [1, 2, 3], damping=1.5)
    assert np.abs(force).max() < 1e-9
    assert np.abs(dense(pattern, blocks).sum(axis=1)).max() < 1e-6


# ---------------------------------------------------------------------------- ropes, bending


def test_a_segment_pulls_by_its_stretch_and_resists_across_by_its_tension() -> None:
    x = np.array([[0.0, 0, 0], [1.1, 0, 0], [1.1, 0.8, 0]])
    pattern = block_pattern(np.array([[0, 1], [1, 2]]), 3)
    pairs = np.array([[0, 1], [1, 2]], np.int32)
    table = SegmentTable(pairs, np.ones(2), np.array([50.0, 80.0]), block_of(pattern, pairs[:, 0], pairs[:, 1]))
    force, blocks = assembled(_segments, table, pattern, x)
    assert force == pytest.approx(np.array([[5.0, 0, 0], [-5, -16, 0], [0, 16, 0]]))
    m = dense(pattern, blocks)
    assert m[0, 0] == pytest.approx(50) and m[1, 1] == pytest.approx(5 / 1.1)  # T / l across a taut one
    assert m[6, 6] == pytest.approx(0) and m[7, 7] == pytest.approx(80)  # nothing across a slack one


@pytest.mark.parametrize("moved", [0.0, 0.25])
@pytest.mark.parametrize("angle", [0.0, 0.6])
def test_a_sheet_bent_to_a_cylinder_stores_half_its_stiffness_times_curvature_squared(
    angle: float, moved: float
) -> None:
    mesh = flat_sheet((1.0, 0.6), (50, 30))
    inner = (np.abs(mesh.vertices[:, [0, 2]]) < [0.499, 0.299]).all(axis=1)
    move = moved / 50 * np.random.default_rng(1).uniform(-1, 1, mesh.vertices.shape) * [1, 0, 1]
    x = mesh.vertices + move * inner[:, None]
    q = bending_matrix(curvature_of(x, mesh.faces), 3.0)
    assert np.abs(q @ x).max() < 1e-6
    radius, c, s = 2.0, np.cos(angle), np.sin(angle)
    along, across = c * x[:, 0] + s * x[:, 2], c * x[:, 2] - s * x[:, 0]
    bent = np.stack([radius * np.sin(along / radius), radius * (1 - np.cos(along / radius)), across], axis=1)
    energy = 0.5 * np.einsum("ic,ic->", bent, q @ bent)
    assert energy == pytest.approx(0.5 * 3.0 * 0.6 / radius**2, rel=0.02 if moved == 0 else 0.1)


def test_the_area_of_a_mesh_is_that_of_its_vertices_and_rims_give_theirs_away() -> None:
    x, faces = sheet(6)
    found = curvature_of(x, faces)
    assert found.area.sum() == pytest.approx(1.0) and found.counted.sum() == pytest.approx(1.0, rel=0.03)
    rim = (np.abs(x[:, [0, 2]]) > 0.499).any(axis=1)
    assert found.counted[rim].max() == 0.0 and np.abs(found.laplacian[np.flatnonzero(rim)]).max() == 0.0


def test_what_is_curved_at_rest_stays_so_and_what_is_flat_needs_nothing() -> None:
    mesh = sphere(0.5, 24)
    found = curvature_of(mesh.vertices, mesh.faces)
    q, rest = bending_matrix(found, 2.0), curved_rest(found, mesh.vertices, mesh.faces, 2.0)
    flat = sheet(4)
    assert rest is not None and curved_rest(curvature_of(*flat), *flat, 2.0) is None
    force = -(q @ mesh.vertices)
    before = np.abs(force).max()
    _curves(CurveTable(rest.face, scalar_rows(rest.matrix)), mesh.vertices, force)
    assert before > 0.1 and np.abs(force).max() < 0.1 * before


def test_a_bent_line_stores_half_its_stiffness_times_curvature_squared() -> None:
    length = np.random.default_rng(1).uniform(0.02, 0.04, 60)
    at = np.concatenate([[0], np.cumsum(length)]) / 1.5
    arc = 1.5 * np.stack([np.sin(at), 1 - np.cos(at), 0 * at], axis=1)
    energy = 0.5 * np.einsum("ic,ic->", arc, chain_bending(length, 7.0) @ arc)
    assert energy == pytest.approx(0.5 * 7.0 * length.sum() / 1.5**2, rel=0.03)
    assert chain_bending(length[:1], 7.0).nnz == 0


# ------------------------------------------------------------------------------------ soft


def block(cells: tuple[int, int, int] = (3, 2, 2)) -> tuple[np.ndarray, np.ndarray]:
    places = np.stack(np.meshgrid(*(np.arange(n) for n in cells), indexing="ij"), axis=-1).reshape(-1, 3)
    corner, tets = tetrahedra_of(places)
    return 0.1 * corner.astype(float), tets


def lattice(
    x: np.ndarray, tets: np.ndarray, young: float = 1e5, poisson: float = 0.4, viscosity: float = 0.0
) -> LatticeTable:
    gradient, volume = shape_gradients(x, tets.reshape(-1, 4))
    mu, lam = lame(young, poisson)
    full = np.ones(len(tets))
    start = (6 * np.arange(len(tets) + 1)).astype(np.int32)
    return LatticeTable(
        tets.reshape(-1, 4).astype(np.int32), gradient, volume, start, mu * full, lam * full, viscosity * full
    )


def lattice_energy(table: LatticeTable, x: np.ndarray) -> float:
    """The energy as the module's page gives it."""
    f = np.einsum("tka,tkb->tab", x[table.vertex], table.gradient)
    j, v = np.linalg.det(f).reshape(-1, 6), table.volume.reshape(-1, 6)
    mean = ((v * j).sum(axis=1) / v.sum(axis=1))[:, None]
    own = 0.05 * j + 0.95 * mean
    shape = 0.5 * table.mu[:, None] * ((f**2).sum(axis=(1, 2)).reshape(-1, 6) - 3)
    return float((v * (shape + 0.5 * table.lam[:, None] * (own - 1 - (table.mu / table.lam)[:, None]) ** 2)).sum())


def test_forces_of_a_lattice_are_the_slope_of_its_energy() -> None:
    x, tets = block()
    table = lattice(x, tets)
    at = x * [1.1, 0.9, 1.05] + 0.01 * np.random.default_rng(4).normal(size=x.shape)
    force = np.zeros_like(x)
    _lattice(table, at, np.zeros_like(x), force)
    assert force == pytest.approx(-slope(lambda y: lattice_energy(table, y), at), rel=1e-4, abs=1e-3)
    assert np.abs(force.sum(axis=0)).max() < 1e-9
    assert np.abs(np.cross(at, force).sum(axis=0)).max() < 1e-9


def test_stresses_of_cubes_are_the_slope_of_their_energy_by_how_they_deform() -> None:
    x, tets = block()
    table = lattice(x, tets)
    for k in (0, 7):
        f = np.eye(3) + 0.1 * np.random.default_rng(k).normal(size=(3, 3))
        stress, cofactor = cube_stresses(table, np.array([0, 5]), x @ f.T)
        by_energy = slope(lambda g: lattice_energy(table, x @ g.T), f) / table.volume.sum()
        for cube in range(2):
            assert stress[cube] == pytest.approx(by_energy, rel=1e-4, abs=1e-2)
            assert cofactor[cube] == pytest.approx(np.linalg.det(f) * np.linalg.inv(f).T)
    bent = x + 0.02 * np.random.default_rng(3).normal(size=x.shape)
    force = np.zeros_like(x)
    _lattice(table, bent, np.zeros_like(x), force)
    stress, _ = cube_stresses(table, np.arange(len(tets)), bent)
    balance = (stress * table.volume.reshape(-1, 6).sum(axis=1)[:, None, None]).sum(axis=0)
    assert balance == pytest.approx(-force.T @ x, rel=1e-9, abs=1e-9)  # the virial


def test_a_lattice_at_rest_or_turned_feels_nothing_and_its_damping_not_a_turn() -> None:
    x, tets = block()
    table = lattice(x, tets, viscosity=50.0)
    turn, _ = np.linalg.qr(np.random.default_rng(5).normal(size=(3, 3)))
    turn *= np.sign(np.linalg.det(turn))
    at, force = x @ turn.T, np.zeros_like(x)
    _lattice(table, at, np.cross([1.0, 2.0, 3.0], at) + [1, 0, 0], force)
    assert np.abs(force).max() < 1e-9
    _lattice(table, at, at, force)  # it grows: damping holds it together, and takes energy away
    assert (force * at).sum() < -0.1


def test_cubes_share_their_corners_and_are_filled() -> None:
    x, tets = block((3, 3, 2))
    _, volume = shape_gradients(x, tets.reshape(-1, 4))
    assert len(x) == 4 * 4 * 3 and volume.min() > 0 and volume.sum() == pytest.approx(18e-3)
    _, faces = boundary(tets.reshape(-1, 4))
    assert len(faces) == 4 * (9 + 6 + 6)  # two triangles each of 9 + 6 + 6 squares, on both sides
    corner = x[faces]
    normal = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    assert np.einsum("fc,fc->", normal, corner[:, 0]) / 6 == pytest.approx(18e-3)  # outwards, closed


def test_a_constant_matrix_is_solved_exactly() -> None:
    x, tets = block()
    gradient, volume = shape_gradients(x, tets.reshape(-1, 4))
    matrix = stiffness_bound(len(x), tets.reshape(-1, 4), gradient, 1e5 * volume) + sparse.diags(
        np.linspace(1, 3, len(x))
    )
    r, z, work = np.random.default_rng(6).normal(size=x.shape), np.zeros_like(x), np.zeros((len(x), 4))
    _factored(factored(matrix.tocsr()), len(x), r, z, work)
    assert z == pytest.approx(np.linalg.solve(matrix.toarray(), r), rel=1e-9, abs=1e-12)


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_columns_with_the_same_rows_are_taken_together_and_solve_the_same(seed: int) -> None:
    n, rng = 90, np.random.default_rng(seed)
    sparsely = sparse.random(n, n, 0.04, random_state=seed)
    matrix = (sparsely @ sparsely.T + sparse.diags(rng.uniform(1, 2, n))).tocsr()
    table = factored(matrix)
    leads = np.flatnonzero(table.panel == PANEL)
    assert len(leads) > 3 and (table.panel == 0).sum() == (PANEL - 1) * len(leads)
    for k in leads:
        rows = [set(table.row[table.start[c] : table.start[c + 1]].tolist()) for c in range(k, k + PANEL)]
        assert all(rows[c] == rows[c + 1] | {k + c + 1} for c in range(PANEL - 1))
    r, z, work = rng.normal(size=(n, 3)), np.zeros((n, 3)), np.zeros((n, 4))
    _factored(table, n, r, z, work)
    assert z == pytest.approx(np.linalg.solve(matrix.toarray(), r))
    alone = np.zeros((n, 3))
    _factored(table._replace(panel=np.ones(n, np.int32)), n, r, alone, work)
    assert z == pytest.approx(alone, rel=1e-12)
    assert (panels(table.start, table.row) == table.panel).all()


# ------------------------------------------------------------------------- chains and levels


def chain(count: int = 12) -> tuple[Any, Any, np.ndarray, np.ndarray]:
    """Rows, pattern, blocks and the dense matrix of a bent taut chain with bending."""
    rng = np.random.default_rng(7)
    x = np.cumsum(rng.uniform(0.1, 0.3, (count, 3)), axis=0)
    pairs = np.stack([np.arange(count - 1), np.arange(1, count)], axis=1).astype(np.int32)
    pattern = block_pattern(pairs, count)
    length = np.linalg.norm(np.diff(x, axis=0), axis=1)
    table = SegmentTable(
        pairs, 0.9 * length, rng.uniform(10, 90, count - 1), block_of(pattern, pairs[:, 0], pairs[:, 1])
    )
    _, blocks = assembled(_segments, table, pattern, x)
    stays = chain_bending(length, 0.3) + sparse.diags(rng.uniform(1, 2, count))
    full = dense(pattern, blocks) + np.kron(stays.toarray(), np.eye(3))
    return scalar_rows(stays), pattern, blocks, full


def in_order(count: int) -> np.ndarray:
    return np.arange(count, dtype=np.int32)


@pytest.mark.parametrize("count", [1, 2, 3, 12])
def test_a_chain_is_solved_exactly(count: int) -> None:
    rows, pattern, blocks, full = chain(count)
    extra = np.zeros((count, 3, 3))
    extra[-1] = np.diag([5.0, 1.0, 2.0])
    full[-3:, -3:] += extra[-1]
    r, z = np.random.default_rng(8).normal(size=(count, 3)), np.zeros((count, 3))
    _chain(rows, pattern, blocks, extra, np.zeros(count, np.uint8), in_order(count), make_chain_factor(count), r, z)
    assert z.ravel() == pytest.approx(np.linalg.solve(full, r.ravel()), rel=1e-9)


def test_what_is_pinned_in_a_chain_does_not_move() -> None:
    rows, pattern, blocks, full = chain()
    pinned = np.zeros(12, np.uint8)
    pinned[[0, 5]] = 1
    r, z = np.random.default_rng(9).normal(size=(12, 3)), np.zeros((12, 3))
    _chain(rows, pattern, blocks, np.zeros((12, 3, 3)), pinned, in_order(12), make_chain_factor(12), r, z)
    free = np.repeat(pinned == 0, 3)
    assert z[[0, 5]] == pytest.approx(0)
    assert z.ravel()[free] == pytest.approx(np.linalg.solve(full[np.ix_(free, free)], r.ravel()[free]), rel=1e-9)


def test_products_are_those_of_the_dense_matrix() -> None:
    rows, pattern, blocks, full = chain()
    x, out = np.random.default_rng(10).normal(size=(12, 3)), np.zeros((12, 4))
    _products(rows, pattern, blocks, 12, x, out)
    assert out[:, :3].ravel() == pytest.approx(full @ x.ravel())
    assert (out[:, 3] == 0.0).all()


def levelled(cells: int, pinned: tuple[int, ...] = ()) -> tuple[np.ndarray, Any, Any, np.ndarray, np.ndarray]:
    """Vertices, pattern, levels, complete blocks and pinned nodes of a taut sheet with levels."""
    x, faces = sheet(cells)
    table, _ = membrane(x, faces)
    held = np.zeros(len(x), bool)
    held[list(pinned)] = True
    low = table.vertex
    pairs = np.concatenate([low[:, [0, 1]], low[:, [0, 2]], low[:, [1, 2]]])
    normal = np.tile([0.0, 1.0, 0.0], (len(x), 1))
    pattern, levels = stack_levels([body_levels(x, normal, pairs, held, True)], np.full(len(x), 0.5))
    block = np.stack([block_of(pattern, low[:, a], low[:, b]) for a, b in ((0, 1), (0, 2), (1, 2))], axis=1)
    blocks = np.zeros((len(pattern.column), 3, 3))
    _membrane(table._replace(block=block.astype(np.int32)), 1.1 * x, 1.0, np.zeros_like(x), blocks)
    _complete(pattern, len(x), blocks)
    nodes = np.zeros(len(levels.mass), np.uint8)
    nodes[: len(x)] = held
    return x, pattern, levels, blocks, nodes


def parents_matrix(levels: Any, level: int) -> np.ndarray:
    first, last, after = levels.first[level, 0], levels.first[level, 1], levels.first[level + 1]
    out = np.zeros((last - first, after[1] - after[0]))
    for i in range(first, last):
        for k in range(levels.parent_start[i], levels.parent_start[i + 1]):
            out[i - first, levels.parent[k] - after[0]] = levels.weight[k]
    return out


def between_slowly(
    x: np.ndarray, normal: np.ndarray, other: np.ndarray, near: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """The three of the nearest (n, NEAREST) that points (n, 3) lie between, with the least sum of squared distances by
    share; where there are none, the place on the line through two that comes closest.
    """
    n = len(x)
    arm = other[near] - x[:, None]
    e1 = arm[:, 0] - np.einsum("nc,nc->n", arm[:, 0], normal)[:, None] * normal
    e1 /= np.maximum(np.linalg.norm(e1, axis=1), 1e-300)[:, None]
    e2 = np.cross(normal, e1)
    u, v = np.einsum("nkc,nc->nk", arm, e1), np.einsum("nkc,nc->nk", arm, e2)
    far = (arm**2).sum(axis=2)
    known = near >= 0
    best, parent, weight = np.full(n, np.inf), np.full((n, 3), -1), np.zeros((n, 3))
    parent[:, 0], weight[:, 0] = near[:, 0], 1.0
    scale = far[:, 0]
    for a, b, c in combinations(range(NEAREST), 3):
        cross = (u[:, b] - u[:, a]) * (v[:, c] - v[:, a]) - (u[:, c] - u[:, a]) * (v[:, b] - v[:, a])
        good = known[:, c] & (np.abs(cross) > 1e-6 * scale)
        divisor = np.where(good, cross, 1.0)
        wb = (v[:, a] * (u[:, c] - u[:, a]) - u[:, a] * (v[:, c] - v[:, a])) / divisor
        wc = (u[:, a] * (v[:, b] - v[:, a]) - v[:, a] * (u[:, b] - u[:, a])) / divisor
        share = np.stack([1 - wb - wc, wb, wc], axis=1)
        cost = (np.maximum(share, 0) * far[:, [a, b, c]]).sum(axis=1)
        better = good & (share.min(axis=1) > -SMALL) & (cost < best * (1 - SMALL))
        best[better] = cost[better]
        parent[better] = near[better][:, [a, b, c]]
        weight[better] = np.maximum(share[better], 0)
    lone = ~np.isfinite(best)
    for a, b in combinations(range(NEAREST), 2):
        way = arm[:, b] - arm[:, a]
        share = np.clip(-np.einsum("nc,nc->n", arm[:, a], way) / np.maximum((way**2).sum(axis=1), 1e-300), 0, 1)
        cost = ((arm[:, a] + share[:, None] * way) ** 2).sum(axis=1) + 1e-3 * far[:, b]
        better = lone & known[:, b] & (cost < best * (1 - SMALL))
        best[better] = cost[better]
        parent[better] = np.stack([near[better, a], near[better, b], np.full(better.sum(), -1)], axis=1)
        weight[better] = np.stack([1 - share[better], share[better], np.zeros(better.sum())], axis=1)
    weight[weight < 1e-6] = 0.0
    weight /= weight.sum(axis=1)[:, None]
    parent[weight == 0.0] = -1
    return parent, weight


def test_nodes_lie_between_those_that_the_slow_way_finds() -> None:
    rng = np.random.default_rng(12)
    x, other = rng.normal(size=(60, 3)) * [1, 0.1, 1], rng.normal(size=(25, 3)) * [1, 0.1, 1]
    normal = np.tile([0.0, 1.0, 0.0], (60, 1))
    near = np.argsort(((x[:, None] - other) ** 2).sum(axis=2), axis=1)[:, :NEAREST]
    near[:20, 3:], near[:5, 1:] = -1, -1
    parent, weight = np.zeros((60, 3), np.int64), np.zeros((60, 3))
    lie_between(x, normal, other, near, parent, weight)
    want, share = between_slowly(x, normal, other, near)
    got = np.where((weight >= 1e-6), parent, -1)
    assert (np.sort(got, axis=1) == np.sort(want, axis=1)).all()
    place = np.einsum("nk,nkc->nc", weight, other[np.maximum(parent, 0)])
    assert place == pytest.approx(np.einsum("nk,nkc->nc", share, other[np.maximum(want, 0)]), abs=1e-5)


def test_nodes_that_stay_are_apart_and_no_other_could() -> None:
    x, faces = sheet(9)
    graph = neighbours(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), len(x))
    free = np.ones(len(x), bool)
    free[[0, 9]] = False
    kept = set(keep(x, graph, free).tolist())
    ring = [set(graph[i].indices.tolist()) for i in range(len(x))]
    for i in range(len(x)):
        near = ring[i] - {i}
        if i in kept:
            assert free[i] and not near & kept
        elif free[i]:  # something that stays is its neighbour, or a neighbour's
            assert kept & set().union(*(ring[j] for j in ring[i]))


def test_levels_carry_what_is_linear_over_the_sheet_and_are_about_a_quarter_each() -> None:
    x, _, levels, _, _ = levelled(17)
    sizes = np.diff(levels.first, axis=1)[:, 0]
    assert len(sizes) >= 3 and (sizes[1:] < 0.45 * sizes[:-1]).all()
    p = parents_matrix(levels, 0)
    assert p.sum(axis=1) == pytest.approx(1) and p.min() >= 0
    kept = x[[int(np.flatnonzero((p[:, k] == 1) & ((p > 0).sum(axis=1) == 1))[0]) for k in range(p.shape[1])]]
    off = np.linalg.norm(p @ kept - x, axis=1)
    inner = (np.abs(x[:, [0, 2]]) < 0.4).all(axis=1)
    assert (off[inner] < 1e-9).mean() > 0.95  # at the rims what stays does not always surround what goes


def test_blocks_of_the_next_level_are_those_of_the_dense_product() -> None:
    _, pattern, levels, blocks, _ = levelled(9, pinned=(0, 9))
    first = levels.first
    fine = dense(pattern, blocks, first[0, 0], first[0, 1])
    _coarsen(pattern, levels, blocks, np.zeros((2, 3, 3)))
    p = np.kron(parents_matrix(levels, 0), np.eye(3))
    assert dense(pattern, blocks, first[1, 0], first[1, 1]) == pytest.approx(p.T @ fine @ p, rel=1e-5, abs=1e-4)
    assert parents_matrix(levels, 0)[[0, 9]].sum() == 0  # what is pinned has no part in it


def test_a_cycle_is_symmetric_positive_and_comes_close_to_the_inverse() -> None:
    x, pattern, levels, blocks, pinned = levelled(17, pinned=(0, 17))
    _coarsen(pattern, levels, blocks, np.zeros((2, 3, 3)))
    nodes = len(levels.mass)
    extra, inverse = np.zeros((nodes, 3, 3)), np.zeros((nodes, 3, 3))

    def apply(r: np.ndarray) -> np.ndarray:
        full, left, z = np.zeros((nodes, 4)), np.zeros((nodes, 4)), np.zeros((nodes, 4))
        full[: len(x), :3] = r
        _cycle(pattern, levels, extra, pinned, blocks, inverse, full, left, z)
        return z[: len(x), :3].copy()

    rng = np.random.default_rng(11)
    a, b = rng.normal(size=x.shape), rng.normal(size=x.shape)
    a[[0, 17]] = b[[0, 17]] = 0.0
    assert (a * apply(b)).sum() == pytest.approx((b * apply(a)).sum(), rel=1e-9)
    assert (a * apply(a)).sum() > 0 and np.abs(apply(a)[[0, 17]]).max() == 0.0
    matrix = dense(pattern, blocks, 0, len(x)) + np.diag(np.repeat(levels.mass[: len(x)], 3))
    # repeated, it takes the error down by more than two thirds each time
    wanted = rng.normal(size=x.shape)
    wanted[[0, 17]] = 0.0
    found, sizes = np.zeros_like(x), []
    for _ in range(8):
        left = (matrix @ (wanted - found).ravel()).reshape(x.shape)
        left[[0, 17]] = 0.0
        sizes.append(float(((wanted - found) * left).sum()))
        found = found + apply(left)
    assert sizes[-1] < 1e-5 * sizes[0]


# ------------------------------------------------------------------------------------- air


def test_faces_and_ropes_turn_to_the_air_what_is_seen_of_them() -> None:
    x = np.array([[0.0, 0, 0], [1, 0, 0], [0, 0, 1], [5, 0, 0], [5, 2, 0]])
    past = np.tile([0.0, -3.0, 0.0], (5, 1))
    area, square = np.zeros(5), np.zeros((5, 3))
    face = np.array([[0, 1, 2]], np.int32)
    project_faces(x, past, face, np.array([1], np.uint8), area, square)
    assert area.sum() == pytest.approx(0.5) and square.sum(axis=0) == pytest.approx([0, 0.5, 0])
    area[:], square[:] = 0, 0
    project_faces(x, past, face, np.array([0], np.uint8), area, square)
    assert area.sum() == pytest.approx(0.0)  # its back, of a solid
    project_segments(x, past, np.array([[3, 4]], np.int32), np.array([0.1]), area, square)
    assert area.sum() == pytest.approx(0.0)  # along the air
    project_segments(x, past[:, [1, 0, 2]], np.array([[3, 4]], np.int32), np.array([0.1]), area, square)
    assert area.sum() == pytest.approx(2 * 0.1 * 2.0) and square.sum(axis=0) == pytest.approx([0.4, 0, 0])
