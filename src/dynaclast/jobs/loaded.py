"""What a process that works for long has loaded."""

from __future__ import annotations

import gc


def keep_for_good() -> None:
    """What is loaded by now stays to the end of the process. The collector of what does not need not look through it
    again and again: it held up a run for 150 ms each time.
    """
    gc.collect()
    gc.freeze()
