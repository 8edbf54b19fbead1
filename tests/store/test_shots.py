from __future__ import annotations

import threading

import numpy as np
import pytest

from dynaclast.core import document
from dynaclast.core.document import Body
from dynaclast.core.errors import DocumentError, InputError
from dynaclast.core.geometry import primitives
from dynaclast.store import shots
from dynaclast.store.assets import PieceCache, keep_mesh, mesh_of
from dynaclast.store.blobs import pack, squeeze, unpack, unsqueeze
from dynaclast.store.database import Store
from dynaclast.store.shots import Conflict, NotFound
from shots import box, shot


def named(name: str) -> dict:
    return document.dump(shot(box("a", (0, 1, 0)), name=name))


def save(store: Store, state: shots.ShotState, name: str) -> shots.ShotState:
    with store.session() as session:
        return shots.save(session, state.id, state.revision, named(name), f"name {name}")


def new(store: Store, name: str = "first") -> shots.ShotState:
    with store.session() as session:
        return shots.create(session, document.parse(named(name)))


def step(store: Store, state: shots.ShotState, by: int) -> shots.ShotState:
    with store.session() as session:
        return shots.step(session, state.id, state.revision, by)


def test_undo_and_redo_walk_the_revisions_and_survive_a_reload(store: Store) -> None:
    state = new(store)
    for name in ("second", "third"):
        state = save(store, state, name)
    assert (state.name, state.undo, state.redo) == ("third", "name third", None)
    state = step(store, step(store, state, -1), -1)
    with store.session() as session:  # as another tab, or after a restart
        state = shots.get(session, state.id)
    assert (state.name, state.undo, state.redo) == ("first", None, "name second")
    assert step(store, state, 1).name == "second"


def test_an_edit_after_undo_drops_what_was_undone(store: Store) -> None:
    state = save(store, new(store), "second")
    state = save(store, step(store, state, -1), "other")
    assert state.redo is None
    with pytest.raises(InputError, match="nothing to redo"):
        step(store, state, 1)
    assert step(store, state, -1).name == "first"


def test_a_tab_is_told_even_when_undo_and_a_new_edit_end_at_the_same_place(store: Store) -> None:
    stale = state = save(store, new(store), "second")
    state = save(store, step(store, state, -1), "other")
    with pytest.raises(Conflict):
        save(store, stale, "mine")
    with store.session() as session:
        assert shots.get(session, state.id).name == "other"


def test_the_second_tab_is_told_and_nothing_is_overwritten(store: Store) -> None:
    mine = theirs = new(store)
    save(store, mine, "mine")
    with pytest.raises(Conflict):
        save(store, theirs, "theirs")
    with store.session() as session:
        assert shots.get(session, mine.id).name == "mine"


def test_of_many_savers_at_once_exactly_one_wins(store: Store) -> None:
    state, won, lost = new(store), [], []

    def attempt(k: int) -> None:
        try:
            save(store, state, f"n{k}")
            won.append(k)
        except Conflict:
            lost.append(k)

    threads = [threading.Thread(target=attempt, args=(k,)) for k in range(8)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert len(won) == 1 and len(lost) == 7


def test_a_bad_document_changes_nothing(store: Store) -> None:
    state = new(store)
    with store.session() as session, pytest.raises(DocumentError):
        shots.save(session, state.id, state.revision, {"quality": "best"}, "bad")
    with store.session() as session:
        assert shots.get(session, state.id).revision == state.revision


def test_a_deleted_shot_is_not_found_and_can_be_brought_back(store: Store) -> None:
    state = new(store)
    with store.session() as session:
        shots.remove(session, state.id)
    with store.session() as session, pytest.raises(NotFound):
        shots.get(session, state.id)
    with store.session() as session:
        assert state.id not in {s["id"] for s in shots.listing(session)}
        assert shots.restore(session, state.id).document == state.document
        assert state.id in {s["id"] for s in shots.listing(session)}
    with store.session() as session, pytest.raises(NotFound):
        shots.restore(session, state.id)


def test_a_mesh_is_kept_once_and_comes_back_the_same(store: Store) -> None:
    mesh = primitives.sphere(1.0, 12)
    with store.session() as session:
        first, second = (keep_mesh(session, mesh, n, []).id for n in ("a.obj", "b.obj"))
        assert first == second
        back = mesh_of(session, first)
    assert (back.vertices == mesh.vertices).all() and (back.faces == mesh.faces).all()


def test_pieces_are_built_once_and_kept_by_content(store: Store, monkeypatch: pytest.MonkeyPatch) -> None:
    body = Body.model_validate(box("a", (0, 1, 0), pattern={"kind": "cells", "count": 9, "seed": 77}))
    made = PieceCache(store).get(body)
    monkeypatch.setattr("dynaclast.store.assets.build_pieces", lambda *_: pytest.fail("built again"))
    again = PieceCache(store).get(body.model_copy(update={"name": "other"}))
    assert all((a == b).all() for a, b in zip(made.arrays().values(), again.arrays().values(), strict=True))


def test_packed_arrays_come_back_the_same() -> None:
    arrays = {
        "a": np.arange(7, dtype=np.float32),
        "b": np.ones((3, 2), np.uint8),
        "c": np.zeros((0, 3)),
        "d": np.array([[1, 2]], np.int32),
    }
    back, more = unpack(unsqueeze(squeeze(pack(arrays, note="hello"))))
    assert more == {"note": "hello"} and all(
        (back[k] == v).all() and back[k].dtype == v.dtype and back[k].shape == v.shape for k, v in arrays.items()
    )
    with pytest.raises(ValueError):
        unpack(b"something else")
