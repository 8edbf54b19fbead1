"""The bake service as a whole: what it bakes, what comes first, and workers that end or stop."""

from __future__ import annotations

import os
import signal
from collections.abc import Iterator

import pytest
from test_bakes import ask, same_as_undisturbed, scene, wait

from dynaclast.mariadb import Database
from dynaclast.store import takes
from dynaclast.store.database import Store
from dynaclast.store.models import TakeRow
from services import bake_service


@pytest.fixture(scope="module")
def service(database: Database) -> Iterator[None]:
    """A bake service for all that leave it as it was: to start one takes ten seconds of a processor."""
    with bake_service(database):
        yield


def worker_of(row: TakeRow) -> int:
    """Its process."""
    return int(row.worker.split(":")[1])


@pytest.mark.usefixtures("service")
def test_a_bake_goes_through_the_service_and_equals_the_core_alone(store: Store) -> None:
    document = scene()
    take_id = ask(store, document)
    row = wait(store, take_id, lambda r: r.status not in takes.ACTIVE)
    assert (row.status, row.frames_done, row.attempt) == ("done", 36, 1)
    same_as_undisturbed(store, take_id, document)


@pytest.mark.usefixtures("service")
def test_a_killed_workers_bake_goes_on_and_ends_with_the_same_frames(store: Store) -> None:
    document = scene(400)
    take_id = ask(store, document)
    row = wait(store, take_id, lambda r: r.frames_done >= 2)
    os.kill(worker_of(row), signal.SIGKILL)
    row = wait(store, take_id, lambda r: r.status not in takes.ACTIVE)
    assert row.status == "done" and row.attempt >= 2
    same_as_undisturbed(store, take_id, document)


@pytest.mark.usefixtures("service")
def test_a_bake_that_is_waited_for_comes_before_those_that_are_not_and_these_go_on(store: Store) -> None:
    long, short = scene(600), scene(12)
    behind = [ask(store, long, behind=True), ask(store, scene(24), behind=True)]
    worker = worker_of(wait(store, behind[0], lambda r: r.frames_done >= 2))
    os.kill(worker, signal.SIGSTOP)  # else it may be done before the other is asked for
    asked = ask(store, short)
    os.kill(worker, signal.SIGCONT)
    first = wait(store, asked, lambda r: r.status not in takes.ACTIVE)
    rows = [wait(store, take, lambda r: r.status not in takes.ACTIVE) for take in behind]
    assert [r.status for r in (first, *rows)] == ["done"] * 3 and rows[0].attempt == 2 and rows[0].lost == 0
    assert first.finished < rows[0].finished < rows[1].finished, "in the order they were asked for"
    same_as_undisturbed(store, asked, short)
    same_as_undisturbed(store, behind[0], long)


def test_a_stopped_worker_is_replaced_and_its_bake_goes_on(store: Store, database: Database) -> None:
    document = scene(300)
    with bake_service(database, DYNACLAST_LOST_AFTER="2"):
        take_id = ask(store, document)
        row = wait(store, take_id, lambda r: r.frames_done >= 2)
        os.kill(worker_of(row), signal.SIGSTOP)
        row = wait(store, take_id, lambda r: r.status not in takes.ACTIVE)
    assert row.status == "done" and row.attempt == 2
    same_as_undisturbed(store, take_id, document)
