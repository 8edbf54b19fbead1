"""Numbers of a part of the document by path: what channels set."""

from __future__ import annotations

from bisect import bisect_right
from math import inf
from typing import Any

from pydantic import BaseModel


def number_at(part: BaseModel, path: str) -> float:
    """The number at a path such as ``reach.layers.0.shape.center.1``. Raises ValueError where there is none."""
    now: Any = part
    for step in path.split("."):
        now = _step(now, step, path)
    if isinstance(now, bool) or not isinstance(now, (int, float)):
        raise ValueError(f"'{path}' is not a number")
    return float(now)


def _step(now: Any, step: str, path: str) -> Any:
    if isinstance(now, BaseModel):
        if step not in type(now).model_fields:
            raise ValueError(f"there is no '{step}' on the way of '{path}'")
        return getattr(now, step)
    if isinstance(now, (list, tuple)) and step.isdigit() and int(step) < len(now):
        return now[int(step)]
    raise ValueError(f"there is no '{step}' on the way of '{path}'")


def set_number(part: BaseModel, path: str, value: float) -> None:
    """Set the number at a path, in place; the part must be the caller's own. Nothing is checked."""
    steps = path.split(".")
    way: list[Any] = [part]
    for step in steps[:-1]:
        way.append(_step(way[-1], step, path))
    new: Any = round(value) if isinstance(_step(way[-1], steps[-1], path), int) else value
    for holder, step in zip(reversed(way), reversed(steps), strict=True):
        if isinstance(holder, tuple):
            new = tuple(new if k == int(step) else x for k, x in enumerate(holder))
        elif isinstance(holder, list):
            holder[int(step)] = new
            return
        else:
            setattr(holder, step, new)
            return


Keys = list[tuple[float, float]]
"""Times [s] and values, by time."""


def held(keys: Keys, time: float) -> float:
    """The value of the last key at a time, or of the first."""
    return keys[max(0, bisect_right(keys, (time, inf)) - 1)][1]


def checked(part: BaseModel, path: str, keys: Keys, beside: dict[str, Keys]) -> None:
    """Raise ValueError where one of the values may not stand at the path.

    beside : keys of other numbers of the same vector, by their paths: what one of them may be goes by all
    """
    number_at(part, path)
    low, high = min(keys, key=lambda k: k[1]), max(keys, key=lambda k: k[1])
    tried = [low, high]
    if beside:
        tried.append(min(keys, key=lambda k: k[1] ** 2 + sum(held(other, k[0]) ** 2 for other in beside.values())))
    for time, value in tried:
        trial = part.model_copy(deep=True)
        for other, their in beside.items():
            set_number(trial, other, held(their, time))
        set_number(trial, path, value)
        try:
            type(part).model_validate(trial.model_dump(mode="json"))
        except ValueError as exc:
            said = exc.errors()[0]["msg"] if hasattr(exc, "errors") else str(exc)
            raise ValueError(f"'{path}' cannot be {value:g}: {said[:1].lower()}{said[1:]}") from None
