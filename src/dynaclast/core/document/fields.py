"""Fields: effect, reach, cue, targets; how they travel and which of their numbers change over time."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from .base import Direction, Finite, Name, NotNegative, Part, Positive, Seed, Share, Vec3
from .cues import AtCue, Cue, SpanCue
from .falloffs import Falloff
from .motion import Channel

UP = (0.0, 1.0, 0.0)


class AnchorEffect(Part):
    """Holds pieces before the first step; strengthens bonds where the value is below the cut."""

    kind: Literal["anchor"] = "anchor"
    cut: float = Field(0.5, gt=0, le=1, description="held where the falloff's value is at least this")
    reinforce: NotNegative = Field(
        4.0, description="below the cut, bond strength is multiplied by 1 + reinforce * value"
    )
    hold: Literal["fixed", "carried", "touch"] = Field(
        "fixed", description="fixed for good; carried by an animated body; asleep until touched"
    )
    carrier: Name | None = Field(None, description="the animated body that carries what is held")

    @model_validator(mode="after")
    def _carried(self) -> AnchorEffect:
        if (self.hold == "carried") != (self.carrier is not None):
            raise ValueError("hold 'carried' needs a 'carrier', the animated body, and only it")
        return self


class StrainEffect(Part):
    """Load on every bond in reach: in one blow, or a wear that adds up tick by tick and goes on to finer tiers."""

    kind: Literal["strain"] = "strain"
    mode: Literal["blow", "wear"] = Field(
        "blow", description="blow: all at once, at every firing of the cue; wear: each firing is a tick that stays"
    )
    load: NotNegative = Field(500.0, description="load on a bond where the value is 1 [kN]")
    burst: float = Field(
        0.0, ge=-200, le=200, description="speed given to the pieces in reach at a blow, away from the centre [m/s]"
    )
    cap: Positive | None = Field(None, description="wear: most load it lays on any one bond in all [kN]")


class KillEffect(Part):
    """Ends what comes in and is slow enough for long enough, or old enough. Where regions are nested, the innermost
    acts.
    """

    kind: Literal["kill"] = "kill"
    what: Literal["rest", "freeze", "remove"] = Field(
        "rest", description="put to rest until touched; stopped for good; taken out"
    )
    slower: NotNegative = Field(0.2, description="speed below which it counts as slow [m/s]")
    time: NotNegative = Field(0.5, description="for how long it must be slow [s]")
    age: Positive | None = Field(None, description="ended after so long inside, however fast [s]")


class VortexEffect(Part):
    """Turns what is in reach about an axis: swirl like a Rankine vortex, pull to the axis, lift along it."""

    kind: Literal["vortex"] = "vortex"
    axis: Direction = Field(UP, description="about which it turns")
    swirl: Finite = Field(8.0, description="speed round the axis at the core's radius [m/s]; 0 pulls only")
    core: Positive = Field(1.0, description="radius up to which it turns like a solid; beyond, speed falls as 1/r [m]")
    grip: NotNegative = Field(4.0, description="how fast it takes things to that speed [1/s]")
    inward: Finite = Field(6.0, description="pull towards the axis [m/s2]; negative throws out")
    lift: Finite = Field(4.0, description="along the axis [m/s2]")
    contain: NotNegative = Field(
        0.0, description="how strongly what is caught is steered to the ring, against gravity too [1/s]; 0 lets go"
    )
    ring: NotNegative = Field(2.0, description="radius of the ring it is steered to [m]")


class WindEffect(Part):
    """Air that moves: drag and lift on the faces turned to it."""

    kind: Literal["wind"] = "wind"
    direction: Direction = Field((1.0, 0.0, 0.0), description="along which it blows")
    speed: Finite = Field(15.0, description="[m/s]")
    gusts: NotNegative = Field(0.0, le=3, description="share of the speed that comes and goes")
    gust_time: Positive = Field(1.5, description="how long a gust lasts [s]")
    gust_size: Positive = Field(6.0, description="how wide it is [m]")
    density: NotNegative = Field(1.2, description="of the air [kg/m3]")
    drag: NotNegative = Field(1.1, description="drag coefficient of a face square to it")
    lift: Share = Field(
        0.5, description="share of the pressure that pushes along the face's normal instead of along the wind"
    )
    shelter: NotNegative = Field(
        0.0, le=1e5, description="how far behind an obstacle the wind is itself again [m]; 0: nothing shelters"
    )
    seed: Seed = 1


class AttractorEffect(Part):
    """Pulls to a point, a line or a body's surface; negative strength repels."""

    kind: Literal["attractor"] = "attractor"
    to: Literal["point", "line", "surface"] = Field("point", description="what it pulls to")
    body: Name | None = Field(None, description="the body whose surface it is")
    axis: Direction = Field(UP, description="of the line")
    strength: Finite = Field(10.0, description="at 1 m [m/s2, or N]")
    unit: Literal["m/s2", "N"] = Field(
        "m/s2", description="m/s2: the same for light and heavy; N: heavy things are pulled less"
    )
    law: Literal["constant", "linear", "inverse", "inverse-square"] = Field(
        "constant", description="how the pull changes with the distance"
    )
    near: Positive = Field(0.1, description="nearer than this the pull is that at this distance [m]")
    top_speed: Positive | None = Field(None, description="what moves faster towards it is not pulled further [m/s]")
    settle: NotNegative = Field(0.0, description="inside this distance things arrive instead of swinging through [m]")

    @model_validator(mode="after")
    def _surface(self) -> AttractorEffect:
        if (self.to == "surface") != (self.body is not None):
            raise ValueError("to 'surface' needs a 'body', and only it")
        return self


class BurstEffect(Part):
    """Radial: away from the reach's centre."""

    kind: Literal["burst"] = "burst"
    speed: float = Field(
        5.0,
        ge=-1e6,
        le=1e6,
        description="where the value is 1; negative pulls in. A blow gives m/s (or N s), over a span m/s2 (or N)",
    )
    unit: Literal["m/s", "N"] = Field("m/s", description="m/s: the same for light and heavy; N: force or impulse")
    noise: Share = Field(0.0, description="share that differs from piece to piece")
    seed: Seed = 1


class PushEffect(Part):
    """Along a direction."""

    kind: Literal["push"] = "push"
    direction: Direction = Field((1.0, 0.0, 0.0), description="along which it pushes")
    amount: Finite = Field(5.0, description="a blow gives m/s (or N s), over a span m/s2 (or N)")
    unit: Literal["m/s", "N"] = Field("m/s", description="m/s: the same for light and heavy; N: heavy things go slower")
    noise: Share = Field(0.0, description="share that differs from piece to piece")
    seed: Seed = 1


class SpinEffect(Part):
    """Turns each thing about its own centre."""

    kind: Literal["spin"] = "spin"
    axis: Direction = Field(UP, description="about which it turns them")
    amount: Finite = Field(3.0, description="a blow gives rad/s (or N m s), over a span rad/s2 (or N m)")
    unit: Literal["rad/s", "N m"] = Field(
        "rad/s", description="rad/s: the same for light and heavy; N m: heavy things turn slower"
    )
    noise: Share = Field(0.0, description="share that differs from piece to piece")
    seed: Seed = 1


class TurbulenceEffect(Part):
    """Noise without sources or sinks (curl noise), as an acceleration."""

    kind: Literal["turbulence"] = "turbulence"
    strength: Finite = Field(5.0, description="typical size of it [m/s2]")
    size: Positive = Field(2.0, description="of its whirls [m]")
    rate: NotNegative = Field(0.5, description="how often they change [1/s]")
    seed: Seed = 1


class DragEffect(Part):
    """Slows what moves and turns."""

    kind: Literal["drag"] = "drag"
    amount: NotNegative = Field(1.0, description="share of the speed lost each second, compounding [1/s]")
    turning: NotNegative = Field(1.0, description="the same of the spin [1/s]")


class GravityEffect(Part):
    """Another gravity where it reaches, on top of the shot's."""

    kind: Literal["gravity"] = "gravity"
    acceleration: Vec3 = Field((0.0, 9.81, 0.0), description="[m/s2]")


class DisplaceEffect(Part):
    """Moves things by an offset and a turn in step with the falloff: what a moving falloff passes is shifted, and
    knocked loose.
    """

    kind: Literal["displace"] = "displace"
    offset: Vec3 = Field((0.0, 0.5, 0.0), description="where the value is 1 [m]")
    axis: Direction = Field(UP, description="what is shifted turns about it")
    angle: Finite = Field(0.0, description="turn about its own centre where the value is 1 [rad]")
    wakes: bool = Field(True, description="frees what waits to be touched")


Effect = Annotated[
    AnchorEffect
    | StrainEffect
    | KillEffect
    | VortexEffect
    | WindEffect
    | AttractorEffect
    | BurstEffect
    | PushEffect
    | SpinEffect
    | TurbulenceEffect
    | DragEffect
    | GravityEffect
    | DisplaceEffect,
    Field(discriminator="kind"),
]
OVER_TIME = ("kill", "vortex", "wind", "attractor", "turbulence", "drag", "gravity", "displace")
"""Effects that act all the while their cue is on; the others act in blows, or all the while under a span."""


class PathTravel(Part):
    """Along keys: its origin goes where they say."""

    kind: Literal["path"] = "path"
    points: list[Vec3] = Field(min_length=2, max_length=200, description="[m]")
    start: NotNegative = Field(0.0, description="[s]")
    time: Positive = Field(5.0, description="how long it takes [s]")
    smooth: bool = Field(True, description="round the corners, and start and stop gently")


class RoundTravel(Part):
    """Round a point or a body."""

    kind: Literal["round"] = "round"
    center: Vec3 = Field((0.0, 0.0, 0.0), description="what it goes round [m]")
    body: Name | None = Field(None, description="round this body instead, wherever it goes")
    axis: Direction = Field(UP, description="about which it goes round")
    rate: Finite = Field(0.1, description="turns a second")
    turning: bool = Field(True, description="its direction turns with it")


class RideTravel(Part):
    """With a body."""

    kind: Literal["ride"] = "ride"
    body: Name = Field(description="the body it rides on")


Travel = Annotated[PathTravel | RoundTravel | RideTravel, Field(discriminator="kind")]


class FieldItem(Part):
    """Something that acts: effect, reach, cue, targets."""

    name: Name = Field(description="unique among fields")
    on: bool = Field(True, description="switched off it does nothing")
    effect: Effect = Field(description="what it does")
    reach: Falloff = Field(description="where it does it")
    cue: Cue = Field(
        default_factory=AtCue, description="when it acts; an anchor holds from the start and has no use for it"
    )
    targets: Literal["all"] | list[Name] = Field("all", description="names of bodies and groups, or all")
    tiers: list[Annotated[int, Field(ge=0, le=12)]] | None = Field(
        None, description="only pieces made on these tiers, and bonds of these tiers"
    )
    states: list[Literal["held", "resting", "moving"]] | None = Field(
        None, description="only what is doing this at the time"
    )
    travel: Travel | None = Field(None, description="how its reach and origin move")
    aim: Name | None = Field(None, description="a body or field its direction or axis points at")
    channels: list[Channel] = Field(default_factory=list, max_length=100, description="numbers of it over time")

    @model_validator(mode="before")
    @classmethod
    def _cue_that_fits(cls, data: Any) -> Any:
        """What acts over time and has no cue acts from the start on; a cue without a kind is a time."""
        if (
            isinstance(data, dict)
            and data.get("cue") is None
            and isinstance(data.get("effect"), dict)
            and data["effect"].get("kind") in OVER_TIME
        ):
            return {**data, "cue": {"kind": "span"}}
        if isinstance(data, dict) and isinstance(data.get("cue"), dict) and "kind" not in data["cue"]:
            return {**data, "cue": {"kind": "at", **data["cue"]}}
        return data

    @model_validator(mode="after")
    def _blows(self) -> FieldItem:
        if isinstance(self.effect, StrainEffect) and isinstance(self.cue, SpanCue):
            raise ValueError("cue: a strain acts in blows or ticks; give it an 'at', 'pulse', 'impact' or 'hand' cue")
        return self


__all__ = [name for name in dir() if name[0].isupper() and name not in ("Annotated", "Any", "Literal", "Field", "Part")]
