"""The bake service: hands queued takes to Dask and takes up what a dead worker left.

By default it runs its own scheduler with one worker process of one thread (a solver gains nothing from two threads on a
busy machine); ``DYNACLAST_SCHEDULER=tcp://...`` uses a cluster that others run.
"""

from __future__ import annotations

import logging
import os
import signal
import threading
from functools import partial
from typing import Any

import dask
from distributed import Client, LocalCluster

from ..store import takes
from ..store.database import Store
from .take import run_bake
from .warm import warm

LOOK_EVERY = 0.15
"""Seconds between looks at the queue."""
LOST_AFTER = 10.0
"""Seconds without a sign of life after which a bake is taken up by another worker."""

log = logging.getLogger("dynaclast.jobs")


class Dispatcher:
    """Moves takes from the queue to workers."""

    def __init__(self, store: Store, client: Client) -> None:
        self.store, self.client = store, client
        self.running: dict[str, Any] = {}
        self._count = 0

    def look(self) -> None:
        """One round: forget finished runs, find lost ones, hand out queued ones."""
        for take_id, future in list(self.running.items()):
            if future.status in ("finished", "error", "cancelled", "lost"):
                if future.status != "finished":
                    log.warning("take %s: its worker was lost (%s)", take_id, future.status)
                    others = set(self.running) - {take_id}
                    self.store.patiently(partial(takes.requeue_lost, older_than=-1.0, alive=others))
                del self.running[take_id]
        self.store.patiently(lambda s: takes.requeue_lost(s, LOST_AFTER, set(self.running)))
        for take_id in self.store.patiently(takes.queued):
            if take_id not in self.running:
                self._count += 1
                self.running[take_id] = self.client.submit(
                    run_bake, self.store.url, take_id, pure=False, retries=0, key=f"bake-{take_id}-{self._count}"
                )


def serve(url: str, scheduler: str | None, stop: threading.Event, *, warm_up: bool = True) -> None:
    """Run until ``stop`` is set."""
    dask.config.set(
        {
            "distributed.scheduler.allowed-failures": 0,
            "distributed.worker.daemon": False,
            "distributed.admin.tick.limit": "60s",
        }
    )
    cluster = (
        None
        if scheduler
        else LocalCluster(
            n_workers=1, threads_per_worker=1, processes=True, dashboard_address=None, host="127.0.0.1", memory_limit=0
        )
    )
    client = Client(scheduler or cluster, set_as_default=False)
    store = Store(url)
    try:
        if warm_up:
            client.submit(warm, pure=False)
        dispatcher = Dispatcher(store, client)
        print("bake service ready", flush=True)
        while not stop.wait(LOOK_EVERY):
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
    for sign in (signal.SIGTERM, signal.SIGINT):
        signal.signal(sign, lambda *_: stop.set())
    serve(url, scheduler, stop)


if __name__ == "__main__":
    main()
