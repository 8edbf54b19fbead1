"""Bakes against the real database and real worker processes, some of which are killed in the middle."""

from __future__ import annotations

import signal
import threading
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from pxr import Usd, UsdGeom

from deforming import cloth, pin, rope
from dynaclast.core.bake import bake
from dynaclast.core.document import Shot, parse
from dynaclast.jobs import take
from dynaclast.jobs.take import run_bake
from dynaclast.jobs.take_export import baked_take, export_take
from dynaclast.mariadb import Database
from dynaclast.store import shots, takes
from dynaclast.store.database import Store
from dynaclast.store.models import TakeRow
from shots import ball, blow, box, footing, pillar, shot

ROOT = Path(__file__).parents[2]


def scene(frames: int = 36) -> Shot:
    return shot(
        pillar(),
        ball("stone", (0, 2.2, -4), velocity=[0, 0, 9]),
        fields=(footing(), blow(1500, (0, 2, 0), 0.9, 0.3)),
        frames=frames,
    )


def ask(store: Store, document: Shot, behind: bool = False) -> str:
    with store.session() as session:
        state = shots.create(session, document)
        return takes.ask(session, state.id, document.timing.frames, behind=behind).id


def row_of(store: Store, take_id: str) -> TakeRow:
    return store.patiently(lambda s: takes.find(s, take_id))


def wait(store: Store, take_id: str, reached: Callable[[TakeRow], bool], seconds: float = 240) -> TakeRow:
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        row = row_of(store, take_id)
        if reached(row):
            return row
        time.sleep(0.05)
    pytest.fail(f"take still {row.status} at frame {row.frames_done}: {row.message}")


def same_as_undisturbed(store: Store, take_id: str, document: Shot) -> None:
    baked, want = baked_take(store, take_id)[2], bake(document)
    assert (
        baked.position.tobytes() == want.position.tobytes()
        and baked.orientation.tobytes() == want.orientation.tobytes()
    )
    assert (baked.state == want.state).all() and baked.events == want.events
    assert all(np.array_equal(baked.stats[k], want.stats[k]) for k in want.stats)


def test_a_killed_database_server_loses_nothing(tmp_path: Path) -> None:
    server = Database(tmp_path / "runtime")
    server.start()
    store = Store(server.url)
    store.migrate()
    document = scene(30)
    take_id = ask(store, document)
    worker = threading.Thread(target=run_bake, args=(server.url, take_id, 0.05))
    worker.start()
    try:
        wait(store, take_id, lambda r: r.frames_done >= 3)
        assert server.process is not None
        server.process.send_signal(signal.SIGKILL)
        server.process.wait()
        time.sleep(0.5)
        server.start(server.port)
        row = wait(store, take_id, lambda r: r.status not in takes.ACTIVE)
        worker.join(timeout=30)
        assert row.status == "done"
        same_as_undisturbed(store, take_id, document)
    finally:
        store.engine.dispose()
        server.stop()


def test_cancel_keeps_what_is_done_and_going_on_completes_it(store: Store, database: Database) -> None:
    document = scene()
    take_id = ask(store, document)
    worker = threading.Thread(target=run_bake, args=(database.url, take_id, 0.15))
    worker.start()
    wait(store, take_id, lambda r: r.frames_done >= 2)
    store.patiently(lambda s: takes.cancel(s, take_id))
    row = wait(store, take_id, lambda r: r.status == "cancelled")
    worker.join()
    assert 2 <= row.frames_done < 36
    store.patiently(lambda s: takes.extend(s, take_id))
    assert run_bake(database.url, take_id) == "done"
    same_as_undisturbed(store, take_id, document)


def test_a_bake_taken_over_cannot_write_any_more(store: Store, database: Database) -> None:
    take_id = ask(store, scene())
    first = store.patiently(lambda s: takes.claim(s, take_id, "one:1"))
    assert first is not None and store.patiently(lambda s: takes.claim(s, take_id, "two:2")) is None
    assert store.patiently(lambda s: takes.requeue_lost(s, take_id, "it was killed")) == "queued"
    second = store.patiently(lambda s: takes.claim(s, take_id, "two:2"))
    assert second is not None and second.attempt == 2
    assert store.patiently(lambda s: takes.beat(s, take_id, 1)) is False
    assert store.patiently(lambda s: takes.beat(s, take_id, 2)) is True


def test_a_bake_that_loses_its_workers_at_one_frame_has_failed_and_says_where(store: Store) -> None:
    take_id = ask(store, scene())
    for number in range(takes.MOST_LOST):
        assert store.patiently(lambda s: takes.claim(s, take_id, "one:1")) is not None
        status = store.patiently(lambda s: takes.requeue_lost(s, take_id, "its worker ended"))
        assert status == ("queued" if number < takes.MOST_LOST - 1 else "failed")
    row = row_of(store, take_id)
    assert row.message.startswith("its worker ended, 3 times at frame 0") and row.finished is not None


def test_a_bake_is_cancelled_within_a_second_while_it_is_prepared(
    store: Store, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    begun = threading.Event()

    def endless(*_any: object, **_more: object) -> None:
        begun.set()
        while True:
            time.sleep(0.01)

    monkeypatch.setattr(take, "prepare", endless)
    take_id = ask(store, scene())
    ended: list[str] = []
    worker = threading.Thread(target=lambda: ended.append(run_bake(database.url, take_id)))
    worker.start()
    assert begun.wait(20)
    store.patiently(lambda s: takes.cancel(s, take_id))
    worker.join(timeout=10)
    assert ended == ["cancelled"] and row_of(store, take_id).status == "cancelled"


def test_a_bake_that_cannot_be_done_says_why(store: Store, database: Database) -> None:
    open_box = {
        "kind": "mesh",
        "vertices": [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]],
        "faces": [[0, 2, 1], [0, 1, 3], [0, 3, 2], [0, 3, 2]],
    }
    take_id = ask(store, parse({"bodies": [{"name": "crate", "shape": open_box}]}))
    assert run_bake(database.url, take_id) == "failed"
    assert "crate" in row_of(store, take_id).message


def test_an_error_inside_the_program_is_said_in_one_short_line(
    store: Store, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    def breaks(*_any: object, **_more: object) -> None:
        raise TypeError("incompatible arguments: " + "ndarray, " * 200 + "\nand more")

    monkeypatch.setattr(take, "prepare", breaks)
    take_id = ask(store, shot(box("a", (0, 1, 0))))
    assert run_bake(database.url, take_id) == "failed"
    said = row_of(store, take_id).message
    assert said.startswith("the bake stopped by an error inside the program: TypeError: incompatible")
    assert len(said) < 200 and said.endswith("...") and "\n" not in said


def test_a_take_keeps_the_points_of_cloth_and_ropes_and_exports_them(store: Store, tmp_path: Path) -> None:
    document = shot(
        cloth("flag", (0, 3, 0), (1, 1), (4, 4), pins=[pin(-0.5, 3, 0.5), pin(-0.5, 3, -0.5)]),
        rope("line", (2, 3, 0), (2, 1, 0), segments=6, pins=[pin(2, 3, 0)]),
        box("crate", (4, 0.5, 0)),
        frames=6,
    )
    take_id = ask(store, document)
    run_bake(store.url, take_id)
    assert row_of(store, take_id).status == "done"
    _, _, baked = baked_take(store, take_id)
    expected = bake(document)
    for name in ("points/flag", "points/line", "acted/flag"):
        if name in expected.maps:
            assert baked.maps[name].tobytes() == expected.maps[name].tobytes()
    export_take(take_id, tmp_path / "out.usdc", store)
    stage = Usd.Stage.Open(str(tmp_path / "out.usdc"))
    flag = UsdGeom.Mesh(stage.GetPrimAtPath(f"{stage.GetDefaultPrim().GetPath()}/flag/flag"))
    line = UsdGeom.BasisCurves(stage.GetPrimAtPath(f"{stage.GetDefaultPrim().GetPath()}/line/line"))
    for shape, name in ((flag, "points/flag"), (line, "points/line")):
        for frame in (0, 3, 6):
            found = np.array(shape.GetPointsAttr().Get(frame))
            assert found == pytest.approx(expected.maps[name][frame], abs=1e-6)
    assert len(flag.GetFaceVertexIndicesAttr().Get()) == 3 * 32 and list(line.GetWidthsAttr().Get()) == [
        pytest.approx(0.02)
    ]
