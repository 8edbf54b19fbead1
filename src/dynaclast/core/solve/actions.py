"""What fields do in an interval, as they say it and as it is carried out."""

from __future__ import annotations

from dataclasses import dataclass, field

from ..arrays import Array, Mask
from ..document import FieldItem
from ..fields import PIECES, Forcing


@dataclass
class Blow:
    """What a field does at once, by index space; what it does not do is not there.

    loads   : (n,) float64, [N]
    changes : of velocities
    """

    item: FieldItem
    loads: dict[str, Array] = field(default_factory=dict)
    changes: dict[str, Forcing] = field(default_factory=dict)


@dataclass
class Actions:
    """What fields do in an interval; arrays by index space, where there is anything.

    forcing   : accelerations all through the interval
    acting    : fields over time, with what each does to pieces; acting_on_vertices: likewise
    blows     : in the order of the fields
    ticks     : of wear, with the load (n,) [N] of each
    displaced : changes of velocity of what fields displace (n, 3), by movable space
    displacing : fields that displace pieces, with the change of velocity of each
    releases  : fields that displace, a movable space, and what they let go of it that waits to be touched (n,) bool
    ends      : what kills end, with the pieces (P,) bool
    vertex_ends : kills that act, with the vertices (N,) bool in reach
    started   : fields over time whose cue begins
    """

    forcing: dict[str, Forcing] = field(default_factory=dict)
    acting: list[tuple[FieldItem, Forcing]] = field(default_factory=list)
    acting_on_vertices: list[tuple[FieldItem, Forcing]] = field(default_factory=list)
    blows: list[Blow] = field(default_factory=list)
    ticks: list[tuple[FieldItem, dict[str, Array]]] = field(default_factory=list)
    displaced: dict[str, Forcing] = field(default_factory=dict)
    displacing: list[tuple[FieldItem, Forcing]] = field(default_factory=list)
    releases: list[tuple[FieldItem, str, Mask]] = field(default_factory=list)
    ends: list[tuple[FieldItem, Mask]] = field(default_factory=list)
    vertex_ends: list[tuple[FieldItem, Mask]] = field(default_factory=list)
    started: list[FieldItem] = field(default_factory=list)

    def add(self, item: FieldItem, space: str, more: Forcing) -> None:
        """Let a field act on the samples of a space."""
        self.forcing[space] = self.forcing.get(space, Forcing()) + more
        (self.acting if space == PIECES else self.acting_on_vertices).append((item, more))
