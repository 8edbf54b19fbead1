"""``./dynaclast soak --minutes N``: kills, pauses and wrong requests for so long; prints counts and what was lost."""

from __future__ import annotations

import argparse
import os
import random
import subprocess
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from dynaclast.mariadb import Database  # noqa: E402
from dynaclast.setup import say  # noqa: E402
from dynaclast.store.database import Store  # noqa: E402
from dynaclast.web.app import create_app  # noqa: E402
from dynaclast.web.description import kept  # noqa: E402
from faults import hostile, kills  # noqa: E402

EXAMPLES = 60
"""Requests to each operation of the API, made out of its description, at the end."""
ROUND = 240.0
"""Seconds of kills, then of wrong requests for a quarter of that."""


def _wrong_requests(seconds: float, rng: random.Random) -> tuple[int, list[str]]:
    with tempfile.TemporaryDirectory() as folder:
        server = Database(Path(folder))
        server.start()
        try:
            Store(server.url).migrate()
            client = create_app(server.url).test_client()
            client.environ_base["HTTP_X_DYNACLAST"] = "1"
            sent, bad, until = 0, [], time.monotonic() + seconds
            while time.monotonic() < until:
                bad += hostile.requests(client, rng, 50, kept()["paths"])
                sent += 50
        finally:
            server.stop()
    return sent, bad


def _described() -> list[str]:
    """Ask every operation as its description allows, many times; what was answered otherwise."""
    test = Path(__file__).with_name("test_description.py")
    env = {**os.environ, "DYNACLAST_EXAMPLES": str(EXAMPLES)}
    command = [sys.executable, "-m", "pytest", "-q", str(test)]
    done = subprocess.run(command, env=env, capture_output=True, text=True)
    say(f"{EXAMPLES} requests to each operation by its description: {'as described' if not done.returncode else 'not'}")
    return [line for line in done.stdout.splitlines() if line.startswith(("FAILED", "ERROR"))]


def main() -> int:
    parser = argparse.ArgumentParser(prog="dynaclast soak")
    parser.add_argument("--minutes", type=float, default=30.0)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    until, seed, lost = time.monotonic() + 60.0 * options.minutes, options.seed, []
    while time.monotonic() < until:
        left = until - time.monotonic()
        with tempfile.TemporaryDirectory() as folder:
            count = kills.run(Path(folder), min(ROUND, 0.8 * left), seed)
        sent, bad = _wrong_requests(min(ROUND / 4, 0.2 * left), random.Random(seed))
        say(f"seed {seed}: {count}; {sent} wrong requests, {len(bad)} answered with a fault")
        for line in [*count.lost, *bad]:
            say(f"  {line}")
        lost += count.lost + bad
        seed += 1
    lost += _described()
    say(f"lost in all: {len(lost)}")
    return 1 if lost else 0


if __name__ == "__main__":
    sys.exit(main())
