"""Edits and bakes of a real Dynaclast in a folder of its own, while its processes are killed and paused at random.

What was answered must be there afterwards; what was not may be, once.
"""

from __future__ import annotations

import contextlib
import json
import os
import random
import signal
import time
import urllib.error
import urllib.request
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from dynaclast.core import document
from dynaclast.core.bake import bake
from dynaclast.jobs.take_export import baked_take
from dynaclast.processes import began, written_down
from dynaclast.runtime import Parts
from dynaclast.store.database import Store
from shots import ball, blow, box, footing, pillar, shot

PATIENCE = 90.0
SCENE = shot(
    pillar(),
    ball("stone", (0, 2.2, -4), velocity=[0, 0, 9]),
    fields=(footing(), blow(1500, (0, 2, 0), 0.9, 0.3)),
    frames=40,
    name="struck",
)


@dataclass
class Count:
    """What happened, and what of it was lost."""

    kills: int = 0
    pauses: int = 0
    edits: int = 0
    unanswered: int = 0
    bakes: int = 0
    lost: list[str] = field(default_factory=list)

    def __str__(self) -> str:
        return (
            f"{self.kills} kills and {self.pauses} pauses in {self.edits} edits ({self.unanswered} unanswered "
            f"at first) and {self.bakes} bakes; lost: {len(self.lost)}"
        )


class Client:
    """Asks as the interface does: what is not answered is asked again, with its number."""

    def __init__(self, parts: Parts, count: Count, disturber: Disturber) -> None:
        self._parts, self._count, self._disturber = parts, count, disturber

    def ask(self, method: str, path: str, body: dict[str, Any] | None = None) -> dict[str, Any]:
        until = time.monotonic() + PATIENCE
        while True:
            try:
                request = urllib.request.Request(
                    f"{self._parts.address}/api{path}",
                    method=method,
                    data=None if body is None else json.dumps(body).encode(),
                    headers={"Content-Type": "application/json", "X-Dynaclast": "1"},
                )
                with urllib.request.urlopen(request, timeout=10) as answer:
                    return dict(json.loads(answer.read()))
            except urllib.error.HTTPError as exc:
                if exc.code < 500:
                    raise
            except (OSError, ValueError):
                pass
            self._count.unanswered += 1
            if time.monotonic() > until:
                raise TimeoutError(f"{method} {path} was not answered for {PATIENCE:.0f} s")
            self._disturber.go_on()
            self._parts.mend()
            time.sleep(0.1)


def _children(pid: int) -> list[int]:
    out = []
    for task in Path(f"/proc/{pid}/task").iterdir():
        with contextlib.suppress(OSError):
            out += [int(x) for x in (task / "children").read_text().split()]
    return out + [y for x in out for y in _children(x) if Path(f"/proc/{x}/task").exists()]


class Disturber:
    """Kills or pauses a process of a running Dynaclast, any of them."""

    def __init__(self, parts: Parts, rng: random.Random, count: Count) -> None:
        self._parts, self._rng, self._count = parts, rng, count
        self._paused: list[tuple[int, float]] = []

    def targets(self) -> list[int]:
        leaders = [p.pid for p in written_down(self._parts.folder)]
        return sorted({pid for leader in leaders if began(leader) for pid in (leader, *_children(leader))})

    def go_on(self) -> None:
        """Let paused ones go on whose time has come."""
        for pid, until in self._paused[:]:
            if time.monotonic() > until:
                self._paused.remove((pid, until))
                with contextlib.suppress(OSError):
                    os.kill(pid, signal.SIGCONT)

    def strike(self) -> None:
        """Kill one, or pause one for a while."""
        self.go_on()
        with contextlib.suppress(OSError, IndexError):
            pid = self._rng.choice(self.targets())
            if self._rng.random() < 0.7:
                os.kill(pid, signal.SIGKILL)
                self._count.kills += 1
            else:
                os.kill(pid, signal.SIGSTOP)
                self._paused.append((pid, time.monotonic() + self._rng.uniform(0.2, 3.0)))
                self._count.pauses += 1
        self._parts.mend()

    def calm(self) -> None:
        for pid, _ in self._paused:
            with contextlib.suppress(OSError):
                os.kill(pid, signal.SIGCONT)
        self._paused = []
        self._parts.mend()


def run(folder: Path, seconds: float, seed: int, edits: int = 0) -> Count:
    """Disturb for so long, and until there are so many edits and two disturbances. Returns what happened."""
    count, rng = Count(), random.Random(seed)
    parts = Parts(folder)
    try:
        parts.start()
        disturber = Disturber(parts, rng, count)
        client = Client(parts, count, disturber)
        made = client.ask("POST", "/shots", {"name": "edited", "document": document.dump(shot(box("a", (0, 1, 0))))})
        baked = client.ask("POST", "/shots", {"name": "struck", "document": document.dump(SCENE)})
        takes: list[str] = []
        revision, edited, number = made["revision"], made["document"], 0
        until = time.monotonic() + seconds
        strike = time.monotonic() + rng.uniform(0.5, 2.0)
        while time.monotonic() < until or count.edits < edits or (edits and count.kills + count.pauses < 2):
            number += 1
            edited["bodies"][0]["place"]["position"] = [float(number), 1.0, 0.0]
            change = {"base": revision, "document": edited, "label": f"move {number}", "number": f"{seed}-{number}"}
            revision = client.ask("PUT", f"/shots/{made['id']}", change)["revision"]
            count.edits += 1
            if number % 25 == 1:
                takes.append(client.ask("POST", f"/shots/{baked['id']}/takes")["id"])
                count.bakes += 1
            if time.monotonic() > strike:
                disturber.strike()
                strike = time.monotonic() + rng.uniform(0.5, 4.0)
        disturber.calm()
        _look(parts, client, made["id"], number, takes, count)
    finally:
        parts.stop()
    return count


def _look(parts: Parts, client: Client, shot_id: str, number: int, takes: list[str], count: Count) -> None:
    """Note what is not there that should be."""
    now = client.ask("GET", f"/shots/{shot_id}")
    at = now["document"]["bodies"][0]["place"]["position"][0]
    if at != number or now["revision"] != number + 1:
        count.lost.append(f"edit {number}: the shot stands at {at}, revision {now['revision']}")
    for back in range(number - 1, max(number - 40, 0), -1):
        now = client.ask("POST", f"/shots/{shot_id}/undo", {"base": now["revision"], "number": f"undo-{back}"})
        if now["document"]["bodies"][0]["place"]["position"][0] != back:
            count.lost.append(f"undo to {back}")
            break
    want = bake(SCENE)
    until = time.monotonic() + PATIENCE + 10.0 * len(takes)
    listed = {t["id"] for s in client.ask("GET", "/shots")["shots"] for t in _takes(client, s["id"])}
    for take in takes:
        if take not in listed:
            count.lost.append(f"take {take}")
            continue
        while (row := client.ask("GET", f"/takes/{take}/progress?after=-1")["take"])["status"] in ("queued", "baking"):
            if time.monotonic() > until:
                count.lost.append(f"take {take} still {row['status']} at frame {row['frames_done']}")
                return
            parts.mend()
            time.sleep(0.2)
        if row["status"] == "failed" and "times at frame" in row["message"]:
            continue  # it lost three workers at one frame, and says so
        if row["status"] != "done":
            count.lost.append(f"take {take} {row['status']}: {row['message']}")
            continue
        store = Store(parts.database.url)
        got = baked_take(store, take)[2]
        store.engine.dispose()
        if not (np.array_equal(got.position, want.position) and got.events == want.events):
            count.lost.append(f"take {take} has other frames than an undisturbed bake")


def _takes(client: Client, shot_id: str) -> list[dict[str, Any]]:
    return list(client.ask("GET", f"/shots/{shot_id}/takes")["takes"])
