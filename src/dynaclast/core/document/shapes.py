"""Shapes of bodies, and the steps that make a mesh usable."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import Finite, Part, Positive, PositiveVec3, Vec3
from .falloffs import StillFalloff

Division = Annotated[int, Field(ge=1, le=200)]


class BoxShape(Part):
    """A box centred on its origin."""

    kind: Literal["box"] = "box"
    size: PositiveVec3 = Field((1.0, 1.0, 1.0), description="width, height, depth [m]")
    divisions: tuple[Division, Division, Division] = Field((1, 1, 1), description="facets along width, height, depth")


class SheetShape(Part):
    """A flat plate lying level, centred on its origin."""

    kind: Literal["sheet"] = "sheet"
    size: tuple[Positive, Positive] = Field((2.0, 2.0), description="width, depth [m]")
    thickness: Positive = Field(0.02, description="[m]")
    divisions: tuple[Division, Division] = Field((8, 8), description="facets along width and depth")


class SphereShape(Part):
    """A sphere centred on its origin."""

    kind: Literal["sphere"] = "sphere"
    radius: Positive = Field(0.5, description="[m]")
    segments: int = Field(24, ge=6, le=256, description="facets round the equator")


class CylinderShape(Part):
    """An upright cylinder centred on its origin."""

    kind: Literal["cylinder"] = "cylinder"
    radius: Positive = Field(0.5, description="radius at the foot [m]")
    height: Positive = Field(1.0, description="[m]")
    taper: float = Field(1.0, ge=0.05, le=20, description="radius at the top as a share of the foot's")
    segments: int = Field(32, ge=3, le=512, description="sides of the round")
    divisions: Division = Field(1, description="rows of facets along the height")


class ConeShape(Part):
    """An upright cone centred half way up."""

    kind: Literal["cone"] = "cone"
    radius: Positive = Field(0.5, description="radius at the foot [m]")
    height: Positive = Field(1.0, description="[m]")
    segments: int = Field(32, ge=3, le=512, description="sides of the round")
    divisions: Division = Field(1, description="rows of facets along the height")


class TorusShape(Part):
    """A ring lying level, centred on its origin."""

    kind: Literal["torus"] = "torus"
    radius: Positive = Field(1.0, description="from the middle to the middle of the ring [m]")
    thickness: Positive = Field(0.25, description="radius of the ring's round section [m]")
    segments: int = Field(48, ge=3, le=512, description="facets round the ring")
    sides: int = Field(20, ge=3, le=256, description="facets round the section")

    @model_validator(mode="after")
    def _open(self) -> TorusShape:
        if self.thickness >= self.radius:
            raise ValueError(
                f"thickness ({self.thickness:g} m) must be smaller than radius ({self.radius:g} m), or the ring "
                f"would cross itself"
            )
        return self


class TubeShape(Part):
    """An upright hollow cylinder centred on its origin."""

    kind: Literal["tube"] = "tube"
    radius: Positive = Field(1.0, description="outer radius at the foot [m]")
    wall: Positive = Field(0.2, description="wall thickness [m]")
    height: Positive = Field(2.0, description="[m]")
    taper: float = Field(1.0, ge=0.05, le=20, description="outer radius at the top as a share of the foot's")
    segments: int = Field(48, ge=3, le=512, description="sides of the round")
    divisions: Division = Field(1, description="rows of facets along the height")

    @model_validator(mode="after")
    def _hollow(self) -> TubeShape:
        if self.wall >= self.radius * min(1.0, self.taper):
            raise ValueError(
                f"wall ({self.wall} m) must be thinner than the smallest outer radius "
                f"({self.radius * min(1.0, self.taper):g} m)"
            )
        return self


class LineShape(Part):
    """A line through points, for ropes."""

    kind: Literal["line"] = "line"
    points: list[Vec3] = Field(min_length=2, max_length=20_000, description="[m]; each a vertex of the rope")
    segments: int | None = Field(
        None, ge=1, le=20_000, description="divide the line into so many equal segments; without it, one a point"
    )

    @model_validator(mode="after")
    def _apart(self) -> LineShape:
        for k, (a, b) in enumerate(pairwise(self.points)):
            if sum((x - y) ** 2 for x, y in zip(a, b, strict=True)) <= 1e-18:
                raise ValueError(f"points[{k}] and points[{k + 1}] are the same place; leave one out")
        return self


class MeshShape(Part):
    """A triangle mesh written into the document."""

    kind: Literal["mesh"] = "mesh"
    vertices: list[Vec3] = Field(min_length=4, max_length=2_000_000, description="(V, 3) [m]")
    faces: list[tuple[int, int, int]] = Field(
        min_length=4,
        max_length=4_000_000,
        description="(F, 3) indices into vertices, counter-clockwise seen from outside",
    )

    @model_validator(mode="after")
    def _in_range(self) -> MeshShape:
        count = len(self.vertices)
        for row, face in enumerate(self.faces):
            if min(face) < 0 or max(face) >= count:
                raise ValueError(f"faces[{row}] is {list(face)} but there are {count} vertices (0 to {count - 1})")
        return self


class FileShape(Part):
    """A mesh file beside the document (OBJ, STL, PLY, GLB, glTF, USD)."""

    kind: Literal["file"] = "file"
    path: str = Field(min_length=1, max_length=400, description="relative to the document")
    scale: Positive | None = Field(
        None, description="metres per unit of the file; without it, what the file says, or metres"
    )
    part: str | None = Field(
        None, max_length=200, description="name of one mesh in the file; without it, all of them as one"
    )


class AssetShape(Part):
    """A mesh kept in the application's store."""

    kind: Literal["asset"] = "asset"
    asset: str = Field(min_length=8, max_length=64, description="content hash of the stored mesh")


class FalloffShape(Part):
    """The surface where a falloff has a value: inside it, the value is higher."""

    kind: Literal["falloff"] = "falloff"
    reach: StillFalloff = Field(description="in the body's own frame")
    level: float = Field(0.5, gt=0, lt=1, description="the value at the surface")
    center: Vec3 = Field((0.0, 0.0, 0.0), description="of the box that is looked at")
    size: PositiveVec3 = Field((4.0, 4.0, 4.0), description="of that box; the surface is closed where it leaves it [m]")
    detail: int = Field(32, ge=8, le=160, description="cells along the longest side")


Shape = Annotated[
    FalloffShape
    | BoxShape
    | SheetShape
    | SphereShape
    | CylinderShape
    | ConeShape
    | TubeShape
    | TorusShape
    | LineShape
    | MeshShape
    | FileShape
    | AssetShape,
    Field(discriminator="kind"),
]


# ------------------------------------------------------------------------------ mesh steps


class Weld(Part):
    """Joins vertices that lie close together."""

    kind: Literal["weld"] = "weld"
    distance: Positive = Field(1e-4, description="as a share of the mesh's size")


class FillHoles(Part):
    """Closes every open rim with a fan of triangles."""

    kind: Literal["fill"] = "fill"


class Unify(Part):
    """Makes all faces look outwards, and drops doubled faces and those without area."""

    kind: Literal["unify"] = "unify"


class MakeSolid(Part):
    """Builds one clean closed surface round the mesh, whatever its state; the last resort."""

    kind: Literal["solid"] = "solid"
    detail: int = Field(64, ge=8, le=160, description="cells along the longest side")


class Subdivide(Part):
    """Splits every triangle into four."""

    kind: Literal["subdivide"] = "subdivide"
    times: int = Field(1, ge=1, le=4, description="how often every triangle becomes four")


class Decimate(Part):
    """Takes triangles away where they matter least."""

    kind: Literal["decimate"] = "decimate"
    keep: float = Field(0.5, gt=0, lt=1, description="share of the triangles to keep")


class ScaleMesh(Part):
    """Scales the mesh for good: an applied scale."""

    kind: Literal["scale"] = "scale"
    by: PositiveVec3 = Field((1.0, 1.0, 1.0), description="factors along x, y and z")


class DisplaceMesh(Part):
    """Moves the vertices by a falloff, along their normals and by an offset; a mesh wants enough of them first
    (subdivide).
    """

    kind: Literal["displace"] = "displace"
    reach: StillFalloff = Field(description="in the mesh's own frame, before its scale")
    by: Finite = Field(0.1, description="along the normals, outwards, where the value is 1 [m]")
    offset: Vec3 = Field((0.0, 0.0, 0.0), description="and by this, where the value is 1 [m]")


MeshStep = Annotated[
    Weld | FillHoles | Unify | MakeSolid | Subdivide | Decimate | ScaleMesh | DisplaceMesh, Field(discriminator="kind")
]
