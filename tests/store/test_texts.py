"""Documents kept as differences: an edit costs what it changes, and all of them come back."""

from __future__ import annotations

import base64
import datetime as dt
import json

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import func, select

from dynaclast.core import document
from dynaclast.store import collect, shots, takes, texts
from dynaclast.store.database import Store
from dynaclast.store.models import RevisionRow, TextRow
from shots import box, shot

LONG_AGO, LATER = dt.datetime(2000, 1, 1), dt.datetime(2100, 1, 1)


@given(st.binary(max_size=400), st.binary(max_size=400))
def test_what_differs_makes_the_whole_again(text: bytes, whole: bytes) -> None:
    assert texts.applied(text, texts.difference(text, whole)) == whole


def test_a_small_change_of_much_is_small() -> None:
    noise = np.random.default_rng(1).bytes(12_000_000)
    whole = noise[:5_000_000] + b"something else" + noise[5_000_003:]
    change = texts.difference(noise, whole)
    assert len(change) < 4096 and texts.applied(noise, change) == whole


def _size(store: Store) -> int:
    with store.session() as session:
        whole = session.scalar(select(func.sum(func.length(TextRow.data)))) or 0
        return int(whole) + int(session.scalar(select(func.sum(func.length(RevisionRow.difference)))) or 0)


def test_edits_beside_a_large_recording_cost_little_and_can_all_be_undone(store: Store) -> None:
    recording = base64.b64encode(np.random.default_rng(2).bytes(3_000_000)).decode()
    sound = {"layers": [{"shape": {"kind": "sound", "recording": recording}}]}
    gale = {"name": "gale", "reach": sound, "effect": {"kind": "anchor"}}
    made = document.dump(document.parse({"bodies": [box("a", (0, 1, 0))], "fields": [gale]}))
    with store.session() as session:
        state = shots.create(session, document.parse(made))
    before = _size(store)
    for k in range(12):
        made["bodies"][0]["place"]["position"] = [0.1 * k, 1.0, 0.0]
        with store.session() as session:
            state = shots.save(session, state.id, state.revision, made, f"move {k}")
    with store.session() as session:
        takes.ask(session, state.id, 10)
    assert _size(store) - before < 200_000
    for k in range(10, -1, -1):
        with store.session() as session:
            state = shots.step(session, state.id, state.revision, -1)
        assert state.document["bodies"][0]["place"]["position"][0] == 0.1 * k
    assert state.document["fields"][0]["reach"]["layers"][0]["shape"]["recording"] == recording
    with store.session() as session:
        shots.remove(session, state.id)
        collect.drop_deleted(session, dt.timedelta(0))
    with store.session() as session:
        assert texts.drop_unnamed(session, LONG_AGO) == 0, "it may be of a row that is being written"
        assert texts.drop_unnamed(session, LATER) >= 1


def test_what_changes_altogether_becomes_a_text_and_older_ones_go_when_nothing_names_them(store: Store) -> None:
    rng = np.random.default_rng(3)

    def random_names() -> dict:
        bodies = [box(base64.b64encode(rng.bytes(30)).decode(), (k, 1, 0)) for k in range(200)]
        return document.dump(shot(*bodies))

    with store.session() as session:
        state = shots.create(session, document.parse(random_names()))
    for _ in range(3):
        with store.session() as session:
            state = shots.save(session, state.id, state.revision, random_names(), "other bodies")
    with store.session() as session:
        named = set(session.scalars(select(RevisionRow.text).where(RevisionRow.shot_id == state.id)))
    assert len(named) == 4
    with store.session() as session:
        shots.remove(session, state.id)
        collect.drop_deleted(session, dt.timedelta(0))
    with store.session() as session:
        texts.drop_unnamed(session, LATER)
        assert not named & set(session.scalars(select(TextRow.id)))


def test_a_row_of_before_still_reads_and_the_next_edit_is_kept_anew(store: Store) -> None:
    made = document.dump(shot(box("a", (0, 1, 0))))
    with store.session() as session:
        state = shots.create(session, document.parse(made))
    with store.session() as session:
        row = session.scalar(select(RevisionRow).where(RevisionRow.shot_id == state.id))
        assert row is not None
        row.document, row.text, row.difference = json.dumps(made), None, None
    with store.session() as session:
        assert shots.get(session, state.id).document == made
        state = shots.save(session, state.id, 1, made | {"name": "later"}, "rename")
    with store.session() as session:
        assert shots.step(session, state.id, state.revision, -1).document["name"] == made["name"]


def test_a_document_that_was_there_before_and_is_dropped_takes_none_along_that_is_new(store: Store) -> None:
    made = shot(box("again", (0, 1, 0)), name="the same twice")
    with store.session() as session:
        shots.remove(session, shots.create(session, made).id)
        collect.drop_deleted(session, dt.timedelta(0))
    with store.session() as session:
        state = shots.create(session, made)
        named = session.scalar(select(RevisionRow.text).where(RevisionRow.shot_id == state.id))
    with store.session() as session:
        texts.drop_unnamed(session, LATER)
        assert session.get(TextRow, named) is not None
        assert shots.get(session, state.id).document == state.document
