"""Letting bodies settle as a job: told how far it is, stopped when asked, dropped when nobody asks."""

from __future__ import annotations

import time
from collections.abc import Callable

import pytest

from deforming import cloth, pin
from dynaclast.core.document import Opening, Shot
from dynaclast.core.errors import InputError
from dynaclast.core.settling import Settled
from dynaclast.jobs import settlings
from dynaclast.jobs.settlings import Settling, Settlings, Stopped
from dynaclast.store.shots import NotFound
from shots import box, shot

FLAG = cloth("flag", (0, 3, 0), (2, 1), (6, 4), pins=[pin(-1, 3, -0.5, reach=0.05)])


def ended(jobs: Settlings, one: Settling) -> Settling:
    end = time.monotonic() + 60
    while time.monotonic() < end:
        got = jobs.ask(one.id)
        if got.result is not None:
            return got
        time.sleep(0.02)
    raise AssertionError("it has not ended")


@pytest.fixture
def jobs() -> Settlings:
    return Settlings(lambda asset: (_ for _ in ()).throw(KeyError(asset)))


def test_it_tells_how_far_it_is_and_how_it_ended_once(jobs: Settlings) -> None:
    one = jobs.begin(shot(FLAG, frames=5), ["flag"], False)
    got = ended(jobs, one)
    assert got.result is not None and set(got.result.openings) == {"flag"} and got.share > 0.9
    with pytest.raises(NotFound):
        jobs.ask(one.id)


def test_what_is_wrong_is_said_to_who_asks(jobs: Settlings) -> None:
    one = jobs.begin(shot(box("crate", (0, 1, 0)), frames=5), ["crate"], False)
    with pytest.raises(InputError, match="no single body that deforms"):
        ended(jobs, one)


def slow(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """In place of settling: tells as long as it is let, and notes how it ended."""
    log: list[str] = []

    def endless(shot: Shot, names: list[str], *, tell: Callable[[float], None], **_: object) -> Settled:
        log.append("began")
        for k in range(1, 3000):
            time.sleep(0.01)
            try:
                tell(min(0.5, k / 100))
            except Stopped:
                log.append("stopped")
                raise
        return Settled({"flag": Opening(points="AAAAAAAAAAAAAAAA")}, 1.0, True)

    monkeypatch.setattr(settlings, "settle", endless)
    return log


def test_it_stops_when_asked_and_says_that_nothing_has_changed(
    jobs: Settlings, monkeypatch: pytest.MonkeyPatch
) -> None:
    log = slow(monkeypatch)
    one = jobs.begin(shot(FLAG), ["flag"], False)
    while jobs.ask(one.id).share < 0.1:
        time.sleep(0.01)
    assert one.left is not None and one.left > 0
    assert jobs.cancel(one.id)
    with pytest.raises(Stopped, match="everything opens as before"):
        ended(jobs, one)
    assert log == ["began", "stopped"] and not jobs.cancel(one.id)


def test_one_that_nobody_asks_for_is_dropped_and_there_are_not_too_many(
    jobs: Settlings, monkeypatch: pytest.MonkeyPatch
) -> None:
    log = slow(monkeypatch)
    monkeypatch.setattr(settlings, "AT_ONCE", 2)
    some = [jobs.begin(shot(FLAG), ["flag"], False) for _ in range(2)]
    with pytest.raises(InputError, match="enough is settling"):
        jobs.begin(shot(FLAG), ["flag"], False)
    assert log == ["began"]  # the second waits for the first
    monkeypatch.setattr(settlings, "ABANDONED", 0.05)
    end = time.monotonic() + 20
    while any(s.error is None for s in some) and time.monotonic() < end:
        time.sleep(0.02)
    assert all(isinstance(s.error, Stopped) for s in some)
    jobs.begin(shot(FLAG), ["flag"], False)  # their places are free
