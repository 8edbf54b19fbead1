"""What an export is made from: piece meshes, looks, and their motion."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

import numpy as np

from ...arrays import Array
from ...document import Body, SheetShape, Shot
from ...fracture.bonds import placed
from ...fracture.build import Resolve, no_files
from ...fracture.deforming import drawn_surface
from ...fracture.display import drawn, whole_skin
from ...fracture.pieces import Pieces
from ...geometry.mesh import TriMesh
from ...geometry.rotations import rotation_matrix
from ..frames import Baked


@dataclass(frozen=True)
class ExportPiece:
    """One piece: its mesh relative to its centre of mass, at the opening orientation in the world."""

    name: str
    body: int
    mesh: TriMesh
    skin: np.ndarray
    index: int


@dataclass(frozen=True)
class Swap:
    """An intact mesh shown instead of a body's pieces until ``frame``, the first that shows a broken bond (None: to the
    end).

    mesh: in the frame of the piece ``index``, whose motion it shares; pieces: rows of ExportScene.pieces it stands for
    """

    name: str
    body: int
    mesh: TriMesh
    index: int
    pieces: range
    frame: int | None


@dataclass(frozen=True)
class ExportDeforming:
    """A body that deforms.

    faces  : (F, 3) int32; none of a line
    lines  : (G, 2) int32, its segments, in order
    points : (frames, V, 3) float32, [m], world frame
    width  : float, [m], of a rope; 0 of what has a surface
    rest   : (V, 3) float64, [m], where points rest, world frame
    uv     : (V, 2) float64, over a sheet; None of others
    thickness : float, [m], of cloth, that which is seen where it has one for the eye; 0 of others
    smooth : whether it is to be rounded
    numbers : what frames have at its points beside their places, by name: state, map/NAME, color/NAME (sRGB) and others
              (frames, V, ...)
    removed : int, the state of what is taken out
    """

    name: str
    body: int
    faces: np.ndarray
    lines: np.ndarray
    points: np.ndarray
    width: float
    rest: np.ndarray
    uv: np.ndarray | None = None
    thickness: float = 0.0
    smooth: bool = False
    numbers: dict[str, np.ndarray] = field(default_factory=dict)
    removed: int = 4

    def gone(self) -> np.ndarray:
        """Which points (frames, V) bool are taken out."""
        state = self.numbers.get("state")
        return np.zeros(self.points.shape[:2], bool) if state is None else state == self.removed

    def places(self) -> np.ndarray:
        """A number (V,) that is the same of points which are one at rest."""
        return np.unique(self.rest.round(6), axis=0, return_inverse=True)[1].reshape(-1)

    def curves(self) -> tuple[np.ndarray, list[int]]:
        """Points of a line in the order of its curves (n,), and how many each has: one curve as long as it is whole,
        or one for each segment of one that can break.
        """
        follows = (self.lines[1:, 0] == self.lines[:-1, 1]).all()
        if follows:
            return np.append(self.lines[:, 0], self.lines[-1, 1]), [len(self.lines) + 1]
        return self.lines.ravel(), [2] * len(self.lines)


@dataclass(frozen=True)
class ExportScene:
    """Everything a writer needs.

    colors (bodies, 3) linear 0-1; fps; baked motion
    """

    name: str
    body_names: list[str]
    colors: Array
    roughness: list[float]
    opacity: list[float]
    pieces: list[ExportPiece]
    swaps: list[Swap]
    deforming: list[ExportDeforming]
    baked: Baked
    fps: float

    def inside(self, body: int) -> Array:
        """Colour (3,) of a body's cut faces: a fresh cut is a little brighter than weathered skin."""
        return np.minimum(FRESH * self.colors[body], 1.0)

    def shown(self, piece: int) -> np.ndarray:
        """In which frames (F,) bool a piece is there to be seen: not where it was taken out, is yet to be thrown in, or
        an intact mesh stands for it.
        """
        out = self.baked.state[:, piece] != self.baked.state_names.index("removed")
        for swap in self.swaps:
            if piece in swap.pieces:
                out = out & ~self.whole(swap)
        return out

    def whole(self, swap: Swap) -> np.ndarray:
        """In which frames (F,) bool an intact mesh is shown."""
        frame = np.arange(len(self.baked.time))
        return np.ones(len(frame), bool) if swap.frame is None else frame < swap.frame


FRESH = 1.1
"""How much brighter cut faces are drawn than skin."""


def safe_name(text: str) -> str:
    """A name made of letters, digits and underscores that does not begin with a digit."""
    out = re.sub(r"[^A-Za-z0-9_]", "_", text) or "_"
    return out if not out[0].isdigit() else "_" + out


def linear_color(text: str) -> tuple[float, float, float]:
    """'#rrggbb' (sRGB) as linear light (IEC 61966-2-1)."""

    def channel(k: int) -> float:
        c = int(text[k : k + 2], 16) / 255
        return c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4

    return channel(1), channel(3), channel(5)


def _deforming(row: int, body: Body, baked: Baked, resolve: Resolve) -> ExportDeforming:
    """A body that deforms: its faces and lines are those of the bake, where it says them. (Of a net, bakes before
    0.20 said faces.)
    """
    name, points = body.name, baked.maps[f"points/{body.name}"]
    faces, lines = baked.shapes.get(f"faces/{name}"), baked.shapes.get(f"lines/{name}")
    surface = drawn_surface(body, resolve)
    if lines is not None or (faces is not None and body.matter.kind != "rope"):
        none = np.zeros((0, 3), np.int32)
        faces, lines = none if faces is None else faces, none[:, :2] if lines is None else lines
    else:
        faces, lines = surface.faces, surface.lines
    local = surface.vertices
    known = len(local) == points.shape[1]
    rest = placed(body, body.factor * local) if known else points[0].astype(float)
    uv = None
    if known and isinstance(body.shape, SheetShape):
        size = np.asarray(body.shape.size, float) * np.asarray(body.place.scale)[[0, 2]]
        uv = local[:, [0, 2]] / size + 0.5
    look, matter = body.material.look, body.matter
    own = {"state": f"state/{name}", "tension": f"tension/{name}", "touch": f"touch/{name}"}
    for key in baked.maps:
        kind, _, rest_of = key.partition("/")
        if kind in ("value", "color") and rest_of.endswith(f"/{name}"):
            own[f"{'map' if kind == 'value' else 'color'}/{rest_of[: -len(name) - 1]}"] = key
    return ExportDeforming(
        safe_name(name),
        row,
        faces,
        lines,
        points,
        2.0 * getattr(matter, "radius", 0.0),
        rest,
        uv,
        (look.thickness or getattr(matter, "thickness", 0.0)) if len(faces) else 0.0,
        look.smooth > 0,
        {key: baked.maps[at] for key, at in own.items() if at in baked.maps},
        baked.state_names.index("removed"),
    )


def export_scene(shot: Shot, built: list[Pieces], baked: Baked, resolve: Resolve = no_files) -> ExportScene:
    """Join a shot, its bodies' pieces and a bake."""
    deforming = [_deforming(b, body, baked, resolve) for b, body in enumerate(shot.bodies) if body.deforms]
    out: list[ExportPiece] = []
    swaps: list[Swap] = []
    for b, (body, solid) in enumerate(zip(shot.bodies, built, strict=True)):
        turn = rotation_matrix(body.place.rotation)
        pieces = drawn(body, solid)
        if body.release.kind == "intact" and solid.count > 1:
            broke = [e["frame"] for e in baked.events if e["kind"] == "bond_broken" and e["body"] == body.name]
            mesh = TriMesh((whole_skin(solid).vertices - solid.center[0]) @ turn.T, whole_skin(solid).faces)
            swaps.append(
                Swap(
                    f"{safe_name(body.name)}_whole",
                    b,
                    mesh,
                    len(out),
                    range(len(out), len(out) + solid.count),
                    min(broke) if broke else None,
                )
            )
        for p in range(pieces.count):
            mesh = pieces.mesh(p)
            f0, f1 = pieces.face_start[p : p + 2]
            name = safe_name(body.name) if pieces.count == 1 else f"{safe_name(body.name)}_{p:04d}"
            out.append(
                ExportPiece(
                    name,
                    b,
                    TriMesh((mesh.vertices - pieces.center[p]) @ turn.T, mesh.faces),
                    pieces.skin[f0:f1],
                    len(out),
                )
            )
    colors = np.array([linear_color(b.material.look.color) for b in shot.bodies]).reshape(-1, 3)
    return ExportScene(
        shot.name,
        [b.name for b in shot.bodies],
        colors,
        [b.material.look.roughness for b in shot.bodies],
        [b.material.look.opacity for b in shot.bodies],
        out,
        swaps,
        deforming,
        baked,
        shot.timing.fps,
    )
