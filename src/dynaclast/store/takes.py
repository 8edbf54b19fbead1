"""Takes: bakes asked for, in progress and finished, with their frames."""

from __future__ import annotations

import json
import uuid
from typing import Any, NamedTuple

import numpy as np
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session, defer

from ..core.errors import InputError
from ..core.solve.frame import Frame
from . import texts
from .blobs import pack, squeeze, unpack, unsqueeze
from .models import NOW, ChunkRow, RevisionRow, ShotRow, TakeRow
from .shots import NotFound, get

ACTIVE = ("queued", "baking")
MOST_LOST = 3
"""Workers lost at the same frame, after which a bake is given up."""
STATE_EVERY = 48
"""Frames between states that are kept of a take."""
TURN = (TakeRow.behind, TakeRow.created, TakeRow.id)
"""Of bakes that wait, by what they are begun in turn."""


def ask(
    session: Session, shot_id: str, frames_total: int, instead: dict[str, Any] | None = None, *, behind: bool = False
) -> TakeRow:
    """Queue a bake of the shot as it is now, or of a document ``instead``.

    behind : nobody waits for it: bakes that are waited for go first, and it stops for them
    """
    session.execute(select(ShotRow.id).where(ShotRow.id == shot_id).with_for_update())  # one number after the other
    state = get(session, shot_id)
    number = (session.scalar(select(func.max(TakeRow.number)).where(TakeRow.shot_id == shot_id)) or 0) + 1
    row = TakeRow(
        id=uuid.uuid4().hex,
        shot_id=shot_id,
        number=number,
        revision=state.revision,
        status="queued",
        frames_total=frames_total,
        frames_done=-1,
        behind=behind,
    )
    head = session.scalar(
        select(RevisionRow)
        .join(ShotRow, ShotRow.id == RevisionRow.shot_id)
        .where(ShotRow.id == shot_id, RevisionRow.number == ShotRow.head)
    )
    texts.write(session, row, json.dumps(instead or state.document), head)
    session.add(row)
    session.flush()
    return row


def find(session: Session, take_id: str, deleted: bool = False) -> TakeRow:
    """A take, or one that was deleted. Raises NotFound."""
    row = session.get(TakeRow, take_id)
    if row is None or (row.deleted is not None) is not deleted:
        raise NotFound("this take does not exist any more", where=take_id)
    return row


def of_shot(session: Session, shot_id: str) -> list[TakeRow]:
    """The shot's takes, newest first, without their documents."""
    return list(
        session.scalars(
            select(TakeRow)
            .where(TakeRow.shot_id == shot_id, TakeRow.deleted.is_(None))
            .order_by(TakeRow.number.desc())
            .options(defer(TakeRow.document), defer(TakeRow.difference))
        )
    )


def cancel(session: Session, take_id: str) -> TakeRow:
    """Ask a bake to stop; what is done is kept."""
    row = find(session, take_id)
    if row.status == "queued":
        row.status, row.finished = "cancelled", NOW
    elif row.status == "baking":
        row.cancel = True
    return row


def extend(session: Session, take_id: str, frames_total: int | None = None) -> TakeRow:
    """Go on with a take that was stopped, or beyond its end. Raises InputError if it is at work or has no frames to go
    on from.
    """
    row = find(session, take_id)
    if row.status in ACTIVE:
        raise InputError("this take is still baking", where=take_id)
    total = row.frames_total if frames_total is None else frames_total
    if total < row.frames_done:
        raise InputError(f"this take already has {row.frames_done} frames", where=take_id)
    row.frames_total, row.status, row.cancel, row.message, row.finished = total, "queued", False, "", None
    row.behind = False
    return row


def describe(session: Session, take_id: str, name: str, note: str) -> TakeRow:
    """Give a take a name and a note."""
    row = find(session, take_id)
    row.name, row.note = name.strip(), note.strip()
    return row


def remove(session: Session, take_id: str) -> None:
    """Delete a take; it is kept for a while. Raises InputError while it bakes."""
    row = find(session, take_id)
    if row.status in ACTIVE:
        raise InputError("this take is still baking; cancel it first", where=take_id)
    row.deleted = NOW


def restore(session: Session, take_id: str) -> TakeRow:
    """Bring a deleted take back. Raises NotFound where it is gone for good."""
    row = find(session, take_id, deleted=True)
    row.deleted = None
    return row


# -------------------------------------------------------------------------- the worker's side


def claim(session: Session, take_id: str, worker: str) -> TakeRow | None:
    """Take a queued bake; None where someone else was faster, or where it is to give way."""
    row = session.scalar(select(TakeRow).where(TakeRow.id == take_id).with_for_update())
    if row is None or row.status != "queued" or is_to_give_way(session, take_id):
        return None
    row.status, row.worker, row.attempt = "baking", worker, row.attempt + 1
    row.prepared = row.preparing = 0.0
    row.beats, row.progress = row.beats + 1, row.progress + 1
    session.flush()
    return row


def beat(
    session: Session, take_id: str, attempt: int, further: bool = False, prepared: tuple[float, float] | None = None
) -> bool:
    """Sign of life, and whether the bake got any further since the last. False where it is to stop: cancelled, deleted,
    or taken over by a newer attempt.

    prepared : share of its preparation that is done, and the seconds it took so far
    """
    known = {} if prepared is None else {"prepared": prepared[0], "preparing": prepared[1]}
    changed = session.execute(
        update(TakeRow)
        .where(TakeRow.id == take_id, TakeRow.attempt == attempt, TakeRow.status == "baking", TakeRow.cancel.is_(False))
        .values(beats=TakeRow.beats + 1, progress=TakeRow.progress + int(further), **known)
    )
    return bool(changed.rowcount > 0)  # type: ignore[attr-defined]


def add_chunk(session: Session, take_id: str, attempt: int, frames: list[Frame], carry: bytes, seconds: float) -> bool:
    """Keep frames and the state after them, in one transaction. False where the bake is no longer ours.

    A chunk that is there already (the answer to its commit was lost) is not added twice.
    """
    row = session.scalar(select(TakeRow).where(TakeRow.id == take_id).with_for_update())
    if row is None or row.attempt != attempt or row.status != "baking":
        return False
    first = frames[0].index
    if session.scalar(select(ChunkRow.id).where(ChunkRow.take_id == take_id, ChunkRow.first == first)) is None:
        _thin_states(session, take_id)
        data = pack({name: np.array([f.arrays[name] for f in frames]) for name in frames[0].arrays})
        session.add(
            ChunkRow(
                take_id=take_id,
                first=first,
                count=len(frames),
                data=squeeze(data),
                events=json.dumps([e for f in frames for e in f.events]),
                stats={k: [f.stats[k] for f in frames] for k in frames[0].stats},
                carry=carry,
                seconds=seconds,
            )
        )
        row.frames_done, row.pieces, row.seconds = frames[-1].index, len(frames[0].state), row.seconds + seconds
    row.beats, row.progress, row.lost = row.beats + 1, row.progress + 1, 0
    return True


def _thin_states(session: Session, take_id: str) -> None:
    """Drop stored states but one every STATE_EVERY frames, so that any frame can be computed again from nearby."""
    rows = session.execute(
        select(ChunkRow.id, ChunkRow.first, ChunkRow.count)
        .where(ChunkRow.take_id == take_id, ChunkRow.carry.is_not(None))
        .order_by(ChunkRow.first)
    ).all()
    last = 0
    drop = []
    for row in rows:
        after = row.first + row.count - 1
        if after - last >= STATE_EVERY:
            last = after
        else:
            drop.append(row.id)
    if drop:
        session.execute(update(ChunkRow).where(ChunkRow.id.in_(drop)).values(carry=None))


def state_at(session: Session, take_id: str, frame: int | None = None) -> bytes | None:
    """The newest state stored, or the newest at or before a frame; None where the way begins at the opening pose."""
    query = select(ChunkRow.carry).where(ChunkRow.take_id == take_id, ChunkRow.carry.is_not(None))
    if frame is not None:
        query = query.where(ChunkRow.first + ChunkRow.count - 1 <= frame)
    return session.scalar(query.order_by(ChunkRow.first.desc()).limit(1))


def frames_kept(session: Session, take_id: str) -> int:
    """The last frame of a take that is stored, -1 for none."""
    return find(session, take_id).frames_done


def finish(session: Session, take_id: str, attempt: int, status: str, message: str = "") -> None:
    """End a bake: done, cancelled or failed with a message."""
    session.execute(
        update(TakeRow)
        .where(TakeRow.id == take_id, TakeRow.attempt == attempt, TakeRow.status == "baking")
        .values(status=status, message=message[:2000], finished=NOW, cancel=False)
    )


class Alive(NamedTuple):
    """A bake at work: its attempt, and numbers that grow with signs of life and with what it has got to."""

    attempt: int
    beats: int
    progress: int


def at_work(session: Session) -> dict[str, Alive]:
    """Bakes that a worker has claimed, by their ids."""
    rows = session.execute(
        select(TakeRow.id, TakeRow.attempt, TakeRow.beats, TakeRow.progress).where(TakeRow.status == "baking")
    )
    return {r.id: Alive(r.attempt, r.beats, r.progress) for r in rows}


def requeue_lost(session: Session, take_id: str, why: str) -> str:
    """Put a bake back in the queue whose worker was lost; one that lost MOST_LOST at the same frame has failed.
    Returns how it stands.
    """
    row = session.scalar(select(TakeRow).where(TakeRow.id == take_id).with_for_update())
    if row is None or row.status != "baking":
        return row.status if row else ""
    row.lost += 1
    _put_back(row)
    if row.status == "queued" and row.lost >= MOST_LOST:
        row.status, row.finished = "failed", NOW
        row.message = f"{why}, {MOST_LOST} times at frame {row.frames_done + 1}; what is before it is kept"
    return row.status


def _put_back(row: TakeRow) -> None:
    """Queue a bake that its worker leaves, or end it where it was to stop."""
    row.worker = ""
    if row.cancel:
        row.status, row.finished, row.cancel = "cancelled", NOW, False
    else:
        row.status = "queued"


class Queued(NamedTuple):
    """A bake that waits for a worker, and whether it gives way to others."""

    id: str
    behind: bool


def queued(session: Session) -> list[Queued]:
    """Bakes that wait, the next one first."""
    rows = session.execute(select(TakeRow.id, TakeRow.behind).where(TakeRow.status == "queued").order_by(*TURN))
    return [Queued(r.id, r.behind) for r in rows]


def is_to_give_way(session: Session, take_id: str) -> bool:
    """Whether nobody waits for this bake while one that is waited for has no worker yet."""
    found = select(TakeRow.id).where(TakeRow.status == "queued", TakeRow.behind.is_(False)).limit(1)
    own = select(TakeRow.behind).where(TakeRow.id == take_id)
    return bool(session.scalar(own)) and session.scalar(found) is not None


def give_way(session: Session, take_id: str, attempt: int) -> None:
    """Put a bake back in the queue; what is done of it is kept, and it goes on from there."""
    row = session.scalar(select(TakeRow).where(TakeRow.id == take_id).with_for_update())
    if row is None or row.attempt != attempt or row.status != "baking":
        return
    _put_back(row)


class Ahead(NamedTuple):
    """Bakes that come before one that waits: how many, and the shot and number of the one that ends first."""

    bakes: int
    shot: str
    number: int


def ahead_of(session: Session, row: TakeRow) -> Ahead | None:
    """What a bake waits for: bakes at work that will not give way to it, and those queued before it. None where that is
    nothing.
    """
    found = session.execute(
        select(TakeRow.id, TakeRow.number, TakeRow.behind, TakeRow.created, TakeRow.status, ShotRow.name)
        .join(ShotRow, ShotRow.id == TakeRow.shot_id)
        .where(TakeRow.status.in_(ACTIVE), TakeRow.id != row.id)
        .order_by(TakeRow.status != "baking", *TURN)
    )
    own = (row.behind, row.created, row.id)
    first = [
        r for r in found if (r.behind <= row.behind if r.status == "baking" else (r.behind, r.created, r.id) < own)
    ]
    return Ahead(len(first), first[0].name, first[0].number) if first else None


# ------------------------------------------------------------------------------------ frames


def chunks(session: Session, take_id: str, after: int = -1) -> list[dict[str, Any]]:
    """Where the chunks are, with the statistics of their frames."""
    rows = session.execute(
        select(ChunkRow.first, ChunkRow.count, ChunkRow.stats)
        .where(ChunkRow.take_id == take_id, ChunkRow.first > after)
        .order_by(ChunkRow.first)
    )
    return [{"first": f, "count": c, "stats": s} for f, c, s in rows]


def chunk_data(session: Session, take_id: str, first: int) -> bytes:
    """The packed arrays of one chunk. Raises NotFound."""
    data = session.scalar(select(ChunkRow.data).where(ChunkRow.take_id == take_id, ChunkRow.first == first))
    if data is None:
        raise NotFound(f"the take has no frames beginning at {first}", where=take_id)
    return unsqueeze(data)


def events(session: Session, take_id: str, after: int = -1) -> list[dict[str, Any]]:
    """Events of the chunks that begin after frame ``after``."""
    rows = session.scalars(
        select(ChunkRow.events).where(ChunkRow.take_id == take_id, ChunkRow.first > after).order_by(ChunkRow.first)
    )
    return [e for text in rows for e in json.loads(text)]


def all_frames(session: Session, take_id: str) -> tuple[dict[str, np.ndarray], dict[str, np.ndarray]]:
    """All frames of a take: arrays by name (F, ...) and statistics by name (F,)."""
    rows = session.execute(
        select(ChunkRow.data, ChunkRow.stats).where(ChunkRow.take_id == take_id).order_by(ChunkRow.first)
    ).all()
    if not rows:
        raise InputError("this take has no frames yet", where=take_id)
    parts = [unpack(unsqueeze(data))[0] for data, _ in rows]
    stats = [s for _, s in rows]
    return {k: np.concatenate([p[k] for p in parts]) for k in parts[0]}, {
        k: np.concatenate([s[k] for s in stats]) for k in stats[0]
    }
