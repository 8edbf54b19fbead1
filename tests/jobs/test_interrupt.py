"""Work that is stopped at any step leaves what others need whole."""

from __future__ import annotations

import threading
import time

import pytest
from numba.core.registry import CPUDispatcher

from dynaclast.core.kernels import kernel
from dynaclast.jobs.interrupt import Interrupted, Interruptible


def test_the_compiler_is_not_stopped_with_who_asked_for_it(monkeypatch: pytest.MonkeyPatch) -> None:
    @kernel
    def double(x: float) -> float:
        return 2.0 * x

    begun, steps, ended = threading.Event(), [], []

    def slowly(self: CPUDispatcher, sig: object) -> None:
        begun.set()
        for step in range(50):
            time.sleep(0.005)
            steps.append(step)

    monkeypatch.setattr(CPUDispatcher, "compile", slowly)
    work = Interruptible()

    def ask() -> None:
        try:
            with work:
                double.compile_for(1.0)
        except Interrupted:
            ended.append("stopped")

    asking = threading.Thread(target=ask)
    asking.start()
    assert begun.wait(10)
    work.interrupt()
    asking.join(10)
    until = time.monotonic() + 10  # who asked may be stopped before it waits; the compiler goes on by itself
    while len(steps) < 50 and time.monotonic() < until:
        time.sleep(0.01)
    assert ended == ["stopped"] and len(steps) == 50
    monkeypatch.undo()
    assert double(4.0) == 8.0


def test_what_the_compiler_says_is_wrong_comes_to_who_asked(monkeypatch: pytest.MonkeyPatch) -> None:
    @kernel
    def half(x: float) -> float:
        return 0.5 * x

    def refuses(self: CPUDispatcher, sig: object) -> None:
        raise ValueError("no")

    monkeypatch.setattr(CPUDispatcher, "compile", refuses)
    with pytest.raises(ValueError, match="no"):
        half.compile_for(1.0)
