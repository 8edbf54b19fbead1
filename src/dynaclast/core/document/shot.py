"""One scene: all parts of the shot document together."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from .base import Finite, Name, Part, Seed, Share, Vec3
from .bodies import Body, Group
from .falloffs import SharedFalloff
from .fields import FieldItem
from .maps import WeightMap
from .references import check_references
from .ties import Tie


class Timing(Part):
    fps: float = Field(24.0, ge=1, le=240, description="frames a second")
    frames: int = Field(240, ge=1, le=2000, description="frames computed after the opening pose")


class Ground(Part):
    """The solid ground plane."""

    on: bool = Field(True, description="whether there is ground")
    height: Finite = Field(0.0, description="[m]")
    friction: float = Field(0.7, ge=0, le=5, description="of the ground, mixed with that of what touches it")
    bounce: Share = Field(0.05, description="share of the speed kept by a hit on the ground")


class Limits(Part):
    """Where a run is kept from running away; an event tells when one acts."""

    speed: float = Field(500.0, gt=0, le=1e5, description="fastest a piece may go [m/s]")
    spin: float = Field(200.0, gt=0, le=1e4, description="fastest it may turn [rad/s]")


class Shot(Part):
    """One scene: bodies, fields, time, and how carefully to compute."""

    version: Literal[1] = Field(1, description="of the document's form")
    name: Name = Field("Untitled shot", description="of the shot")
    note: str = Field("", max_length=400, description="what it is for, in a line or two")
    timing: Timing = Field(default_factory=Timing, description="frames, and frames a second")
    quality: Literal["draft", "standard", "fine"] = Field(
        "standard", description="draft to look, fine for steep piles and thin things"
    )
    gravity: Vec3 = Field((0.0, -9.81, 0.0), description="[m/s2]")
    ground: Ground = Field(default_factory=Ground, description="the plane everything falls on")
    seed: Seed = Field(1, description="of all that is drawn at random and has no seed of its own")
    bodies: list[Body] = Field(default_factory=list, max_length=2000, description="what is there, once each")
    groups: list[Group] = Field(default_factory=list, max_length=200, description="many bodies made from one")
    ties: list[Tie] = Field(
        default_factory=list, max_length=500, description="what joins bodies to each other or to the world"
    )
    fields: list[FieldItem] = Field(default_factory=list, max_length=200, description="what happens, where and when")
    falloffs: list[SharedFalloff] = Field(
        default_factory=list, max_length=200, description="falloffs with names, for many users"
    )
    maps: list[WeightMap] = Field(
        default_factory=list, max_length=32, description="numbers on pieces by a falloff, kept with every frame"
    )
    limits: Limits = Field(default_factory=Limits, description="speeds above which things are held back")

    @model_validator(mode="after")
    def _refers(self) -> Shot:
        check_references(self)
        return self
