"""Chunks, states and drawings of takes in the database."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pytest
from sqlalchemy import update

from dynaclast.core import document
from dynaclast.core.document import Body
from dynaclast.core.solve.frame import Frame
from dynaclast.jobs.take import MOST_BYTES, MOST_FRAMES, _blocks
from dynaclast.store import collect, shots, takes
from dynaclast.store.assets import PieceCache
from dynaclast.store.database import Store
from dynaclast.store.models import TakeRow
from dynaclast.store.shots import NotFound
from shots import box, shot


def frame(index: int, vertices: int = 0) -> Frame:
    rng = np.random.default_rng(index)
    arrays = {
        "position": rng.normal(size=(2, 3)).astype(np.float32),
        "orientation": np.tile(np.float32([0, 0, 0, 1]), (2, 1)),
        "state": np.zeros(2, np.uint8),
    }
    if vertices:
        arrays["points/sail"] = rng.normal(size=(vertices, 3)).astype(np.float32)
    return Frame(index, arrays, {"moving": 1.0}, [{"kind": "cue", "frame": index}])


def begun(store: Store, total: int = 400) -> tuple[str, int]:
    with store.session() as session:
        state = shots.create(session, document.parse(document.dump(shot(box("a", (0, 1, 0))))))
        take = takes.ask(session, state.id, total)
    with store.session() as session:
        row = takes.claim(session, take.id, "here")
        assert row is not None
        return row.id, row.attempt


def test_frames_come_back_as_they_were_stored_whatever_arrays_they_have(store: Store) -> None:
    take, attempt = begun(store)
    made = [frame(k, vertices=50) for k in range(6)]
    for first in (0, 3):
        block = made[first : first + 3]
        with store.session() as session:
            assert takes.add_chunk(session, take, attempt, block, b"state", 0.1)
    with store.session() as session:
        arrays, stats = takes.all_frames(session, take)
        assert takes.frames_kept(session, take) == 5
        assert [e["frame"] for e in takes.events(session, take)] == list(range(6))
    for name in made[0].arrays:
        assert arrays[name].tobytes() == np.array([f.arrays[name] for f in made]).tobytes()
    assert stats["moving"].tolist() == [1.0] * 6


def test_older_states_are_kept_so_that_any_frame_can_be_computed_from_nearby(store: Store) -> None:
    take, attempt = begun(store)
    for first in range(0, 240, 6):
        block = [frame(k) for k in range(first, first + 6)]
        with store.session() as session:
            assert takes.add_chunk(session, take, attempt, block, f"after {first + 5}".encode(), 0.1)
    with store.session() as session:
        assert takes.state_at(session, take) == b"after 239"
        for wanted in range(60, 240):
            got = takes.state_at(session, take, wanted)
            assert got is not None
            after = int(got.split()[1])
            assert after <= wanted and wanted - after < takes.STATE_EVERY + 6
        assert takes.state_at(session, take, 3) is None  # from the opening pose


def test_a_chunk_whose_answer_was_lost_is_not_stored_twice(store: Store) -> None:
    take, attempt = begun(store)
    for _ in range(2):
        with store.session() as session:
            assert takes.add_chunk(session, take, attempt, [frame(0)], b"s", 0.1)
    with store.session() as session:
        assert len(takes.chunks(session, take)) == 1
        assert not takes.add_chunk(session, take, attempt + 1, [frame(1)], b"s", 0.1)


@pytest.mark.parametrize(("vertices", "most"), [(0, MOST_FRAMES), (60_000, 9)])
def test_chunks_are_cut_by_frames_and_by_bytes(vertices: int, most: int) -> None:
    """A shot of 60,000 vertices has 0.7 MB a frame: a chunk of 24 would not fit the column."""
    stream = (frame(k, vertices) for k in range(60))
    blocks = [block for block, _ in _blocks(stream, 0.0)]
    assert [f.index for block in blocks for f in block] == list(range(60))
    sizes = [sum(a.nbytes for f in block for a in f.arrays.values()) for block in blocks]
    assert max(len(block) for block in blocks) <= most and max(sizes) < MOST_BYTES + 800_000


def test_what_a_drawing_is_of_is_known_after_a_restart(store: Store) -> None:
    body = Body.model_validate(box("crate", (0, 1, 0), (1, 2, 3)))
    PieceCache(store).remember_drawings({"a-drawing": body})
    again = PieceCache(store).drawn_body("a-drawing")
    assert again.shape == body.shape and again.material == body.material
    with pytest.raises(NotFound, match="not built yet"):
        PieceCache(store).drawn_body("another")


def test_a_deleted_take_comes_back_with_its_name_and_frames_until_it_is_gone_for_good(store: Store) -> None:
    with store.session() as session:
        shot_id = shots.create(session, shot(box("a", (0, 1, 0)))).id
        take_id = takes.ask(session, shot_id, 4).id
        takes.cancel(session, take_id)
        takes.describe(session, take_id, " slow ", "half the load")
        takes.remove(session, take_id)
    with store.session() as session:
        assert takes.of_shot(session, shot_id) == []
        assert next(s["takes"] for s in shots.listing(session) if s["id"] == shot_id) == 0
        with pytest.raises(NotFound):
            takes.find(session, take_id)
        assert takes.ask(session, shot_id, 4).number == 2  # a number is never given twice
        row = takes.restore(session, take_id)
        assert (row.name, row.note) == ("slow", "half the load")
        with pytest.raises(NotFound):
            takes.restore(session, take_id)
        takes.remove(session, take_id)
        assert collect.drop_deleted(session) == 0
        assert collect.drop_deleted(session, dt.timedelta(0)) == 1
        with pytest.raises(NotFound):
            takes.restore(session, take_id)


def bakes(store: Store, *behind: bool) -> list[str]:
    """Takes asked for one after the other, each of a shot of its own named by its place: shot 0, shot 1..."""
    with store.session() as session:
        session.execute(update(TakeRow).values(status="done"))  # what other tests left waiting
    out = []
    for k, own in enumerate(behind):
        with store.session() as session:
            state = shots.create(session, shot(box("a", (0, 1, 0)), name=f"shot {k}"))
            row = takes.ask(session, state.id, 3, behind=own)
            row.created = dt.datetime(2026, 1, 1, 0, k)
            out.append(row.id)
    return out


def test_bakes_that_nobody_waits_for_come_after_those_that_are_waited_for(store: Store) -> None:
    ids = bakes(store, True, False, True, False)
    with store.session() as session:
        assert [q.id for q in takes.queued(session)] == [ids[1], ids[3], ids[0], ids[2]]
        told = [takes.ahead_of(session, takes.find(session, i)) for i in ids]
    assert [a and a.bakes for a in told] == [2, None, 3, 1]
    assert told[0] == (2, told[3].shot, 1)


def test_a_bake_nobody_waits_for_gives_way_and_keeps_its_frames(store: Store) -> None:
    behind, asked, later = bakes(store, True, False, True)
    with store.session() as session:
        takes.find(session, asked).status = "done"
        assert takes.claim(session, behind, "here") is not None
        takes.find(session, asked).status = "queued"
        assert takes.add_chunk(session, behind, 1, [frame(0), frame(1)], b"state", 0.1)
        assert takes.is_to_give_way(session, behind) and not takes.is_to_give_way(session, asked)
        assert takes.ahead_of(session, takes.find(session, asked)) is None, "it will give way"
        assert takes.ahead_of(session, takes.find(session, later)).bakes == 2
        takes.give_way(session, behind, attempt=7)
        assert takes.find(session, behind).status == "baking", "a newer attempt has it"
        takes.give_way(session, behind, attempt=1)
        assert takes.claim(session, behind, "here") is None, "not before what is waited for"
    with store.session() as session:
        row = takes.find(session, behind)
        assert (row.status, row.frames_done, row.worker, row.finished) == ("queued", 1, "", None)
        assert takes.claim(session, asked, "here") is not None
        assert takes.claim(session, behind, "there") is not None
        assert not takes.is_to_give_way(session, behind), "nothing waits any more"
        assert takes.ahead_of(session, takes.find(session, later)).bakes == 2


def test_a_bake_cancelled_as_it_gives_way_is_not_begun_again(store: Store) -> None:
    (behind,) = bakes(store, True)
    with store.session() as session:
        assert takes.claim(session, behind, "here") is not None
        takes.cancel(session, behind)
        takes.give_way(session, behind, attempt=1)
        row = takes.find(session, behind)
        assert row.status == "cancelled" and not row.cancel


def test_a_bake_that_an_artist_goes_on_with_is_waited_for(store: Store) -> None:
    (behind,) = bakes(store, True)
    with store.session() as session:
        takes.cancel(session, behind)
        assert takes.extend(session, behind).behind is False
