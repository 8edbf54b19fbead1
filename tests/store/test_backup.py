"""A backup holds all rows as they belong together, comes back the same, and is never half a file."""

from __future__ import annotations

import threading
import zipfile
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import MetaData, create_engine, select

from dynaclast import runtime
from dynaclast.core import document
from dynaclast.core.errors import InputError
from dynaclast.core.geometry import primitives
from dynaclast.core.materials import PRESETS
from dynaclast.core.solve.frame import Frame
from dynaclast.mariadb import Database
from dynaclast.setup import Failed
from dynaclast.store import library, materials, shots, takes
from dynaclast.store.assets import keep_mesh
from dynaclast.store.backup import head_of, read_backup, write_backup
from dynaclast.store.database import Store
from shots import box, shot


def rows(url: str) -> dict[str, list[tuple]]:
    engine = create_engine(url)
    found = MetaData()
    found.reflect(engine)
    with engine.connect() as connection:
        out = {t.name: sorted(connection.execute(select(t)).all(), key=repr) for t in found.sorted_tables}
    engine.dispose()
    return out


def fill(store: Store) -> None:
    with store.session() as session:
        state = shots.create(session, shot(box("a", (0, 1, 0)), name='Räuber, "so" & 🪨'))
        state = shots.save(session, state.id, 1, document.dump(shot(box("b", (0, 1, 0)))), "an edit")
        shots.create(session, shot(box("c", (0, 1, 0))))
        keep_mesh(session, primitives.box((1, 2, 3)), "crate\n", ["one", "zwei"])
        materials.save(session, PRESETS[0].model_copy(update={"name": "kept stone"}), replace=True)
        library.save(session, "field", "kept gale", {"a": None, "b": [1.5, True]}, replace=True)
        take = takes.ask(session, state.id, 10)
    with store.session() as session:
        row = takes.claim(session, take.id, "here")
        assert row is not None
        arrays = {"position": np.random.default_rng(1).normal(size=(9, 3)), "state": np.zeros(9, np.uint8)}
        block = [Frame(0, arrays, {"moving": 1.0}, [])]
        assert takes.add_chunk(session, row.id, row.attempt, block, b"\x00\n\xff" * 3000, 0.1)


def emptied(bare: Database, version: str = "head") -> Store:
    engine = create_engine(bare.url)
    made = MetaData()
    made.reflect(engine)
    made.drop_all(engine)
    engine.dispose()
    out = Store(bare.url)
    out.migrate(version)
    return out


def test_all_rows_come_back_as_they_were(store: Store, bare: Database, tmp_path: Path) -> None:
    fill(store)
    file = tmp_path / "all.dynaclast"
    counts = write_backup(store.engine, file)
    want = rows(store.url)
    assert counts["chunks"] >= 1 and counts["texts"] >= 1
    other = emptied(bare, head_of(file)["version"])
    told: list[tuple[int, int]] = []
    assert read_backup(other.engine, file, lambda *x: told.append(x)) == counts
    assert told[-1] == (sum(counts.values()),) * 2
    other.engine.dispose()
    assert rows(bare.url) == want


def test_what_is_written_meanwhile_is_in_it_whole_or_not_at_all(store: Store, bare: Database, tmp_path: Path) -> None:
    fill(store)
    end = threading.Event()

    def goes_on() -> None:
        while not end.is_set():
            with store.session() as session:
                shots.create(session, shot(box("m", (0, 1, 0))))

    busy = threading.Thread(target=goes_on)
    busy.start()
    try:
        for k in range(3):
            file = tmp_path / f"{k}.dynaclast"
            counts = write_backup(store.engine, file)
            other = emptied(bare)
            assert read_backup(other.engine, file) == counts
            found = rows(bare.url)
            first = {r.shot_id for r in found["revisions"] if r.number == 1}
            assert first == {r.id for r in found["shots"]}, "a shot without its document"
            other.engine.dispose()
    finally:
        end.set()
        busy.join()


@pytest.mark.parametrize("how", ["missing", "text", "other zip", "cut", "changed"])
def test_what_is_no_backup_is_said_and_nothing_is_touched(store: Store, tmp_path: Path, how: str) -> None:
    file = tmp_path / "x.dynaclast"
    if how == "text":
        file.write_text("a backup")
    if how == "other zip":
        with zipfile.ZipFile(file, "w") as out:
            out.writestr("a", "b")
    if how in ("cut", "changed"):
        fill(store)
        write_backup(store.engine, file)
        data = bytearray(file.read_bytes())
        data[len(data) // 2] ^= 0xFF
        file.write_bytes(data[: len(data) // 2] if how == "cut" else data)
    with pytest.raises(InputError, match="no backup|cannot be read|is damaged"):
        head_of(file)


def test_a_file_that_cannot_be_written_is_said_and_none_is_left(store: Store, tmp_path: Path) -> None:
    with pytest.raises(InputError, match="cannot be written"):
        write_backup(store.engine, tmp_path / "none" / "x.dynaclast")
    assert list(tmp_path.iterdir()) == []


def test_a_checkout_is_backed_up_and_restored_and_what_was_there_is_kept(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(runtime, "RUNTIME", tmp_path / "one")
    with pytest.raises(Failed, match="nothing to back up"):
        runtime.backup(tmp_path / "x.dynaclast")
    with runtime._alone(), runtime._database() as database:
        one = Store(database.url)
        one.migrate()
        fill(one)
        one.engine.dispose()
        want = rows(database.url)
    assert runtime.backup(tmp_path / "x.dynaclast") == 0
    monkeypatch.setattr(runtime, "RUNTIME", tmp_path / "two")
    for _ in range(2):
        assert runtime.restore(tmp_path / "x.dynaclast") == 0
    with runtime._alone(), runtime._database() as database:
        assert rows(database.url) == want
    assert len([p for p in (tmp_path / "two").iterdir() if p.name.startswith("database-before-")]) == 1
    (tmp_path / "bad").write_text("")
    with pytest.raises(InputError):
        runtime.restore(tmp_path / "bad")
    assert (tmp_path / "two" / "database").is_dir()
    assert "restored 2 shots and 1 takes" in capsys.readouterr().out
