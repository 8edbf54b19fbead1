"""Building pieces as a job: answered at once where it is quick, else told how far it is; stopped when asked."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

import pytest

from dynaclast.core.document import Body
from dynaclast.core.errors import GeometryError, InputError
from dynaclast.core.fracture.build import build_pieces
from dynaclast.core.fracture.pieces import Pieces
from dynaclast.jobs.builds import Build, BuildCancelled, Builds
from shots import box


class Slow:
    """In place of the cache of pieces: builds step by step, each step when it is let go."""

    def __init__(self, failing: Exception | None = None) -> None:
        self.begun = 0
        self.steps = threading.Semaphore(0)
        self.failing = failing
        self.made: dict[str, Pieces] = {}

    def known(self, body: Body) -> Pieces | None:
        return self.made.get(body.name)

    def get(self, body: Body, tell: Callable[[float], None]) -> Pieces:
        self.begun += 1
        for k in range(1, 5):
            self.steps.acquire(timeout=20)
            tell(k / 4)
        if self.failing:
            raise self.failing
        self.made[body.name] = build_pieces(body)
        return self.made[body.name]

    def go_on(self, steps: int) -> None:
        for _ in range(steps):
            self.steps.release()


CRATE = Body.model_validate(box("crate", (0, 1, 0)))


def until(what: Callable[[], bool]) -> None:
    end = time.monotonic() + 20
    while not what():
        assert time.monotonic() < end, "it did not come about"
        time.sleep(0.005)


def test_a_build_tells_how_far_it_is_and_is_given_out_once_it_is_there() -> None:
    cache = Slow()
    builds = Builds(cache)
    first = builds.ask(CRATE, 0.0)
    assert isinstance(first, Build) and first.left is None
    cache.go_on(2)
    until(lambda: first.share == 0.5)
    assert first.left is not None and first.left >= 0
    assert builds.ask(CRATE, 0.0) is first  # asking again begins no second one
    cache.go_on(2)
    got = builds.ask(CRATE, 20.0)
    assert isinstance(got, Pieces) and got.count == 1 and cache.begun == 1
    assert builds.ask(CRATE, 0.0) is got


def test_a_build_that_is_stopped_says_so_and_can_be_asked_for_again() -> None:
    cache = Slow()
    builds = Builds(cache)
    assert not builds.cancel(CRATE)
    build = builds.ask(CRATE, 0.0)
    assert isinstance(build, Build) and builds.cancel(CRATE)
    cache.go_on(1)
    until(build.ended.is_set)
    assert isinstance(build.error, BuildCancelled) and "settings are kept" in build.error.message
    cache.go_on(4)
    assert isinstance(builds.ask(CRATE, 20.0), Pieces)


@pytest.mark.parametrize(
    ("failing", "kind", "words"),
    [
        (GeometryError("the mesh is open", where="crate"), GeometryError, "the mesh is open"),
        (ZeroDivisionError("by nothing"), InputError, "crate cannot be built: ZeroDivisionError"),
    ],
)
def test_whatever_goes_wrong_reaches_who_asked(failing: Exception, kind: type[Exception], words: str) -> None:
    cache = Slow(failing)
    cache.go_on(4)
    with pytest.raises(kind, match=words):
        Builds(cache).ask(CRATE, 20.0)


def test_builds_take_turns() -> None:
    cache = Slow()
    builds = Builds(cache)
    other = CRATE.model_copy(
        update={"name": "other", "shape": CRATE.shape.model_copy(update={"size": (2.0, 1.0, 1.0)})}
    )
    one, two = builds.ask(CRATE, 0.0), builds.ask(other, 0.0)
    assert isinstance(one, Build) and isinstance(two, Build)
    until(lambda: cache.begun == 1)
    time.sleep(0.05)
    assert cache.begun == 1
    cache.go_on(8)
    until(lambda: one.ended.is_set() and two.ended.is_set())
    assert cache.begun == 2 and set(cache.made) == {"crate", "other"}
