"""Shots and their line of revisions."""

from __future__ import annotations

import json
import uuid
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from ..core import document
from ..core.document import Shot
from ..core.errors import InputError
from . import texts
from .models import NOW, RevisionRow, ShotRow, TakeRow

MOST_REVISIONS = 500
"""Older revisions than this many are dropped."""


class NotFound(InputError):
    """There is no such shot, take or asset."""

    code = "not_found"


class Conflict(InputError):
    """The shot has moved on since the caller read it."""

    code = "conflict"


@dataclass(frozen=True)
class ShotState:
    """A shot as an editor sees it. ``revision`` is what a save must name as its base. ``undo`` and ``redo`` name the
    edits they would take back or do again, or are None.
    """

    id: str
    name: str
    revision: int
    document: dict[str, Any]
    undo: str | None
    redo: str | None


def _row(session: Session, shot_id: str, *, lock: bool = False, deleted: bool = False) -> ShotRow:
    query = select(ShotRow).where(ShotRow.id == shot_id)
    row = session.scalar(query.with_for_update() if lock else query)
    if row is None or (row.deleted is not None) is not deleted:
        raise NotFound("this shot does not exist any more", where=shot_id)
    return row


def _revision(session: Session, shot_id: str, number: int) -> RevisionRow | None:
    return session.scalar(select(RevisionRow).where(RevisionRow.shot_id == shot_id, RevisionRow.number == number))


def _state(session: Session, row: ShotRow) -> ShotState:
    head = _revision(session, row.id, row.head)
    assert head is not None
    beside = select(RevisionRow.number, RevisionRow.label).where(
        RevisionRow.shot_id == row.id, RevisionRow.number.between(row.head - 1, row.head + 1)
    )
    label = {r.number: r.label for r in session.execute(beside)}
    return ShotState(
        row.id,
        row.name,
        row.version,
        json.loads(texts.read(session, head)),
        head.label if row.head - 1 in label else None,
        label.get(row.head + 1),
    )


def create(session: Session, shot: Shot, label: str = "new shot") -> ShotState:
    """Keep a new shot; its document is revision 1."""
    row = ShotRow(id=uuid.uuid4().hex, name=shot.name, note=shot.note, head=1, version=1)
    session.add(row)
    session.flush()
    first = RevisionRow(shot_id=row.id, number=1, label=label)
    texts.write(session, first, json.dumps(document.dump(shot)))
    session.add(first)
    session.flush()
    return _state(session, row)


def get(session: Session, shot_id: str) -> ShotState:
    """The shot at its head. Raises NotFound."""
    return _state(session, _row(session, shot_id))


def listing(session: Session) -> list[dict[str, Any]]:
    """All shots, the last changed first, with the number of takes and the newest finished one."""
    kept = TakeRow.deleted.is_(None)
    count = dict(session.execute(select(TakeRow.shot_id, func.count()).where(kept).group_by(TakeRow.shot_id)).all())
    seen = select(TakeRow.shot_id, TakeRow.number, TakeRow.frames_done).where(kept, TakeRow.frames_done > 0)
    newest = {shot_id: f"{n}-{done}" for shot_id, n, done in session.execute(seen.order_by(TakeRow.number))}
    rows = session.scalars(select(ShotRow).where(ShotRow.deleted.is_(None)).order_by(ShotRow.changed.desc())).all()
    return [
        {
            "id": r.id,
            "name": r.name,
            "note": r.note,
            "changed": r.changed.isoformat() + "Z",
            "created": r.created.isoformat() + "Z",
            "takes": count.get(r.id, 0),
            "picture": newest.get(r.id, f"v{r.version}"),
        }
        for r in rows
    ]


def _done_before(row: ShotRow, number: str) -> bool:
    """Whether a change was made already that now comes again, because its answer was lost."""
    return bool(number) and row.last_save == number


def save(session: Session, shot_id: str, base: int, data: dict[str, Any], label: str, number: str = "") -> ShotState:
    """Add a revision to the shot as it was at ``base``.

    number : of this save; saving again with the number of the last change does nothing
    Raises Conflict where another tab was faster, DocumentError on a bad document; then nothing is changed.
    """
    shot = document.parse(data)
    row = _row(session, shot_id, lock=True)
    if _done_before(row, number):
        return _state(session, row)
    if row.version != base:
        raise Conflict(
            "this shot was changed in another tab since you opened it; load its version, or keep yours as a copy",
            where=shot_id,
        )
    session.execute(delete(RevisionRow).where(RevisionRow.shot_id == shot_id, RevisionRow.number > row.head))
    added = RevisionRow(shot_id=shot_id, number=row.head + 1, label=label[:120])
    whole = document.dump(shot)
    texts.write(session, added, json.dumps(whole), _revision(session, shot_id, row.head))
    session.add(added)
    row.last_save = number
    row.head, row.version, row.name, row.note, row.changed = row.head + 1, row.version + 1, shot.name, shot.note, NOW
    if row.head > MOST_REVISIONS:
        session.execute(
            delete(RevisionRow).where(RevisionRow.shot_id == shot_id, RevisionRow.number <= row.head - MOST_REVISIONS)
        )
    session.flush()
    return ShotState(row.id, row.name, row.version, whole, added.label, None)


def step(session: Session, shot_id: str, base: int, by: int, number: str = "") -> ShotState:
    """Undo (by = -1) or redo (by = 1), once for each ``number``. Raises Conflict as ``save``; InputError where there is
    nothing to take back.
    """
    row = _row(session, shot_id, lock=True)
    if _done_before(row, number):
        return _state(session, row)
    if row.version != base:
        raise Conflict(
            "this shot was changed in another tab since you opened it; load its version first", where=shot_id
        )
    target = _revision(session, shot_id, row.head + by)
    if target is None:
        raise InputError("there is nothing to undo" if by < 0 else "there is nothing to redo", where=shot_id)
    row.head, row.version, row.changed = target.number, row.version + 1, NOW
    then = json.loads(texts.read(session, target))
    row.name, row.note, row.last_save = then["name"], then.get("note", ""), number
    session.flush()
    return _state(session, row)


def remove(session: Session, shot_id: str) -> None:
    """Delete a shot. It is kept for a while, with its revisions and takes; what it bakes is stopped."""
    row = _row(session, shot_id, lock=True)
    row.deleted = NOW
    session.execute(
        update(TakeRow).where(TakeRow.shot_id == shot_id, TakeRow.status == "queued").values(status="cancelled")
    )
    session.execute(update(TakeRow).where(TakeRow.shot_id == shot_id, TakeRow.status == "baking").values(cancel=True))


def restore(session: Session, shot_id: str) -> ShotState:
    """Bring a deleted shot back. Raises NotFound where it is gone for good, or was never deleted."""
    row = _row(session, shot_id, lock=True, deleted=True)
    row.deleted = None
    session.flush()
    return _state(session, row)
