"""Groups written out: where every member stands, how it is turned and sized.

Members share everything else with the group's body; the same document always gives the same members.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from .arrays import Array, lengths
from .document import (
    Body,
    DisplaceMesh,
    FalloffShape,
    GridLayout,
    Group,
    LineLayout,
    RingLayout,
    SharedFalloff,
    Shot,
    Stack,
    Standing,
    StillFalloff,
    StrengthReach,
    SurfaceScatter,
    VolumeScatter,
    still_falloffs,
)
from .document.base import Part
from .errors import InputError
from .falloff.shapes import DISTANCE
from .fracture.build import Resolve, no_files, raw_mesh
from .geometry.mesh import TriMesh, triangle_normals
from .geometry.rotations import quaternion_product, rotation_matrices, rotation_matrix
from .timeline.keys import Path

Places = tuple[Array, Array]
"""Positions (n, 3) [m] and turns (n, 4)."""

LEVEL = np.array([0.0, 0.0, 0.0, 1.0])
TRIES_EACH, TRIES_MORE = 120, 4000
"""Places that are drawn at most: for each member, and beside."""


def _about(axis: Array, angle: Array) -> Array:
    """Quaternions (n, 4) that turn by ``angle`` (n,) about unit axes (n, 3)."""
    return np.concatenate([np.sin(angle / 2)[:, None] * axis, np.cos(angle / 2)[:, None]], axis=1)


def _upright_to(normals: Array) -> Array:
    """Shortest turns (n, 4) that lay (0, 1, 0) along unit vectors (n, 3)."""
    w = 1.0 + normals[:, 1]
    q = np.stack([normals[:, 2], np.zeros(len(normals)), -normals[:, 0], w], axis=1)
    q[w < 1e-9] = [1.0, 0.0, 0.0, 0.0]
    return q / np.linalg.norm(q, axis=1, keepdims=True)


def line(
    layout: LineLayout, group: Group, shot: Shot, resolve: Resolve, rng: np.random.Generator, sizes: Array
) -> Places:
    at = np.asarray(group.body.place.position) + np.arange(layout.count, dtype=float)[:, None] * np.asarray(layout.step)
    return at, np.tile(LEVEL, (len(at), 1))


def grid(
    layout: GridLayout, group: Group, shot: Shot, resolve: Resolve, rng: np.random.Generator, sizes: Array
) -> Places:
    """Centred on the body's place in x and z, upwards from it in y."""
    n = layout.count
    cells = np.stack(np.meshgrid(*(np.arange(k, dtype=float) for k in n), indexing="ij"), axis=-1).reshape(-1, 3)
    middle = np.array([(n[0] - 1) / 2, 0.0, (n[2] - 1) / 2])
    at = np.asarray(group.body.place.position) + (cells - middle) * np.asarray(layout.step)
    return at, np.tile(LEVEL, (len(at), 1))


def ring(
    layout: RingLayout, group: Group, shot: Shot, resolve: Resolve, rng: np.random.Generator, sizes: Array
) -> Places:
    whole = layout.arc > 2 * np.pi - 1e-6
    angle = layout.arc * np.arange(layout.count) / (layout.count if whole else max(1, layout.count - 1))
    at = np.asarray(group.body.place.position) + layout.radius * np.stack(
        [np.cos(angle), np.zeros_like(angle), np.sin(angle)], axis=1
    )
    turn = _about(np.tile([0.0, 1.0, 0.0], (len(angle), 1)), -angle) if layout.face else np.tile(LEVEL, (len(angle), 1))
    return at, turn


def _apart(draw: Callable[[int], Places], count: int, reach: Array, gap: float, name: str) -> Places:
    """``count`` places whose bounding balls keep a gap, from as many draws as it takes (dart throwing, Cook 1986)."""
    at, turns = np.zeros((count, 3)), np.zeros((count, 4))
    have, tries, found = 0, 0, 0
    many = max(64, count)
    while have < count:
        if tries > TRIES_EACH * count + TRIES_MORE and not found:
            raise InputError(
                f"nothing for {name} to stand on was found inside its sphere or box in {tries} tries; move it to where "
                f"the surface is, or make it larger",
                where=f"groups.{name}.layout.inside",
            )
        if tries > TRIES_EACH * count + TRIES_MORE:
            raise InputError(
                f"only {have} of {count} members of {name} fit with a gap of {gap:g} m; ask for fewer, smaller ones, "
                f"or a smaller gap",
                where=f"groups.{name}.layout.gap",
            )
        points, q = draw(many)
        tries += many
        found += len(points)
        for p, t in zip(points, q, strict=True):
            if have == count:
                break
            near = lengths(at[:have] - p) < reach[:have] + reach[have] + gap
            if not near.any():
                at[have], turns[have] = p, t
                have += 1
    return at, turns


def _member_reach(group: Group, resolve: Resolve) -> float:
    mesh = raw_mesh(group.body, resolve)
    return float(lengths(mesh.vertices).max())


def volume(
    layout: VolumeScatter, group: Group, shot: Shot, resolve: Resolve, rng: np.random.Generator, sizes: Array
) -> Places:
    shape = layout.inside
    if shape.kind == "plane":
        raise InputError(
            "a plane has no volume to scatter in; use a sphere or a box", where=f"groups.{group.name}.layout.inside"
        )
    half = np.full(3, shape.core) if shape.kind == "sphere" else np.full(3, 0.5 * float(np.linalg.norm(shape.core)))

    def draw(n: int) -> Places:
        points = np.asarray(shape.center) + rng.uniform(-1, 1, (n, 3)) * half
        points = points[DISTANCE[shape.kind](shape, points) <= 0.0]
        return points, np.tile(LEVEL, (len(points), 1))

    return _apart(draw, layout.count, sizes * _member_reach(group, resolve), layout.gap, group.name)


def _surface(layout: SurfaceScatter, shot: Shot, resolve: Resolve, name: str) -> TriMesh:
    if layout.body is None:
        if layout.inside is None or layout.inside.kind == "plane":
            raise InputError(
                "a scatter over the ground needs a sphere or box to stay inside", where=f"groups.{name}.layout.inside"
            )
        centre = np.asarray(layout.inside.center)
        half = layout.inside.core if layout.inside.kind == "sphere" else 0.5 * float(np.linalg.norm(layout.inside.core))
        corners = np.array(
            [
                [centre[0] + x * half, shot.ground.height, centre[2] + z * half]
                for x, z in ((-1, -1), (-1, 1), (1, 1), (1, -1))
            ]
        )
        return TriMesh(corners, np.array([[0, 1, 2], [0, 2, 3]], np.int32))
    body = next(b for b in shot.bodies if b.name == layout.body)
    mesh = raw_mesh(body, resolve)
    return TriMesh(mesh.vertices @ rotation_matrix(body.place.rotation).T + np.asarray(body.place.position), mesh.faces)


def surface(
    layout: SurfaceScatter, group: Group, shot: Shot, resolve: Resolve, rng: np.random.Generator, sizes: Array
) -> Places:
    """Members stand on the surface: their own lowest point touches it."""
    mesh = _surface(layout, shot, resolve, group.name)
    normal, area = triangle_normals(mesh)
    usable = np.where(np.arccos(np.clip(normal[:, 1], -1, 1)) <= layout.steepest, area, 0.0)
    if usable.sum() <= 0:
        raise InputError(
            f"no face of the surface is level enough for {group.name}; raise 'steepest'",
            where=f"groups.{group.name}.layout.steepest",
        )
    share = usable / usable.sum()
    own = raw_mesh(group.body, resolve)
    foot = -float((own.vertices @ rotation_matrix(group.body.place.rotation).T)[:, 1].min())
    lift = foot * sizes
    inside = layout.inside

    def draw(n: int) -> Places:
        face = rng.choice(len(share), n, p=share)
        u, v = rng.random((2, n))
        over = u + v > 1
        u, v = np.where(over, 1 - u, u), np.where(over, 1 - v, v)
        a, b, c = (mesh.vertices[mesh.faces[face, k]] for k in range(3))
        points = a + u[:, None] * (b - a) + v[:, None] * (c - a)
        turn = _upright_to(normal[face]) if layout.align else np.tile(LEVEL, (n, 1))
        if inside is not None:
            keep = DISTANCE[inside.kind](inside, points) <= 0.0
            points, turn = points[keep], turn[keep]
        return points, turn

    at, turn = _apart(draw, layout.count, sizes * _member_reach(group, resolve), layout.gap, group.name)
    up = rotation_matrices(turn)[:, :, 1]
    return at + lift[:, None] * up, turn


LAYOUTS: dict[str, Callable[..., Places]] = {
    "line": line,
    "grid": grid,
    "ring": ring,
    "volume": volume,
    "surface": surface,
}


def count_of(group: Group) -> int:
    """How many members a group has."""
    count = group.layout.count
    return int(np.prod(count)) if isinstance(count, tuple) else count


MOST_BODIES = 2000


def members(group: Group, shot: Shot, resolve: Resolve = no_files) -> list[Body]:
    """The group's members as bodies. Raises InputError where they do not fit."""
    count = count_of(group)
    if count > MOST_BODIES:
        raise InputError(
            f"{group.name} would have {count} members; the limit is {MOST_BODIES}",
            where=f"groups.{group.name}.layout.count",
        )
    rng = np.random.default_rng([group.seed, 201])
    sizes = np.exp(rng.uniform(np.log(group.size[0]), np.log(max(group.size)), count))
    turn_y = _about(np.tile([0.0, 1.0, 0.0], (count, 1)), rng.uniform(-1, 1, count) * group.turn)
    heading = rng.uniform(0, 2 * np.pi, count)
    lean = _about(
        np.stack([np.cos(heading), np.zeros(count), np.sin(heading)], axis=1), rng.uniform(0, 1, count) * group.tilt
    )
    at, turn = LAYOUTS[group.layout.kind](group.layout, group, shot, resolve, rng, sizes)
    rotation = quaternion_product(
        turn, quaternion_product(lean, quaternion_product(turn_y, np.asarray(group.body.place.rotation)))
    )
    rotation /= np.linalg.norm(rotation, axis=1, keepdims=True)
    return [
        group.body.as_member(
            group.name, f"{group.name}.{k + 1:04d}", tuple(at[k].tolist()), tuple(rotation[k].tolist()), float(sizes[k])
        )
        for k in range(count)
    ]


def _at_first_key(body: Body) -> Body:
    """An animated body with keys starts where they put it."""
    if body.role != "animated" or body.motion is None:
        return body
    position, turn = Path.of(body.motion).at(0.0)
    place = body.place.model_copy(
        update={"position": tuple(float(x) for x in position), "rotation": tuple(float(x) for x in turn)}
    )
    out = body.model_copy(update={"place": place})
    out._factor, out._group = body._factor, body._group
    return out


def _filled(part: Part, shared: dict[str, SharedFalloff], body: Body | None) -> Part:
    """A part whose falloffs that need no run hold the layers of the shared ones they are; ``body`` where those are
    asked in its frame.
    """
    change: dict[str, Any] = {}
    for key in type(part).model_fields:
        found = getattr(part, key)
        if isinstance(found, StillFalloff):
            if found.use is not None and found.use in shared:
                own = shared[found.use]
                stands = (
                    None
                    if body is None or isinstance(part, StrengthReach | FalloffShape | DisplaceMesh)
                    else Standing(position=body.place.position, rotation=body.place.rotation)
                )
                change[key] = found.model_copy(
                    update={
                        "given": Stack(layers=own.layers, strength=own.strength, limits=own.limits),
                        "stands": stands,
                    }
                )
        elif isinstance(found, Part):
            change[key] = _filled(found, shared, body)
        elif isinstance(found, list) and any(isinstance(one, Part) for one in found):
            change[key] = [_filled(one, shared, body) for one in found]
    return part.model_copy(update=change) if change else part


def filled(body: Body, falloffs: list[SharedFalloff], alone: bool = True) -> Body:
    """A body whose patterns, choices, strengths and mesh hold the layers of the shared falloffs they use, as they are
    at the start. Shared layers are in the world; in a group, whose copies stand in many places (not alone), in the
    body's own frame.
    """
    if not any(f.use is not None for _, f in still_falloffs(body)):
        return body
    out = _filled(body, {f.name: f for f in falloffs}, body if alone else None)
    assert isinstance(out, Body)
    return out


def with_shared(shot: Shot) -> Shot:
    """The shot with every body ``filled``."""
    if not shot.falloffs:
        return shot
    bodies = [filled(b, shot.falloffs) for b in shot.bodies]
    groups = [g.model_copy(update={"body": filled(g.body, shot.falloffs, alone=False)}) for g in shot.groups]
    return shot.model_copy(update={"bodies": bodies, "groups": groups})


def written_out(shot: Shot, resolve: Resolve = no_files) -> Shot:
    """The shot with every group's members as bodies of their own, after the single bodies. Targets go on naming
    groups.
    """
    shot = with_shared(shot)
    if not shot.groups and not any(b.motion for b in shot.bodies):
        return shot
    bodies = [_at_first_key(b) for b in shot.bodies]
    for group in shot.groups:
        bodies.extend(members(group, shot, resolve))
    if len(bodies) > MOST_BODIES:
        raise InputError(
            f"the shot would have {len(bodies)} bodies with all groups; the limit is {MOST_BODIES}", where="groups"
        )
    return shot.model_copy(update={"bodies": bodies, "groups": []})
