"""The bake service: hands queued takes to Dask and takes up what a dead worker left.

By default it runs its own scheduler with one worker process of one thread (a solver gains nothing from two threads on a
busy machine); ``DYNACLAST_SCHEDULER=tcp://...`` uses a cluster that others run.
"""

from __future__ import annotations

import logging
import os
import signal
import threading
import time
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

import dask
import distributed.scheduler
from distributed import Client, LocalCluster

from ..store import takes
from ..store.collect import collect
from ..store.database import Store
from .bell import SETTING, Bell, ring
from .machines import QUIET
from .security import Modest, security
from .take import run_bake
from .warm import warm

LOOK_EVERY = 0.25
"""Seconds between looks at the queue while a bake is at work or waits."""
LOOK_IDLE = 5.0
"""And while none is: who asks for one rings."""
LOST_AFTER = 120.0
"""Seconds without a sign of life after which a worker is taken for lost and its bake taken up by another. Compiled code
lets nothing else speak while it runs: the longest step on a large mesh takes half a minute.
"""
STUCK_AFTER = 600.0
"""Seconds without getting any further after which it is taken for stuck."""

ROOT = Path(__file__).parents[3]

HEARTBEAT = 10.0
"""Seconds between signs of life of idle workers."""
COLLECT_FIRST, COLLECT_EVERY = 300.0, 3600.0
"""Seconds after the start, and between times, at which what nothing refers to is dropped, while no bake is at work."""

log = logging.getLogger("dynaclast.jobs")


class _Seen(NamedTuple):
    """What was seen of a bake, and when it last gave a sign of life and got any further (time.monotonic)."""

    alive: takes.Alive
    beaten: float
    further: float


class Dispatcher:
    """Moves takes from the queue to workers."""

    def __init__(
        self, store: Store, client: Client, lost_after: float = LOST_AFTER, stuck_after: float = STUCK_AFTER
    ) -> None:
        self.store, self.client = store, client
        self.lost_after, self.stuck_after = lost_after, stuck_after
        self.running: dict[str, Any] = {}
        self.busy = True
        self._count = 0
        self._seen: dict[str, _Seen] = {}

    def look(self) -> None:
        """One round: forget finished runs, find lost ones, hand out queued ones."""
        for take_id, future in list(self.running.items()):
            if future.status in ("finished", "error", "cancelled", "lost"):
                del self.running[take_id]
                if future.status != "finished":
                    self._give_back(take_id, "its worker ended")
        for take_id, why in self._silent():
            self._end_worker(take_id)
            self._give_back(take_id, why)
        self.busy = bool(self.running)
        for take_id, behind in self.store.patiently(takes.queued):
            self.busy = True
            if take_id not in self.running:
                self._count += 1
                key = f"bake-{take_id}-{self._count}"
                self.running[take_id] = self.client.submit(
                    run_bake,
                    self.store.url,
                    take_id,
                    pure=False,
                    retries=0,
                    key=key,
                    priority=-int(behind),
                    fifo_timeout=0,  # else what is handed out within a minute comes in any order
                )

    def _silent(self) -> list[tuple[str, str]]:
        """Bakes whose worker gives no sign of life or gets no further, by our own watch: what clocks say does not
        count.
        """
        now, out = time.monotonic(), []
        found = self.store.patiently(takes.at_work)
        for take_id, alive in found.items():
            seen = self._seen.get(take_id)
            if seen is None or seen.alive.attempt != alive.attempt:
                self._seen[take_id] = _Seen(alive, now, now)
                continue
            beaten = now if alive.beats != seen.alive.beats else seen.beaten
            further = now if alive.progress != seen.alive.progress else seen.further
            self._seen[take_id] = _Seen(alive, beaten, further)
            if now - beaten > self.lost_after:
                out.append((take_id, f"its worker gave no sign of life for {self.lost_after:.0f} s"))
            elif now - further > self.stuck_after:
                out.append((take_id, f"its worker got no further for {self.stuck_after:.0f} s"))
        self._seen = {k: v for k, v in self._seen.items() if k in found}
        return out

    def _end_worker(self, take_id: str) -> None:
        """End the worker that has a bake, so that a new one takes its place."""
        future = self.running.pop(take_id, None)
        if future is None:
            return
        key = future.key
        at = [worker for worker, keys in self.client.processing().items() if key in keys]
        future.cancel()
        if at:
            log.warning("take %s: ending its worker %s", take_id, at[0])
            self.client.restart_workers(at, timeout=20, raise_for_error=False)

    def _give_back(self, take_id: str, why: str) -> None:
        self._seen.pop(take_id, None)
        status = self.store.patiently(partial(takes.requeue_lost, take_id=take_id, why=why))
        log.warning("take %s: %s; it is now %s", take_id, why, status)


def _collect(store: Store) -> None:
    """Drop what nothing refers to any more."""
    try:
        found = collect(store)
    except Exception:
        log.exception("what nothing refers to could not be dropped; trying again later")
        return
    if any(found):
        log.info("dropped %s", found)


def serve(
    url: str,
    scheduler: str | None,
    stop: threading.Event,
    keys: Path,
    bell: Bell,
    *,
    reached_at: str = "",
    scheduler_port: int = 0,
    warm_up: bool = True,
    lost_after: float = LOST_AFTER,
    stuck_after: float = STUCK_AFTER,
) -> None:
    """Run until ``stop`` is set.

    keys : folder of the certificates (security.py); bell : by which work is announced
    reached_at, scheduler_port : where workers on other machines find it; nowhere, and any port
    lost_after, stuck_after    : [s], as of Dispatcher
    """
    dask.config.set(QUIET)
    # twice a second by itself, each with measurements of the whole machine; lost workers are told by their bakes
    distributed.scheduler.heartbeat_interval = lambda _workers: HEARTBEAT
    secret = security(keys)
    cluster = (
        None
        if scheduler
        else LocalCluster(
            n_workers=1,
            threads_per_worker=1,
            processes=True,
            dashboard_address=None,
            host=reached_at or "127.0.0.1",
            scheduler_port=scheduler_port,
            protocol="tls://",
            security=secret,
            memory_limit=0,
        )
    )
    client = Client(scheduler or cluster, set_as_default=False, security=secret)
    if cluster is not None:
        cluster.scheduler.http_server.stop()
    client.register_plugin(Modest())
    store = Store(url)
    try:
        if warm_up:
            client.submit(warm, pure=False)
        dispatcher = Dispatcher(store, client, lost_after, stuck_after)
        print("bake service ready", flush=True)
        collected = time.monotonic() - COLLECT_EVERY + COLLECT_FIRST
        while not stop.is_set():
            if not dispatcher.busy and time.monotonic() - collected > COLLECT_EVERY:
                collected = time.monotonic()
                _collect(store)
            bell.wait(LOOK_EVERY if dispatcher.busy else LOOK_IDLE)
            if stop.is_set():
                break
            try:
                dispatcher.look()
            except Exception:
                log.exception("the queue could not be read; trying again")
                stop.wait(1.0)
    finally:
        client.close()
        if cluster is not None:
            cluster.close()
        store.engine.dispose()


def main() -> None:
    url, scheduler = os.environ["DYNACLAST_URL"], os.environ.get("DYNACLAST_SCHEDULER")
    logging.basicConfig(level=logging.WARNING)
    logging.getLogger("distributed").setLevel(logging.ERROR)
    stop = threading.Event()
    path = os.environ.get(SETTING, "")

    def end(*_: object) -> None:
        stop.set()
        ring(path)

    for sign in (signal.SIGTERM, signal.SIGINT):
        signal.signal(sign, end)
    keys = Path(os.environ.get("DYNACLAST_KEYS", ROOT / "runtime" / "keys"))
    lost_after = float(os.environ.get("DYNACLAST_LOST_AFTER", LOST_AFTER))
    at, port = os.environ.get("DYNACLAST_REACHED_AT", ""), int(os.environ.get("DYNACLAST_SCHEDULER_PORT", "0"))
    serve(url, scheduler, stop, keys, Bell(path), reached_at=at, scheduler_port=port, lost_after=lost_after)


if __name__ == "__main__":
    main()
