"""How a body comes apart: patterns, tiers, bonds and release. Places are in the body's own scaled frame."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from .base import Direction, NotNegative, Part, Positive, PositiveVec3, Seed, Share, Vec3
from .falloffs import StillFalloff

Count = Annotated[int, Field(ge=2, le=5000)]


class Crowd(Part):
    """More and smaller pieces where a falloff is high."""

    reach: StillFalloff = Field(description="in the body's own frame")
    by: float = Field(8.0, ge=1, le=100, description="so many times as many pieces per volume where the value is 1")


class Scattered(Part):
    """Base of patterns grown from scattered seeds."""

    count: Count = Field(60, description="how many cells")
    up_to: Count | None = Field(None, description="with it, a random count from count to this, drawn by the seed")
    seed: Seed = 1
    smallest: NotNegative = Field(0.0, description="smallest piece allowed, cube root of its volume [m]; 0 allows any")

    @model_validator(mode="after")
    def _range(self) -> Scattered:
        if self.up_to is not None and self.up_to < self.count:
            raise ValueError(f"up_to ({self.up_to}) must not be below count ({self.count})")
        return self


class CellsPattern(Scattered):
    """Convex cells grown from scattered seeds (Voronoi)."""

    kind: Literal["cells"] = "cells"
    even: Share = Field(0.0, description="0: seeds fall where they fall; 1: cells of about one size")
    crowd: Crowd | None = Field(None, description="falloffs that draw cells together, so that pieces are smaller there")


class SplintersPattern(Scattered):
    """Long pieces along a grain."""

    kind: Literal["splinters"] = "splinters"
    grain: Direction = Field((1.0, 0.0, 0.0), description="direction of the long side")
    stretch: float = Field(8.0, ge=1, le=100, description="length over width")


class RadialPattern(Part):
    """Cracks in rings and spokes round a point, straight through along the axis."""

    kind: Literal["radial"] = "radial"
    center: Vec3 = Field((0.0, 0.0, 0.0), description="where it is struck, in the body [m]")
    axis: Direction = Field((0.0, 0.0, 1.0), description="along which it is struck")
    rings: int = Field(6, ge=1, le=60, description="rings about the centre")
    spokes: int = Field(12, ge=3, le=120, description="cracks out from the centre")
    radius: Positive = Field(1.0, description="of the outermost ring [m]")
    growth: float = Field(1.4, ge=1, le=4, description="each ring is so many times as wide as the one inside it")
    random: Share = Field(0.3, description="0: a perfect web; 1: torn")
    seed: Seed = 1
    smallest: NotNegative = Field(0.0, description="pieces smaller than this share of the whole join a neighbour")


class SlabsPattern(Part):
    """Parallel cuts."""

    kind: Literal["slabs"] = "slabs"
    count: int = Field(8, ge=2, le=500, description="slabs")
    axis: Direction = Field((0.0, 1.0, 0.0), description="across the slabs")
    spread: float = Field(0.05, ge=0, le=0.6, description="how far cuts may lean [rad]")
    random: Share = Field(0.3, description="unevenness of the thickness")
    seed: Seed = 1
    smallest: NotNegative = Field(0.0, description="pieces smaller than this share of the whole join a neighbour")


class BricksPattern(Part):
    """Bricks in running bond: courses upwards along y."""

    kind: Literal["bricks"] = "bricks"
    size: PositiveVec3 = Field((0.6, 0.3, 0.3), description="length, height, depth of a brick [m]")
    layout: Literal["straight", "round"] = Field("straight", description="straight along x, or round the y axis")
    offset: Share = Field(0.5, description="shift of every other course, as a share of a brick")
    jitter: float = Field(0.0, ge=0, le=0.45, description="unevenness of the joints, as a share of a brick")
    gap: NotNegative = Field(0.0, description="width of the joints as drawn [m]; the cuts run along their middle")
    seed: Seed = 1
    smallest: NotNegative = Field(0.0, description="pieces smaller than this share of the whole join a neighbour")


class FacesPattern(Part):
    """Every face its own thin shell piece."""

    kind: Literal["faces"] = "faces"
    thickness: Positive = Field(0.01, description="inwards from the surface [m]")
    rough: Share = Field(0.0, description="how ragged the edges are")
    seed: Seed = 1


CutPattern = Annotated[
    CellsPattern | SplintersPattern | RadialPattern | SlabsPattern | BricksPattern, Field(discriminator="kind")
]
Pattern = Annotated[
    CellsPattern | SplintersPattern | RadialPattern | SlabsPattern | BricksPattern | FacesPattern,
    Field(discriminator="kind"),
]


class ChunksPattern(Part):
    """Gathers pieces into chunks: bonds between chunks become one tier coarser than those inside."""

    kind: Literal["chunks", "clusters"] = Field("chunks", description="'clusters' is how it was written before 0.10")
    count: int = Field(8, ge=2, le=2000, description="how many chunks, where there is no guide")
    guide: CutPattern | None = Field(
        None, description="a break of the whole body: pieces whose centre falls into one of its pieces make one chunk"
    )
    seed: Seed = 1

    @field_validator("kind")
    @classmethod
    def _as_now(cls, _: str) -> Literal["chunks"]:
        return "chunks"


class AllPieces(Part):
    kind: Literal["all"] = "all"


class ListedPieces(Part):
    """Pieces by their numbers after the step before."""

    kind: Literal["pieces"] = "pieces"
    pieces: list[Annotated[int, Field(ge=0)]] = Field(min_length=1, max_length=5000, description="their numbers")


class LargerPieces(Part):
    kind: Literal["larger"] = "larger"
    size: Positive = Field(0.5, description="cube root of the volume [m]")


class PiecesInReach(Part):
    """Pieces whose centre has at least this value of a falloff (a box is a falloff too)."""

    kind: Literal["reach"] = "reach"
    reach: StillFalloff = Field(description="in the body's own frame")
    above: float = Field(0.5, gt=0, le=1, description="those where the falloff is above this")


Choice = Annotated[AllPieces | ListedPieces | LargerPieces | PiecesInReach, Field(discriminator="kind")]


class BreakStep(Part):
    """Breaks chosen pieces again: their new bonds are one tier finer."""

    of: Choice = Field(default_factory=AllPieces, description="which pieces are broken")
    pattern: Annotated[
        CellsPattern | SplintersPattern | RadialPattern | SlabsPattern | BricksPattern | ChunksPattern,
        Field(discriminator="kind"),
    ] = Field(description="how they are broken")


class StrengthReach(Part):
    """Strength scaled by a falloff: from low where it is 0 to high where it is 1."""

    reach: StillFalloff = Field(description="in the world")
    low: NotNegative = Field(1.0, description="factor where the falloff is 0")
    high: NotNegative = Field(4.0, description="factor where the falloff is 1")


class Bonds(Part):
    """What joins the pieces of a body."""

    strength: NotNegative = Field(400.0, description="of tier 1, in the unit below")
    unit: Literal["kN/m2", "kN/m", "kN"] = Field(
        "kN/m2",
        description="per area of the shared face; per length of the border, of cloth; or the same for every bond",
    )
    tiers: list[NotNegative] = Field(
        default_factory=list,
        max_length=3,
        description="strength of tiers 2, 3, 4; a missing one is as strong as the tier before",
    )
    by_size: float = Field(
        0.0, ge=-3, le=3, description="strength grows with (smaller piece's size over the mean size) to this power"
    )
    by_reach: StrengthReach | None = Field(None, description="strength that follows a falloff")
    cut: list[tuple[int, int]] = Field(
        default_factory=list, max_length=20000, description="pairs of pieces whose bond is cut by hand from the start"
    )


class Roughness(Part):
    """How cut faces are drawn: displaced by noise. Never changes what is computed."""

    size: Positive = Field(0.2, description="of the bumps [m]")
    depth: NotNegative = Field(0.03, description="[m]")
    seed: Seed = 1


class ReleaseStart(Part):
    """Free from the start."""

    kind: Literal["start"] = "start"


class ReleaseIntact(Part):
    """Shown as the unbroken mesh until the first bond breaks."""

    kind: Literal["intact"] = "intact"


class ReleaseTouch(Part):
    """Held until touched by another body or a field; only the touched part goes, of what only tears the whole."""

    kind: Literal["touch"] = "touch"
    part: Literal["piece", "chunk", "body"] = Field(
        "piece", description="what goes: the piece, all pieces of its tier-1 chunk, or the whole body"
    )


class ReleaseCue(Part):
    """Held until a time."""

    kind: Literal["cue"] = "cue"
    time: float = Field(1.0, ge=0, le=1e5, description="[s]")


Release = Annotated[ReleaseStart | ReleaseIntact | ReleaseTouch | ReleaseCue, Field(discriminator="kind")]
