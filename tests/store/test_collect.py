"""What nothing refers to goes after a time of grace; what anything refers to stays."""

from __future__ import annotations

import datetime as dt

import numpy as np
from sqlalchemy import select, text

from dynaclast.core import document
from dynaclast.core.document import Body
from dynaclast.core.geometry import primitives
from dynaclast.store import collect, library, shots, takes
from dynaclast.store.assets import PieceCache, keep_mesh
from dynaclast.store.database import Store
from dynaclast.store.models import AssetRow, DrawingRow, PiecesRow
from shots import box, shot

AT_ONCE = dt.timedelta(seconds=-5)


def brought_in(store: Store, size: float) -> str:
    with store.session() as session:
        return keep_mesh(session, primitives.box((size, 1, 1)), "crate", []).id


def with_mesh(asset: str) -> dict:
    body = {"name": "a", "shape": {"kind": "asset", "asset": asset}}
    return document.dump(document.parse({"bodies": [body]}))


def test_meshes_stay_while_any_revision_or_take_names_them(store: Store) -> None:
    now_there, undone, baked, gone = (brought_in(store, 1 + k / 7) for k in range(4))
    with store.session() as session:
        state = shots.create(session, document.parse(with_mesh(undone)))
        state = shots.save(session, state.id, state.revision, with_mesh(baked), "other mesh")
        takes.ask(session, state.id, 5)
        state = shots.save(session, state.id, state.revision, with_mesh(now_there), "other mesh")
    with store.session() as session:
        collect.drop_assets(session)
        assert gone in set(session.scalars(select(AssetRow.id))), "within its grace"
        collect.drop_assets(session, AT_ONCE)
        left = set(session.scalars(select(AssetRow.id)))
    assert {now_there, undone, baked} <= left and gone not in left
    with store.session() as session:
        shots.remove(session, state.id)
        collect.drop_assets(session, AT_ONCE)
        assert {now_there, undone, baked} <= set(session.scalars(select(AssetRow.id))), "it may come back"
        collect.drop_deleted(session, AT_ONCE)
        collect.drop_assets(session, AT_ONCE)
        assert not {now_there, undone, baked} & set(session.scalars(select(AssetRow.id)))


def test_a_mesh_brought_in_again_has_its_grace_again_and_library_items_keep_theirs(store: Store) -> None:
    again, kept = brought_in(store, 2.1), brought_in(store, 2.2)
    with store.session() as session:
        old = text("UPDATE assets SET created = created - INTERVAL 9 DAY WHERE id IN (:a, :b)")
        session.execute(old, {"a": again, "b": kept})
        library.save(session, "field", "of a mesh", {"shape": {"kind": "asset", "asset": kept}})
    assert brought_in(store, 2.1) == again
    with store.session() as session:
        collect.drop_assets(session)
        assert {again, kept} <= set(session.scalars(select(AssetRow.id)))
        library.remove(session, "field", "of a mesh")
        collect.drop_assets(session)
        assert kept not in set(session.scalars(select(AssetRow.id)))


def test_the_oldest_pieces_go_first_and_are_built_again_when_they_are_asked_for(store: Store) -> None:
    cache = PieceCache(store)
    bodies = [
        Body.model_validate(box(f"p{k}", (0, 1, 0), pattern={"kind": "cells", "count": 6, "seed": 900 + k}))
        for k in range(3)
    ]
    made = [cache.get(b) for b in bodies]
    with store.session() as session:
        sizes = session.execute(text("SELECT SUM(LENGTH(data)) FROM pieces")).scalar_one()
        collect.drop_pieces(session, int(sizes) - 1)
        assert session.scalar(select(PiecesRow.key)) is not None
        collect.drop_pieces(session, 0)
        assert session.scalar(select(PiecesRow.key)) is None
    again = [PieceCache(store).get(b) for b in bodies]
    assert all(np.array_equal(a.vertices, b.vertices) for a, b in zip(made, again, strict=True))


def test_names_of_drawings_go_when_they_are_old(store: Store) -> None:
    PieceCache(store).remember_drawings({"d" * 40: Body.model_validate(box("a", (0, 1, 0)))})
    with store.session() as session:
        collect.drop_drawings(session)
        assert session.get(DrawingRow, "d" * 40) is not None
    with store.session() as session:
        assert collect.drop_drawings(session, AT_ONCE) >= 1
    with store.session() as session:
        assert session.get(DrawingRow, "d" * 40) is None


def test_all_of_it_leaves_shots_as_they_were(store: Store) -> None:
    with store.session() as session:
        state = shots.create(session, shot(box("a", (0, 1, 0)), name="stays"))
    found = collect.collect(store)
    assert found.assets == 0 and found.rewritten == ()
    collect.give_back(store, most_free=-1)  # all that have any room
    with store.session() as session:
        assert shots.get(session, state.id).name == "stays"
