"""Connecting to MariaDB, and bringing its tables up to date."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Generator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

from sqlalchemy import Engine, create_engine, event, make_url
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

T = TypeVar("T")
KEPT, MORE = 32, 32
"""Connections that stay open, and that may be opened beside."""
AHEAD = 24
RETRY_FOR = 90.0
"""Seconds a worker waits for a database that went away."""


def connect(url: str) -> Engine:
    """An engine; connections are tested before use, so a restarted server is no error."""
    afar = "ssl_ca" in make_url(url).query
    engine = create_engine(
        url,
        connect_args={} if afar else {"ssl_disabled": True},  # on this machine nothing listens in
        pool_pre_ping=True,
        pool_recycle=1800,
        pool_size=KEPT,
        max_overflow=MORE,
        isolation_level="READ COMMITTED",
    )

    @event.listens_for(engine, "connect")
    def _sizes(connection: Any, _record: Any) -> None:
        with connection.cursor() as cursor:
            cursor.execute("SET SESSION innodb_lock_wait_timeout = 20")

    return engine


class NewerDatabase(Exception):
    """The tables are of a newer program."""


class Store:
    """Opens sessions on one database."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine = connect(url)
        self._make = sessionmaker(self.engine, expire_on_commit=False)

    def connect_ahead(self, count: int = AHEAD) -> None:
        """Open so many connections, so that nobody waits for one when many ask at once. In the background."""

        def work() -> None:
            with contextlib.suppress(DBAPIError), contextlib.ExitStack() as held:
                for _ in range(count):
                    held.enter_context(self.engine.connect())

        threading.Thread(target=work, daemon=True).start()

    @contextmanager
    def session(self) -> Generator[Session]:
        """A session that commits at the end, or rolls back."""
        with self._make() as session, session.begin():
            yield session

    def patiently(self, work: Callable[[Session], T], patience: float = RETRY_FOR) -> T:
        """Run ``work`` in a session; where the server is away, try again until it is back."""
        until = time.monotonic() + patience
        pause = 0.1
        while True:
            try:
                with self.session() as session:
                    return work(session)
            except (OperationalError, DBAPIError) as exc:
                lost = isinstance(exc, OperationalError) or getattr(exc, "connection_invalidated", False)
                if not lost or time.monotonic() > until:
                    raise
                time.sleep(pause)
                pause = min(1.0, pause * 1.6)

    def migrate(self, to: str = "head") -> None:
        """Bring the tables to the newest version, or that of a backup. Raises NewerDatabase."""
        from alembic import command  # one of the processes does, before the others start
        from alembic.config import Config
        from alembic.util import CommandError

        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        config.attributes["url"] = self.url
        try:
            command.upgrade(config, to)
        except CommandError as exc:
            if "locate revision" not in str(exc):
                raise
            raise NewerDatabase(
                "the database was made by a newer Dynaclast than this one; start that, or put the folder runtime/ "
                "aside to begin with an empty one"
            ) from None
