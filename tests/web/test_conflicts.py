"""Transactions that lost against another's run again; those that failed otherwise do not."""

from __future__ import annotations

import pytest
from sqlalchemy.exc import OperationalError

from dynaclast.web import conflicts


def failed(number: int) -> OperationalError:
    return OperationalError("UPDATE x", {}, Exception(number, "told so"))


def test_a_view_that_lost_runs_again(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(conflicts.time, "sleep", lambda _s: None)
    calls: list[int] = []

    def view(x: int) -> str:
        calls.append(x)
        if len(calls) < 3:
            raise failed(1213)
        return "done"

    assert conflicts.run_again(view)(7) == "done"
    assert calls == [7, 7, 7]


def test_another_failure_is_told_at_once_and_endless_losing_ends(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(conflicts.time, "sleep", lambda _s: None)
    calls: list[int] = []

    def view(number: int) -> None:
        calls.append(number)
        raise failed(number)

    with pytest.raises(OperationalError):
        conflicts.run_again(view)(1146)
    assert calls == [1146]
    with pytest.raises(OperationalError):
        conflicts.run_again(view)(1213)
    assert calls.count(1213) == conflicts.TIMES
