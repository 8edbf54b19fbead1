"""The kernels are compiled by two processes that share the work."""

from __future__ import annotations

import os
import time
from pathlib import Path

import pytest

from dynaclast.jobs.warm import _share


def test_each_task_is_done_once_by_one_of_two_processes(tmp_path: Path) -> None:
    def task(number: int) -> None:
        time.sleep(0.02)
        with (tmp_path / str(number)).open("a") as file:
            file.write(f"{os.getpid()}\n")

    _share([lambda number=number: task(number) for number in range(12)])  # type: ignore[misc]

    done = [(tmp_path / str(number)).read_text().split() for number in range(12)]
    assert all(len(by) == 1 for by in done)
    assert len({by[0] for by in done}) == 2


def test_a_task_that_fails_in_the_other_process_is_told(capfd: pytest.CaptureFixture[str]) -> None:
    here = os.getpid()

    def task() -> None:
        time.sleep(0.05)
        if os.getpid() != here:
            raise KeyError("hulls")

    with pytest.raises(RuntimeError, match="the other process failed"):
        _share([task] * 4)
    assert "KeyError: 'hulls'" in capfd.readouterr().err
