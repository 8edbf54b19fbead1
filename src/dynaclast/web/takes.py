"""Takes: bake, watch, cancel, extend, fetch frames, export."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from flask import Response, send_file
from sqlalchemy.orm import Session

from ..core import document
from ..core.document import Shot
from ..core.formats.excerpt import Excerpt
from ..core.formats.write.sequence import KINDS as SEQUENCES
from ..core.preflight.faults import faults, refuse, without
from ..core.solve.frame import STATE_NAMES
from ..jobs.take_export import export_take
from ..store import shots, takes, texts, trace
from ..store.models import TakeRow
from ..store.times import left_of
from .description import routes
from .schemas import (
    AfterQuery,
    BakeQuery,
    ChunkList,
    ChunkPath,
    DescribeTake,
    Done,
    EventList,
    ExportQuery,
    ExtendTake,
    LoadsOut,
    LoadsQuery,
    ProgressOut,
    ShotPath,
    TakeList,
    TakeOut,
    TakePath,
    TakeWhole,
    TraceOut,
    TraceQuery,
)
from .services import services

api = routes("takes", __name__)


def take_out(session: Session, row: TakeRow) -> dict[str, Any]:
    """A take for the interface, with the seconds left while it bakes."""
    left = left_of(session, row) if row.status in takes.ACTIVE else None
    ahead = takes.ahead_of(session, row) if row.status == "queued" else None
    return {
        "id": row.id,
        "shot_id": row.shot_id,
        "number": row.number,
        "revision": row.revision,
        "status": row.status,
        "frames_total": row.frames_total,
        "frames_done": row.frames_done,
        "name": row.name,
        "note": row.note,
        "pieces": row.pieces,
        "attempt": row.attempt,
        "seconds": round(row.seconds, 2),
        "prepared": round(row.prepared, 3),
        "left": None if left is None else round(left, 1),
        "ahead": ahead and ahead._asdict(),
        "message": row.message,
        "created": row.created.isoformat() + "Z",
    }


def as_picture(data: bytes) -> Response:
    response = Response(data, mimetype="image/png")
    response.headers["Cache-Control"] = "private, max-age=86400"
    return response


@api.get("/shots/<string:shot_id>/picture")
def shot_picture(path: ShotPath) -> Response:
    """A small picture: of its newest take that has frames, or of how it is set up."""
    pictures = services().pictures
    with services().store.session() as session:
        text = json.dumps(shots.get(session, path.shot_id).document, sort_keys=True)
        found = next((t.id for t in takes.of_shot(session, path.shot_id) if t.frames_done > 0), None)
    return as_picture(pictures.of_take(found) if found else pictures.of_shot(text))


@api.get("/shots/<string:shot_id>/takes", responses={"200": TakeList})
def list_takes(path: ShotPath) -> dict[str, Any]:
    with services().store.session() as session:
        return {"takes": [take_out(session, r) for r in takes.of_shot(session, path.shot_id)]}


@api.post("/shots/<string:shot_id>/takes", responses={"200": TakeOut})
def start_take(path: ShotPath, query: BakeQuery) -> dict[str, Any]:
    """Bake the shot as it is saved now. Refused where a field cannot act, unless asked to leave such fields out."""
    with services().store.session() as session:
        shot = document.parse(shots.get(session, path.shot_id).document)
        if not shot.bodies and not shot.groups:
            raise document.DocumentError(
                [("bodies", "the shot has no bodies, so there is nothing to bake; add one first")]
            )
        found = faults(shot)
        if not query.without_faulty:
            refuse(found, "bake without it")
        instead = document.dump(without(shot, found)) if found else None
        out = take_out(session, takes.ask(session, path.shot_id, shot.timing.frames, instead))
    services().work_waits()
    return out


@api.get("/takes/<string:take_id>", responses={"200": TakeWhole})
def get_take(path: TakePath) -> dict[str, Any]:
    """A take with the exact document that made it; its pieces can be fetched afterwards."""
    with services().store.session() as session:
        row = takes.find(session, path.take_id)
        text, out = texts.read(session, row), take_out(session, row)
    shot = document.parse_json(text)
    services().surveyor.make_fetchable(shot)
    return {"take": out, "document": document.dump(shot), "state_names": STATE_NAMES}


@api.post("/takes/<string:take_id>/cancel", responses={"200": TakeOut})
def cancel_take(path: TakePath) -> dict[str, Any]:
    with services().store.session() as session:
        return take_out(session, takes.cancel(session, path.take_id))


@api.post("/takes/<string:take_id>/extend", responses={"200": TakeOut})
def extend_take(path: TakePath, body: ExtendTake) -> dict[str, Any]:
    """Go on with a stopped take, or beyond its end."""
    with services().store.session() as session:
        out = take_out(session, takes.extend(session, path.take_id, body.frames))
    services().work_waits()
    return out


@api.get("/takes/<string:take_id>/document", responses={"200": Shot})
def take_document(path: TakePath) -> dict[str, Any]:
    """The document alone, to be compared with others."""
    with services().store.session() as session:
        return document.completed(json.loads(texts.read(session, takes.find(session, path.take_id))))


@api.put("/takes/<string:take_id>", responses={"200": TakeOut})
def describe_take(path: TakePath, body: DescribeTake) -> dict[str, Any]:
    """Give a take a name and a note."""
    with services().store.session() as session:
        return take_out(session, takes.describe(session, path.take_id, body.name, body.note))


@api.delete("/takes/<string:take_id>", responses={"200": Done})
def delete_take(path: TakePath) -> dict[str, Any]:
    """Delete a take. It can be brought back for a week."""
    with services().store.session() as session:
        takes.remove(session, path.take_id)
    return {"ok": True}


@api.post("/takes/<string:take_id>/restore", responses={"200": TakeOut})
def restore_take(path: TakePath) -> dict[str, Any]:
    """Bring a deleted take back."""
    with services().store.session() as session:
        return take_out(session, takes.restore(session, path.take_id))


@api.get("/takes/<string:take_id>/picture")
def take_picture(path: TakePath) -> Response:
    """A small picture: the moment after most bonds had broken."""
    return as_picture(services().pictures.of_take(path.take_id))


@api.get("/takes/<string:take_id>/chunks", responses={"200": ChunkList})
def list_chunks(path: TakePath, query: AfterQuery) -> dict[str, Any]:
    with services().store.session() as session:
        return {"chunks": takes.chunks(session, path.take_id, query.after)}


@api.get("/takes/<string:take_id>/chunks/<int:first>")
def get_chunk(path: ChunkPath) -> Response:
    """Frames as packed arrays (store.blobs): position, orientation, state."""
    with services().store.session() as session:
        data = takes.chunk_data(session, path.take_id, path.first)
    response = Response(data, mimetype="application/octet-stream")
    response.headers["Cache-Control"] = "private, max-age=86400"
    return response


@api.get("/takes/<string:take_id>/events", responses={"200": EventList})
def get_events(path: TakePath, query: AfterQuery) -> dict[str, Any]:
    with services().store.session() as session:
        return {"events": takes.events(session, path.take_id, query.after)}


@api.get("/takes/<string:take_id>/trace", responses={"200": TraceOut})
def trace_piece(path: TakePath, query: TraceQuery) -> dict[str, Any]:
    """What loaded one piece, what acted on it and what became of it, over all frames there are."""
    with services().store.session() as session:
        shot = json.loads(texts.read(session, takes.find(session, path.take_id)))
        found = trace.of_piece(session, path.take_id, query.piece)
    shot = document.completed(shot)
    names = [field["name"] for field in shot["fields"]]
    bits = np.unpackbits(found.acted, axis=1, bitorder="little")[:, : len(names)]
    lanes = [trace.spans(bits[:, k], 1) for k in range(bits.shape[1])]
    states = [(name, trace.spans(found.state, k)) for k, name in enumerate(STATE_NAMES)]
    moved = np.linalg.norm(np.diff(found.position.astype(float), axis=0), axis=1) * shot["timing"]["fps"]
    return {
        "piece": query.piece,
        "frames": len(found.state),
        "load": np.round(found.load.astype(float), 4).tolist(),
        "speed": [0.0, *np.round(moved, 4).tolist()],
        "states": [{"name": name, "spans": own} for name, own in states if own],
        "fields": [{"name": name, "spans": own} for name, own in zip(names, lanes, strict=False) if own],
        "events": found.events,
    }


@api.get("/takes/<string:take_id>/loads", responses={"200": LoadsOut})
def loads_on_piece(path: TakePath, query: LoadsQuery) -> dict[str, Any]:
    """What each bond of a piece bears as a frame begins, computed again from the nearest state that is kept."""
    return {"bonds": [b._asdict() for b in services().traces.loads(path.take_id, query.frame, query.piece)]}


@api.get("/takes/<string:take_id>/progress", responses={"200": ProgressOut})
def take_progress(path: TakePath, query: AfterQuery) -> dict[str, Any]:
    """How a take stands, and the chunks that have come after one. To be asked again and again while it bakes."""
    with services().store.session() as session:
        return {
            "take": take_out(session, takes.find(session, path.take_id)),
            "chunks": takes.chunks(session, path.take_id, query.after),
        }


@api.get("/takes/<string:take_id>/export")
def export(path: TakePath, query: ExportQuery) -> Response:
    """The take, or a part of it, as a file: usdc, usda, glb or npz; obj or ply, a mesh for every frame, in a ZIP."""
    with services().store.session() as session:
        row = takes.find(session, path.take_id)
        name = json.loads(texts.read(session, row))["name"]
    with tempfile.TemporaryDirectory() as folder:
        ending = f"{query.format}.zip" if query.format in SEQUENCES else query.format
        to = Path(folder) / f"take.{ending}"
        names = [n for n in query.bodies.split("\n") if n] or None
        part = Excerpt(query.first, query.last, query.step, query.backwards, names)
        export_take(path.take_id, to, services().store, services().cache, part)
        handle = open(to, "rb")  # noqa: SIM115 - the response closes it; the name may go
    clean = "".join(c if c.isalnum() else "-" for c in name).strip("-").lower()
    return send_file(
        handle,
        mimetype="application/octet-stream",
        as_attachment=True,
        download_name=f"{clean}-take-{row.number:02d}.{ending}",
    )
