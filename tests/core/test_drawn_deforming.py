"""What the view draws of bodies that deform is what a run has: vertices, pins, mass, reach."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from deforming import EVERYWHERE, cloth, pin, rope, soft
from dynaclast.core.document import Body, Shot
from dynaclast.core.fracture.bonds import placed
from dynaclast.core.fracture.build import build_pieces
from dynaclast.core.fracture.deforming import drawn_surface, mass_of, surface_key
from dynaclast.core.preflight.reach import (
    arrows_over,
    crossings,
    lay_out,
    lay_out_vertices,
    map_on_vertices,
    pinned_vertices,
    reach_on_vertices,
    with_vertices,
)
from shots import reach_sphere, run, shot

SEAMS = {"strength": 5.0, "unit": "kN/m"}
BODIES: dict[str, dict[str, Any]] = {
    "sheet": cloth("x", (0, 3, 0), (2, 1), (6, 4)),
    "sheet that tears": cloth("x", (0, 3, 0), (2, 1), (6, 4), matter={"tear": 2}),
    "patches": cloth("x", (0, 3, 0), (2, 1), (8, 6), pattern={"kind": "cells", "count": 4}, bonds=SEAMS),
    "flakes": cloth("x", (0, 3, 0), (2, 1), (3, 2), pattern={"kind": "faces"}, bonds=SEAMS),
    "cube": soft("x", (0, 3, 0), (1, 1, 1)),
    "cube in pieces": soft("x", (0, 3, 0), (1, 1, 1), pattern={"kind": "cells", "count": 3}),
    "rope": rope("x", (0, 3, 0), (1, 3, 0), (2, 2, 0), segments=9),
    "rope that breaks": rope("x", (0, 3, 0), (2, 3, 0), segments=9, matter={"breaks": 5}),
    "net": cloth("x", (0, 3, 0), (1, 1), (3, 3)) | {"matter": {"kind": "rope"}},
}


def layouts(scene: Shot) -> tuple[Any, Any]:
    built = [build_pieces(b) for b in scene.bodies]
    return lay_out(scene, built), lay_out_vertices(scene, drawn_surface)


@pytest.mark.parametrize("kind", sorted(BODIES))
def test_what_is_drawn_of_the_set_up_is_the_opening_frame_to_the_vertex(kind: str) -> None:
    turned = BODIES[kind] | {"place": {"position": [1, 3, 2], "angles": [30, 40, 50], "scale": [1.5, 1, 1]}}
    scene = shot(turned, frames=1)
    surface = drawn_surface(scene.bodies[0])
    opening = run(turned, frames=1).maps["points/x"][0]
    # what is carried by a lattice is where its cubes have it, to their own precision
    near = 2e-3 if kind.startswith("cube") else 2e-6
    assert placed(scene.bodies[0], surface.vertices) == pytest.approx(opening, abs=near)


@pytest.mark.parametrize("kind", ["sheet", "sheet that tears", "rope", "rope that breaks"])
def test_what_is_shown_as_pinned_is_what_the_solver_holds(kind: str) -> None:
    held = BODIES[kind] | {"pins": [pin(0, 3, 0, reach=0.4), pin(1, 3, 0.5 if "sheet" in kind else 0.0, reach=0.3)]}
    scene = shot(held, frames=1)
    shown = pinned_vertices(scene, *layouts(scene))["x"]
    state = run(held, frames=1).maps["state/x"][0]
    assert shown.any() and not shown.all()
    assert ((state == 0) == shown).all()


@pytest.mark.parametrize(
    ("body", "mass"),
    [
        (cloth("x", (0, 3, 0), (2, 1.5), (6, 4), matter={"weight": 0.4}), 0.4 * 3.0),
        (cloth("x", (0, 3, 0), (2, 1.5), (6, 4), matter={"weight": 0.4, "tear": 3}), 0.4 * 3.0),
        (soft("x", (0, 3, 0), (2, 1, 0.5), material={"density": 800}), 800.0),
        (
            rope("x", (0, 0, 0), (3, 0, 0), (3, 4, 0), segments=7, matter={"radius": 0.1}, material={"density": 500}),
            35 * np.pi,
        ),
        (cloth("x", (0, 3, 0), (2, 1.5), (6, 4), material={"mass": 7.0}), 7.0),
    ],
)
def test_its_mass_is_weight_times_area_density_times_volume_or_what_was_weighed(body: dict, mass: float) -> None:
    own = shot(body).bodies[0]
    assert mass_of(own, drawn_surface(own)) == pytest.approx(mass, rel=1e-9)


def test_a_pattern_makes_as_many_pieces_as_it_says() -> None:
    surfaces = {kind: drawn_surface(shot(body).bodies[0]) for kind, body in BODIES.items()}
    whole = ("sheet", "sheet that tears", "cube", "rope", "rope that breaks", "net")
    assert {surfaces[kind].parts for kind in whole} == {1}
    for kind in ("patches", "flakes", "cube in pieces"):  # pieces share no vertex, and each hangs together
        faces = surfaces[kind].faces
        edges = np.concatenate([faces[:, :2], faces[:, 1:]])
        joined = coo_matrix((np.ones(len(edges)), edges.T), shape=(faces.max() + 1,) * 2)
        assert connected_components(joined, directed=False)[0] == surfaces[kind].parts > 1, kind


def test_a_drawing_is_known_by_what_decides_it_and_by_nothing_else() -> None:
    def key(**more: Any) -> str:
        return surface_key(Body.model_validate(BODIES["sheet"] | more))

    same = key()
    assert key(place={"position": [9, 9, 9]}) == same and key(material={"density": 5}) == same
    sheet = BODIES["sheet"]
    others = [
        key(place={"scale": [2, 1, 1]}),
        key(matter={"kind": "cloth", "tear": 3}),
        key(pattern={"kind": "faces"}),
        key(shape=sheet["shape"] | {"divisions": [9, 9]}),
    ]
    assert len({same, *others}) == 5


def test_a_field_counts_the_vertices_in_its_reach_and_an_anchor_those_it_holds() -> None:
    push = {
        "name": "push",
        "effect": {"kind": "push"},
        "reach": reach_sphere((-1, 3, -0.5), 0.2),
        "cue": {"kind": "span"},
    }
    hold = {"name": "hold", "effect": {"kind": "anchor"}, "reach": reach_sphere((1, 3, 0.5), 0.4)}
    other = {**push, "name": "spares it", "targets": []}
    scene = shot(BODIES["sheet"], fields=(push, hold, other))
    at, vertices = layouts(scene)
    plain = crossings(scene, [build_pieces(b) for b in scene.bodies], at)
    found = {c.field: c for c in with_vertices(plain, scene.fields, at, vertices)}
    assert all(c.of == 35 and c.vertices for c in found.values())
    assert (found["push"].pieces, found["hold"].pieces, found["spares it"].pieces) == (1, 3, 0)
    reach = reach_on_vertices(scene.fields[0], at, vertices)["x"]
    assert reach.max() == 1.0 and (reach > 0).sum() == 1


def test_arrows_stand_at_vertices_and_say_what_the_field_would_do_there() -> None:
    pull = {"name": "pull", "effect": {"kind": "attractor", "strength": 6, "law": "inverse"}, "reach": EVERYWHERE}
    scene = shot(BODIES["sheet"], fields=(pull | {"cue": {"kind": "span"}},))
    at, vertices = layouts(scene)
    where, pulled = arrows_over(scene, [build_pieces(b) for b in scene.bodies], at, vertices, "pull")
    assert len(where) == 35 and where == pytest.approx(vertices.point["x"])
    far = where - np.asarray([0, 0, 0.0])
    assert pulled == pytest.approx(-6 * far / (far**2).sum(axis=1)[:, None], rel=1e-6)
    assert len(arrows_over(scene, [build_pieces(b) for b in scene.bodies], at, vertices, "none")[0]) == 0


def test_a_map_in_the_set_up_is_that_of_the_opening_frame() -> None:
    slope = {"layers": [{"shape": {"kind": "plane", "normal": [1, 0, 0], "edge": 2}, "color": "#ff0000"}]}
    heat = {"name": "heat", "reach": slope, "targets": ["x"]}
    scene = shot(BODIES["patches"], BODIES["sheet"] | {"name": "y"}, maps=[heat], frames=1)
    at, vertices = layouts(scene)
    found = map_on_vertices(scene, "heat", at, vertices)
    assert set(found) == {"x"} and map_on_vertices(scene, "none", at, vertices) == {}
    opening = run(BODIES["patches"], BODIES["sheet"] | {"name": "y"}, maps=[heat], frames=1).maps
    values, tint = found["x"]
    assert values == pytest.approx(opening["value/heat/x"][0], abs=1e-6) and np.ptp(values) > 0.2
    assert tint is not None and 255 * tint == pytest.approx(opening["color/heat/x"][0], abs=0.51)


@pytest.mark.parametrize(("kind", "tear"), [("cloth", None), ("cloth", 5.0), ("soft", None)])
def test_pieces_of_what_is_drawn_are_those_of_its_pattern(kind: str, tear: float | None) -> None:
    matter = {} if tear is None else {"tear": tear}
    more: dict[str, Any] = {"pattern": {"kind": "cells", "count": 7, "seed": 2}, "matter": matter}
    if kind == "cloth":
        more["breaks"] = [{"of": {"kind": "pieces", "pieces": [0]}, "pattern": {"kind": "cells", "count": 3}}]
    make = (
        cloth("it", (0, 1, 0), (1, 1), (9, 9), **more) if kind == "cloth" else soft("it", (0, 1, 0), (1, 1, 1), **more)
    )
    surface = drawn_surface(Body.model_validate(make))
    pieces = surface.pieces
    assert pieces is not None and surface.parts == pieces.count == surface.piece.max() + 1 > 6
    corners = surface.piece[surface.faces]
    assert (corners == corners[:, :1]).all(), "no triangle is of two pieces"
    middle = surface.vertices[surface.faces].mean(axis=1)
    for p in range(pieces.count):
        own = middle[corners[:, 0] == p]
        assert (own.min(axis=0) - 0.2 <= pieces.center[p]).all() and (pieces.center[p] <= own.max(axis=0) + 0.2).all()
    assert pieces.tier.max() == (2 if kind == "cloth" else 1)
    whole = drawn_surface(Body.model_validate(make | {"pattern": None, "breaks": []}))
    assert whole.pieces is None and whole.parts == 1 and not len(whole.piece)
