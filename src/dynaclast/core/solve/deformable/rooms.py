"""Room for what deformable bodies meet: more of it where there was not enough."""

from __future__ import annotations

import numpy as np

from .meetings import with_room
from .parts import Deformables
from .system import make_slot_contacts
from .tables import make_rows

ROWS_EACH = 8
"""Room for rows of each pair of a point and a shape that are near: the point's, and of edges that begin there."""


def lacks_room_to_meet(parts: Deformables) -> bool:
    """Whether there was not enough for all pairs that may meet."""
    meeting = parts.meeting
    return bool(meeting.most[0] > len(meeting.point) or meeting.most[1] > len(meeting.segment))


def with_room_to_meet(parts: Deformables) -> Deformables:
    """With enough for them."""
    meeting = parts.meeting
    wanted = (meeting.most[0], len(meeting.point)), (meeting.most[1], len(meeting.segment))
    room = (int(n + n // 2) if n > room else room for n, room in wanted)
    return parts._replace(meeting=with_room(meeting, *room))


def with_room_for_rows(parts: Deformables, least: int) -> Deformables:
    """With enough for all that is near, and at least for so many rows."""
    e, meeting, rows, scratch = parts.elements, parts.meeting, parts.rows, parts.scratch
    room = len(e.ties.strength) + len(e.points.radius) + ROWS_EACH * int(parts.near.found[0])
    room = max(room + len(meeting.point) + len(meeting.segment), least)
    if room <= len(rows.gap):
        return parts
    rows = make_rows(room + room // 4)
    most = len(rows.gap) + len(e.bodies.solver) + len(scratch.given)
    return parts._replace(rows=rows, scratch=scratch._replace(group_of=np.zeros(most, np.int32)))


def with_room_for_contacts(parts: Deformables, contacts: int) -> Deformables:
    """With enough for so many contacts of assemblies with one another."""
    return parts._replace(slots=parts.slots._replace(touch=make_slot_contacts(contacts)))
