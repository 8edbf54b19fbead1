"""Scheduler, workers and client of the bake service speak TLS, with the keys of this installation."""

from __future__ import annotations

import os
from pathlib import Path

from distributed import Worker, WorkerPlugin
from distributed.security import Security

from ..keys import CERTIFICATE, KEY, ensure


class Modest(WorkerPlugin):
    """Workers show no pages of their own, since what is not there lets nobody in; and saving comes before baking."""

    def setup(self, worker: Worker) -> None:
        worker.http_server.stop()
        os.nice(5)


def security(folder: Path) -> Security:
    """What scheduler, workers and client of one installation share; made at the first start. Workers on other machines
    are given a copy of the folder.
    """
    ensure(folder)
    certificate, key = str(folder / CERTIFICATE), str(folder / KEY)
    return Security(
        require_encryption=True,
        tls_ca_file=certificate,
        tls_scheduler_cert=certificate,
        tls_scheduler_key=key,
        tls_worker_cert=certificate,
        tls_worker_key=key,
        tls_client_cert=certificate,
        tls_client_key=key,
    )
