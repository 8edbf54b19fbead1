"""Requests whose transaction lost against another's are answered all the same: they run again."""

from __future__ import annotations

import functools
import random
import time
from collections.abc import Callable
from typing import Any

from flask import Flask
from sqlalchemy.exc import DBAPIError

LOST = (1020, 1213)
"""What the server says of a transaction it took back for another's sake: a row changed, or a deadlock."""
TIMES = 6


def lost_against_another(exc: DBAPIError) -> bool:
    """Whether the server took the transaction back, so that nothing of it was done."""
    told = getattr(exc.orig, "args", ())
    return bool(told) and told[0] in LOST


def run_again(view: Callable[..., Any]) -> Callable[..., Any]:
    """A view that runs again, a few times, where its transaction was taken back. Each view has one transaction, and
    does what can't be taken back after it.
    """

    @functools.wraps(view)
    def work(*args: Any, **kwargs: Any) -> Any:
        for k in range(TIMES):
            try:
                return view(*args, **kwargs)
            except DBAPIError as exc:
                if k + 1 == TIMES or not lost_against_another(exc):
                    raise
                time.sleep(random.uniform(0.01, 0.05) * 2**k)
        raise AssertionError

    return work


def run_lost_again(app: Flask) -> None:
    """Let every view of an application run again where it lost."""
    for name, view in app.view_functions.items():
        app.view_functions[name] = run_again(view)
