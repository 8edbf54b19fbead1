"""Read by every Python process that has this folder on its path: its clock is that of a file, seconds ahead or behind.
What counts seconds (time.monotonic) goes on as ever, as it does where a machine's clock is set.
"""

from __future__ import annotations

import contextlib
import os
import time

_real, _real_ns = time.time, time.time_ns
_path = os.environ.get("DYNACLAST_CLOCK", "")
_shift, _read = 0.0, -1.0


def _ahead() -> float:
    global _shift, _read
    if time.monotonic() - _read > 0.5:
        _read = time.monotonic()
        with contextlib.suppress(OSError, ValueError), open(_path) as file:
            _shift = float(file.read())
    return _shift


if _path:
    time.time = lambda: _real() + _ahead()
    time.time_ns = lambda: _real_ns() + int(1e9 * _ahead())
