"""Shots: list, make, read, save, undo, redo, delete."""

from __future__ import annotations

from typing import Any

from ..core import document
from ..store import shots
from .description import routes
from .schemas import Done, NewShot, SaveShot, ShotList, ShotOut, ShotPath, StepShot
from .services import services

api = routes("shots", __name__)


def _whole(state: shots.ShotState) -> dict[str, Any]:
    """As ``_out``, of a document that an older program may have kept."""
    return _out(state) | {"document": document.completed(state.document)}


def _out(state: shots.ShotState) -> dict[str, Any]:
    return {
        "id": state.id,
        "name": state.name,
        "revision": state.revision,
        "document": state.document,
        "undo": state.undo,
        "redo": state.redo,
    }


@api.get("/shots", responses={"200": ShotList})
def list_shots() -> dict[str, Any]:
    """All shots, the last changed first."""
    with services().store.session() as session:
        return {"shots": shots.listing(session)}


@api.post("/shots", responses={"200": ShotOut})
def make_shot(body: NewShot) -> dict[str, Any]:
    """A new shot, empty or from a document."""
    shot = document.parse(body.document if body.document is not None else {"name": body.name})
    with services().store.session() as session:
        return _out(shots.create(session, shot))


@api.get("/shots/<string:shot_id>", responses={"200": ShotOut})
def get_shot(path: ShotPath) -> dict[str, Any]:
    with services().store.session() as session:
        return _whole(shots.get(session, path.shot_id))


@api.put("/shots/<string:shot_id>", responses={"200": ShotOut})
def save_shot(path: ShotPath, body: SaveShot) -> dict[str, Any]:
    """Save an edit made on revision ``base``; 409 where another tab saved in between."""
    with services().store.session() as session:
        return _out(shots.save(session, path.shot_id, body.base, body.document, body.label, body.number))


@api.post("/shots/<string:shot_id>/undo", responses={"200": ShotOut})
def undo_shot(path: ShotPath, body: StepShot) -> dict[str, Any]:
    with services().store.session() as session:
        return _whole(shots.step(session, path.shot_id, body.base, -1, body.number))


@api.post("/shots/<string:shot_id>/redo", responses={"200": ShotOut})
def redo_shot(path: ShotPath, body: StepShot) -> dict[str, Any]:
    with services().store.session() as session:
        return _whole(shots.step(session, path.shot_id, body.base, 1, body.number))


@api.delete("/shots/<string:shot_id>", responses={"200": Done})
def delete_shot(path: ShotPath) -> dict[str, Any]:
    """Delete a shot. It can be brought back for a week."""
    with services().store.session() as session:
        shots.remove(session, path.shot_id)
    return {"ok": True}


@api.post("/shots/<string:shot_id>/restore", responses={"200": ShotOut})
def restore_shot(path: ShotPath) -> dict[str, Any]:
    """Bring a deleted shot back."""
    with services().store.session() as session:
        return _whole(shots.restore(session, path.shot_id))
