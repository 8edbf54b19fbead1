"""One bake, as a worker runs it."""

from __future__ import annotations

import os
import socket
import threading
import time
from collections.abc import Iterator
from functools import partial

from ..core import document
from ..core.errors import DynaclastError
from ..core.solve.frame import Frame
from ..core.solve.loop import frames
from ..core.solve.prepare import PIECES_SHARE, prepare
from ..core.solve.state import State
from ..store import takes, texts
from ..store.assets import PieceCache
from ..store.database import Store
from .interrupt import Interrupted, Interruptible
from .machines import database_of
from .traces import readable_state

FLUSH_AFTER = 0.4
"""Seconds after which frames computed so far are stored, so that they can be watched."""
MOST_FRAMES = 24
"""Frames in one chunk at most."""
MOST_BYTES = 6_000_000
"""Bytes of frames after which a chunk is stored: what it takes in the database must stay below 16 MB."""
BEAT = 0.5
"""Seconds between signs of life; a bake that is cancelled notices by the answer."""
AT_HAND = 1.0
"""Seconds within which pieces come that need not be built."""
MOST_SAID = 140
"""Characters of an error inside the program that the artist is shown."""


class Pulse:
    """Beats in the background while a bake runs, and learns from the answer whether to stop.

    ``preparing`` is the stretch in which a stop interrupts, and ``prepared`` the share of it that is done; frames look
    at ``stop``. ``gives_way``: it stops for a bake that is waited for, and goes on later.
    """

    def __init__(self, store: Store, take_id: str, attempt: int) -> None:
        self.stop, self.further, self.gives_way = False, False, False
        self.prepared = 0.0
        self._began, self._skips = time.monotonic(), 0.0
        self.preparing = Interruptible()
        self._end = threading.Event()
        self._thread = threading.Thread(target=self._run, args=(store, take_id, attempt), daemon=True)

    def tell(self, share: float) -> None:
        """The preparation has got so far. Where the pieces were at hand it is the rest of it that counts."""
        if share >= PIECES_SHARE and self.prepared < PIECES_SHARE and time.monotonic() - self._began < AT_HAND:
            self._skips = PIECES_SHARE
        self.further, self.prepared = True, (share - self._skips) / (1.0 - self._skips)

    def _run(self, store: Store, take_id: str, attempt: int) -> None:
        while not self._end.wait(BEAT):
            try:
                further, self.further = self.further, False
                prepared = self.prepared, time.monotonic() - self._began
                with store.session() as session:
                    on = takes.beat(session, take_id, attempt, further, prepared if prepared[0] < 1.0 else None)
                    self.gives_way = on and takes.is_to_give_way(session, take_id)
                if self.gives_way or not on:
                    self.stop = True
                    self.preparing.interrupt()
                    return
            except Exception:  # the server is away: the next chunk waits for it, the next beat tells it we live
                continue

    def __enter__(self) -> Pulse:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._end.set()
        self._thread.join(timeout=5)


def run_bake(url: str, take_id: str, frame_pause: float = 0.0) -> str:
    """Bake a queued take to its end, from its last stored frame on. Returns how it ended: done, cancelled, failed,
    superseded (another worker has it), taken (one had it before), queued (it gave way).

    frame_pause : seconds to wait after each frame (for tests that need a bake to last)
    """
    store = Store(database_of(url))
    worker = f"{socket.gethostname()}:{os.getpid()}"
    try:
        row = store.patiently(lambda s: takes.claim(s, take_id, worker))
        if row is None:
            return "taken"
        with Pulse(store, take_id, row.attempt) as pulse:
            text = store.patiently(lambda s: texts.read(s, takes.find(s, take_id)))
            status, message = _bake(store, row.id, row.attempt, text, row.frames_total, pulse, frame_pause)
        if status == "cancelled" and pulse.gives_way:
            store.patiently(lambda s: takes.give_way(s, take_id, row.attempt))
            return "queued"
        if status != "superseded":
            store.patiently(lambda s: takes.finish(s, take_id, row.attempt, status, message))
        return status
    finally:
        store.engine.dispose()


def _bake(
    store: Store, take_id: str, attempt: int, text: str, total: int, pulse: Pulse, frame_pause: float
) -> tuple[str, str]:
    try:
        shot = document.parse_json(text)
        cache = PieceCache(store)

        with pulse.preparing:
            prepared = prepare(shot, cache.resolve, cache.get, progress=pulse.tell)
        pulse.tell(1.0)
        state = _last_state(store, take_id) or prepared.state
        kept = store.patiently(lambda s: takes.frames_kept(s, take_id))
        stream = frames(prepared.shot, prepared.model, state, total, should_stop=lambda: pulse.stop)
        fresh = (f for f in stream if f.index > kept)  # frames before a state that can be gone on from are kept already
        for block, seconds in _blocks(fresh, frame_pause):
            add = partial(
                takes.add_chunk, take_id=take_id, attempt=attempt, frames=block, carry=state.pack(), seconds=seconds
            )
            if not store.patiently(add):
                return "superseded", ""
    except Interrupted:
        return "cancelled", ""
    except DynaclastError as exc:
        return "failed", exc.line()
    except Exception as exc:  # whatever it is, the artist must not be left waiting
        said = f"{type(exc).__name__}: {exc}".splitlines()[0]
        said = said if len(said) <= MOST_SAID else said[: MOST_SAID - 3] + "..."
        return "failed", f"the bake stopped by an error inside the program: {said}"
    return ("cancelled", "") if state.frame < total else ("done", "")


def _last_state(store: Store, take_id: str) -> State | None:
    """The state to go on from."""
    return readable_state(store.patiently(lambda s: takes.state_at(s, take_id)))


def _blocks(stream: Iterator[Frame], frame_pause: float) -> Iterator[tuple[list[Frame], float]]:
    """Frames in blocks to store; the first frames at once, later ones as time or number asks. With the seconds each
    took.
    """
    block: list[Frame] = []
    size = 0
    began = time.monotonic()
    for frame in stream:
        block.append(frame)
        if frame_pause:
            time.sleep(frame_pause)
        size += sum(array.nbytes for array in frame.arrays.values())
        full = len(block) >= MOST_FRAMES or size >= MOST_BYTES
        if frame.index <= 1 or full or time.monotonic() - began > FLUSH_AFTER:
            yield block, time.monotonic() - began
            block, size, began = [], 0, time.monotonic()
    if block:
        yield block, time.monotonic() - began
