"""Bodies and groups of bodies."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, PrivateAttr, model_validator

from .base import Finite, Name, NotNegative, Part, Positive, PositiveVec3, Seed, Share, Turned, Vec3
from .falloffs import ReachShape
from .matter import Matter, Opening, Pins, Recall, RigidMatter, VertexWeight
from .motion import Channel, Motion
from .patterns import Bonds, BreakStep, FacesPattern, Pattern, Release, ReleaseStart, Roughness
from .presets import PRESETS
from .shapes import MeshStep, Shape


class Place(Turned):
    """Where a body stands: scaled first, then turned, then moved."""

    position: Vec3 = Field((0.0, 0.0, 0.0), description="[m]")
    scale: PositiveVec3 = Field((1.0, 1.0, 1.0), description="applied before anything is computed")


class Look(Part):
    """How a body is drawn; never changes what is computed."""

    color: str = Field("#9aa5a3", pattern=r"^#[0-9a-fA-F]{6}$", description="of its outside, #rrggbb")
    roughness: Share = Field(0.85, description="0 shines, 1 is dull")
    opacity: Share = Field(1.0, description="how much of what is behind it hides; exported")
    thickness: float = Field(0.0, ge=0, le=10, description="that cloth has for the eye alone [m]")
    side: float = Field(
        0.0, ge=-1, le=1, description="to which side of cloth its thickness for the eye lies: 0 to both, 1 outside"
    )
    smooth: int = Field(
        0, ge=0, le=3, description="how often triangles of what deforms are divided and rounded, for the eye alone"
    )
    sides: int = Field(8, ge=3, le=32, description="of the round of ropes")


class Material(Part):
    """What a body is made of."""

    preset: str = Field("", max_length=60, description="the material these values were taken from, for the eye only")
    density: Positive = Field(2400.0, description="[kg/m3]")
    mass: Positive | None = Field(None, description="total mass [kg]; with it, the density follows")
    friction: float = Field(0.6, ge=0, le=5, description="Coulomb coefficient")
    bounce: Share = Field(0.1, description="share of the speed kept by a hit; above 1 would make energy")
    rolling: Share = Field(0.01, description="rolling resistance: share of the contact's lever arm")
    look: Look = Field(default_factory=Look, description="how it is drawn and exported")

    def density_for(self, volume: float) -> float:
        """Density [kg/m3] of a body of so much volume [m3]."""
        return self.mass / volume if self.mass is not None and volume > 0 else self.density


BODY_NUMBERS = ("gravity", "material.friction", "material.bounce", "material.rolling")
"""Numbers of a body that channels can set."""
DEFORMING_NUMBERS = ("gravity", "material.friction")
"""And of one that deforms: it neither bounces nor rolls as a piece does."""


class Body(Part):
    """One thing in a shot."""

    name: Name = Field(description="unique among bodies and groups")
    role: Literal["active", "passive", "animated"] = Field(
        "active",
        description="active: moved by physics; passive: only collided with; animated: moved by its keys, or by its "
        "velocity and spin, and pushes others",
    )
    shape: Shape = Field(description="what it is made of: a shape, a mesh file, or a falloff's surface")
    steps: list[MeshStep] = Field(
        default_factory=list,
        max_length=24,
        description="what is done to the mesh first, in order: repairs, density, an applied scale",
    )
    place: Place = Field(default_factory=Place, description="where it stands at the start")
    material: Material = Field(
        default_factory=Material, description="what it is made of: density, friction and the like"
    )
    matter: Matter = Field(default_factory=RigidMatter, description="rigid, cloth, soft or rope; the last three deform")
    pins: list[Pins] = Field(
        default_factory=list, max_length=24, description="vertices of a body that deforms which something holds"
    )
    recall: list[Recall] = Field(
        default_factory=list, max_length=8, description="what draws a body that deforms back to its start"
    )
    weights: list[VertexWeight] = Field(
        default_factory=list, max_length=12, description="numbers of its matter that differ from place to place"
    )
    opening: Opening | None = Field(
        None, description="where its vertices stand at the start, of a body that deforms; without it, as its shape is"
    )
    pattern: Pattern | None = Field(None, description="how the body is broken; without one it stays whole")
    breaks: list[BreakStep] = Field(
        default_factory=list, max_length=12, description="further breaks of its pieces, in order"
    )
    roughness: Roughness | None = Field(None, description="rough cut faces, for the eye only")
    bonds: Bonds | None = Field(None, description="what joins the pieces; without it they are free from the start")
    load_path: Literal["off", "on", "fail"] = Field(
        "off",
        description="what acts on it, its weight and its own motion through its bonds: off; on, to be seen; fail, so "
        "that bonds break under it",
    )
    release: Release = Field(
        default_factory=ReleaseStart, description="when the body may move and how it is shown before"
    )
    gravity: float = Field(1.0, ge=-10, le=10, description="its share of the shot's gravity: 0 floats, negative rises")
    velocity: Vec3 = Field(
        (0.0, 0.0, 0.0), description="at the start [m/s]; of an animated body without keys, all the time"
    )
    spin: Vec3 = Field(
        (0.0, 0.0, 0.0),
        description="at the start, about the centre of mass [rad/s]; of an animated body without keys, all the time",
    )
    motion: Motion | None = Field(
        None, description="the keys of an animated body; they take the place of its own place"
    )
    collision: Literal["auto", "ball", "box", "hull", "parts", "exact"] = Field(
        "auto",
        description="what each piece collides as: auto, a hull, or several where it is hollow or bent; "
        "ball, box, hull: one of that kind round it; parts, several hulls; exact, its very triangles (passive and "
        "animated bodies)",
    )

    channels: list[Channel] = Field(
        default_factory=list,
        max_length=8,
        description="numbers of it over time: gravity, material.friction, material.bounce, material.rolling",
    )

    @model_validator(mode="before")
    @classmethod
    def _material_of_preset(cls, data: Any) -> Any:
        """Matter from a preset brings its density and friction, where they are not given."""
        matter = data.get("matter") if isinstance(data, dict) else None
        name = matter.get("preset") if isinstance(matter, dict) else None
        if not isinstance(name, str) or name not in PRESETS:
            return data
        given = data.get("material", {})
        if not isinstance(given, dict):
            return data
        preset = PRESETS[name]
        return data | {"material": {"preset": name, "density": preset.density, "friction": preset.friction} | given}

    @model_validator(mode="after")
    def _numbers_of_a_run(self) -> Body:
        for k, channel in enumerate(self.channels):
            if channel.of not in BODY_NUMBERS:
                raise ValueError(
                    f"channels[{k}]: '{channel.of}' cannot change in a run; of a body these can: "
                    f"{', '.join(BODY_NUMBERS)}"
                )
        return self

    @model_validator(mode="after")
    def _unit_of_bonds(self) -> Body:
        if self.bonds is None:
            return self
        cloth = self.matter.kind == "cloth"
        if cloth and self.bonds.unit == "kN/m2":
            raise ValueError("bonds.unit: patches of cloth meet along lines: give their strength in kN/m, or in kN")
        if not cloth and self.bonds.unit == "kN/m":
            raise ValueError("bonds.unit: pieces meet along faces: give their strength in kN/m2, or in kN")
        return self

    @model_validator(mode="after")
    def _what_deforms(self) -> Body:
        kind = self.matter.kind
        line = self.shape.kind == "line"
        if kind == "rigid":
            if self.pins or self.recall or self.weights:
                raise ValueError(
                    "pins, recall and weights are for cloth, soft and rope bodies; hold rigid pieces by an anchor"
                )
            if self.opening is not None:
                raise ValueError("opening: only cloth, soft and rope bodies can open in another shape than their own")
            if line:
                raise ValueError("a line has no volume: give it the matter 'rope', or another shape")
            return self
        if line and kind != "rope":
            raise ValueError(f"a line cannot be {kind}: give it the matter 'rope', or another shape")
        if self.role != "active":
            raise ValueError(f"a {kind} body is active; to hold it, pin its vertices")
        if self.motion is not None:
            raise ValueError(f"motion: a {kind} body cannot have one; only rigid bodies can")
        if kind == "rope" and self.pattern is not None:
            raise ValueError("pattern: a rope is not cut; say at which load it breaks (matter.breaks)")
        if kind == "soft" and isinstance(self.pattern, FacesPattern):
            raise ValueError("pattern: a soft body has no thin shells; choose another pattern, or make it cloth")
        if kind == "soft" and self.pattern is not None and getattr(self.matter, "tear", None) is not None:
            raise ValueError(
                "matter.tear: a soft body in pieces parts along its seams: give its bonds a strength, or take the "
                "pattern away, so that it tears wherever it is pulled too far"
            )
        for k, channel in enumerate(self.channels):
            if channel.of not in DEFORMING_NUMBERS:
                raise ValueError(
                    f"channels[{k}]: '{channel.of}' of a {kind} body cannot change in a run; these can: "
                    f"{', '.join(DEFORMING_NUMBERS)}, and numbers of fields on it"
                )
        if self.release.kind == "intact":
            raise ValueError(
                f"release: a {kind} body moves from the start, from a time on, or when it is touched; pin what is to "
                "stay where it is"
            )
        return self

    @model_validator(mode="after")
    def _exact_stands(self) -> Body:
        if self.collision == "exact" and self.role == "active":
            raise ValueError(
                "collision 'exact' is for passive and animated bodies; an active one needs a solid shape, such "
                "as 'parts'"
            )
        return self

    _factor: float = PrivateAttr(1.0)
    _group: str = PrivateAttr("")

    @property
    def deforms(self) -> bool:
        """Whether it is cloth, soft or rope."""
        return self.matter.kind != "rigid"

    @property
    def factor(self) -> float:
        """Uniform size of this member of a group over its pattern body; 1 outside groups."""
        return self._factor

    @property
    def column(self) -> str:
        """The name fields and grids know it by: its group's, or its own."""
        return self._group or self.name

    def as_member(
        self, group: str, name: str, position: tuple[float, ...], rotation: tuple[float, ...], factor: float
    ) -> Body:
        """This body as one member of a group, placed and uniformly sized; all else is shared."""
        out = self.model_copy(
            update={
                "name": name,
                "place": self.place.model_copy(update={"position": tuple(position), "rotation": tuple(rotation)}),
            }
        )
        out._factor = float(factor)
        out._group = group
        return out


# ---------------------------------------------------------------------------------- groups


class LineLayout(Part):
    """Along a line: member k stands at k steps."""

    kind: Literal["line"] = "line"
    count: int = Field(5, ge=1, le=2000, description="members")
    step: Vec3 = Field((1.5, 0.0, 0.0), description="from one to the next [m]")


class GridLayout(Part):
    kind: Literal["grid"] = "grid"
    count: tuple[
        Annotated[int, Field(ge=1, le=500)], Annotated[int, Field(ge=1, le=500)], Annotated[int, Field(ge=1, le=500)]
    ] = Field((4, 1, 4), description="members along x, y and z")
    step: PositiveVec3 = Field((1.5, 1.5, 1.5), description="[m]")


class RingLayout(Part):
    """Round the y axis."""

    kind: Literal["ring"] = "ring"
    count: int = Field(8, ge=1, le=2000, description="members")
    radius: Positive = Field(3.0, description="[m]")
    arc: float = Field(6.283185307179586, gt=0, le=6.283185307179586, description="how far round [rad]")
    face: bool = Field(True, description="turn members with the ring")


class VolumeScatter(Part):
    """At random inside a shape."""

    kind: Literal["volume"] = "volume"
    count: int = Field(40, ge=1, le=2000, description="members")
    inside: ReachShape = Field(description="the core of this shape, in the world")
    gap: Finite = Field(
        0.0, description="smallest distance between members' bounding balls [m]; negative lets them overlap"
    )


class SurfaceScatter(Part):
    """At random over a body's surface or the ground."""

    kind: Literal["surface"] = "surface"
    count: int = Field(40, ge=1, le=2000, description="members")
    body: Name | None = Field(
        None, description="over this body's surface; without it, over the ground inside the shape below"
    )
    inside: ReachShape | None = Field(None, description="only inside the core of this shape, in the world")
    steepest: float = Field(0.9, ge=0, le=3.1416, description="leave out faces leaning more than this from level [rad]")
    gap: Finite = Field(0.0, description="smallest distance between members [m]")
    align: bool = Field(False, description="stand along the surface's normal instead of upright")


Layout = Annotated[LineLayout | GridLayout | RingLayout | VolumeScatter | SurfaceScatter, Field(discriminator="kind")]


class Group(Part):
    """Many bodies made from one, edited together. Members are named NAME.0001, NAME.0002 and so on."""

    name: Name = Field(description="unique among bodies and groups")
    body: Body = Field(description="what every member is a copy of; its place is the layout's origin")
    layout: Layout = Field(description="how the members are laid out")
    size: tuple[Positive, Positive] = Field((1.0, 1.0), description="range of the random size, as a factor")
    turn: NotNegative = Field(0.0, le=3.1416, description="largest random turn about y [rad]")
    tilt: NotNegative = Field(0.0, le=3.1416, description="largest random lean away from upright [rad]")
    seed: Seed = 1

    @model_validator(mode="after")
    def _no_keys(self) -> Group:
        if self.body.motion is not None:
            raise ValueError(
                "a group's members cannot share keys, which say where one body stands; give them a velocity or "
                "spin instead"
            )
        return self
