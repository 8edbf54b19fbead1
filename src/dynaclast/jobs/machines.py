"""A worker on another machine: ``./dynaclast worker`` with a copy of the keys of the Dynaclast that it works for."""

from __future__ import annotations

import asyncio
import logging
import os
import socket
import threading
from pathlib import Path
from urllib.parse import quote_plus

import dask
from distributed import Nanny

from ..keys import CERTIFICATE, KEY, Reached
from .security import security

log = logging.getLogger("dynaclast.worker")
DATABASE = "DYNACLAST_DATABASE"
"""Environment variable of a worker: the database as it is reached from there."""
AGAIN = 3.0
"""Seconds until a worker that has lost the bake service looks for it again."""

QUIET = {
    "distributed.scheduler.allowed-failures": 0,
    "distributed.worker.daemon": False,
    "distributed.admin.tick.limit": "60s",
    # what they watch of themselves takes a tenth of a processor while nothing is to be done
    "distributed.admin.tick.interval": "2s",
    "distributed.admin.system-monitor.interval": "30s",
    "distributed.admin.system-monitor.disk": False,
    "distributed.worker.profile.enabled": False,
    "distributed.worker.heartbeat": "5s",
    "distributed.scheduler.worker-ttl": "5 minutes",
    "distributed.worker.http.routes": [],
    "distributed.scheduler.http.routes": [],
    "distributed.scheduler.work-stealing": False,
    "distributed.scheduler.active-memory-manager.start": False,
    "distributed.worker.memory.monitor-interval": "30s",
    "distributed.client.heartbeat": "30s",
    "distributed.client.scheduler-info-interval": "30s",
}
"""Settings of Dask, the same for all parts."""


def database_of(url: str) -> str:
    """The database as this worker reaches it: as who hands out the bakes does, unless it is on another machine."""
    return os.environ.get(DATABASE, url)


def database_from_afar(reached: Reached, keys: Path) -> str:
    """The address of the database for a worker on another machine, which shows its certificate."""
    names = {"ssl_ca": CERTIFICATE, "ssl_cert": CERTIFICATE, "ssl_key": KEY}
    tls = "&".join(f"{k}={quote_plus(str(keys.resolve() / name))}" for k, name in names.items())
    at = f"dynaclast_worker:{reached.password}@{reached.host}:{reached.database_port}"
    return f"mysql+pymysql://{at}/dynaclast?charset=utf8mb4&ssl_check_hostname=false&{tls}"


def own_address(reached: Reached) -> str:
    """The address of this machine's interface towards the other one."""
    family = socket.AF_INET6 if ":" in reached.address else socket.AF_INET
    with socket.socket(family, socket.SOCK_DGRAM) as probe:
        probe.connect((reached.address, reached.scheduler_port))  # sends nothing
        return str(probe.getsockname()[0])


async def _work(reached: Reached, keys: Path, stop: threading.Event) -> None:
    """Until it is to stop, or the bake service has gone."""
    scheduler = f"tls://{reached.host}:{reached.scheduler_port}"
    secret = security(keys)
    async with Nanny(
        scheduler, nthreads=1, host=own_address(reached), security=secret, memory_limit=0, dashboard_address=None
    ) as nanny:
        log.warning("working for %s", reached.address)
        while not stop.is_set() and nanny.status.name == "running":
            await asyncio.sleep(0.5)


def work(reached: Reached, keys: Path, stop: threading.Event) -> None:
    """Bake for the Dynaclast that the keys are of, until ``stop`` is set; looks for it again where it has gone."""
    dask.config.set(QUIET)
    os.environ[DATABASE] = database_from_afar(reached, keys)
    while not stop.is_set():
        try:
            asyncio.run(_work(reached, keys, stop))
        except (OSError, TimeoutError) as exc:
            log.warning("%s does not answer (%s); trying again", reached.address, type(exc).__name__)
        stop.wait(AGAIN)
