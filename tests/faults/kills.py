"""Edits and bakes of a real Dynaclast in a folder of its own, while its processes are killed and paused at random, the
clock of its own parts is set otherwise, and the disk is full for a while.

What was answered must be there afterwards; what was not may be, once.
"""

from __future__ import annotations

import contextlib
import json
import os
import random
import shutil
import signal
import subprocess
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from dynaclast.core import document
from dynaclast.core.bake import bake
from dynaclast.jobs.take_export import baked_take
from dynaclast.processes import began, written_down
from dynaclast.runtime import Parts
from dynaclast.setup import ROOT, Failed
from dynaclast.store.database import Store
from shots import ball, blow, box, footing, pillar, shot

PATIENCE = 90.0
DISK = 1_000_000_000
"""Bytes of the disk that is filled."""
SCENE = shot(
    pillar(),
    ball("stone", (0, 2.2, -4), velocity=[0, 0, 9]),
    fields=(footing(), blow(1500, (0, 2, 0), 0.9, 0.3)),
    frames=40,
    name="struck",
)


@dataclass
class Count:
    """What happened, and what of it was lost; the most memory that each part took [MB]."""

    kills: int = 0
    pauses: int = 0
    clocks: int = 0
    disks: int = 0
    edits: int = 0
    unanswered: int = 0
    bakes: int = 0
    lost: list[str] = field(default_factory=list)
    memory: dict[str, int] = field(default_factory=dict)

    @property
    def disturbances(self) -> int:
        return self.kills + self.pauses + self.clocks + self.disks

    def __str__(self) -> str:
        return (
            f"{self.kills} kills, {self.pauses} pauses, {self.clocks} clocks set otherwise and {self.disks} full "
            f"disks in {self.edits} edits ({self.unanswered} unanswered at first) and {self.bakes} bakes; "
            f"lost: {len(self.lost)}; memory at most: "
            + ", ".join(f"{name} {size} MB" for name, size in sorted(self.memory.items()))
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
            self._disturber.mend()
            time.sleep(0.1)


def _children(pid: int) -> list[int]:
    out = []
    for task in Path(f"/proc/{pid}/task").iterdir():
        with contextlib.suppress(OSError):
            out += [int(x) for x in (task / "children").read_text().split()]
    return out + [y for x in out for y in _children(x) if Path(f"/proc/{x}/task").exists()]


def _memory(pid: int) -> int:
    """What a process takes, of shared pages its share [MB]."""
    with contextlib.suppress(OSError):
        for line in Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines():
            if line.startswith("Pss:"):
                return int(line.split()[1]) // 1000
    return 0


class OddClocks(Parts):
    """All its Python processes live by a clock that a file in their folder sets."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        own = Path(__file__).with_name("clock")
        self.told = {
            "PYTHONPATH": f"{own}{os.pathsep}{ROOT / 'src'}",
            "DYNACLAST_CLOCK": str(self.clock),
            "DYNACLAST_LOST_AFTER": "20",  # of small bakes; nobody waits for two minutes here
        }

    @property
    def clock(self) -> Path:
        return self.folder / "clock"


@contextlib.contextmanager
def small_disk(folder: Path) -> Iterator[bool]:
    """A folder that is a disk by itself, where we may; whether it is."""
    folder.mkdir(exist_ok=True)
    made = (
        os.geteuid() == 0
        and not subprocess.run(
            ["mount", "-t", "tmpfs", "-o", f"size={DISK}", "dynaclast-soak", str(folder)], capture_output=True
        ).returncode
    )
    try:
        yield made
    finally:
        if made:
            subprocess.run(["umount", "-l", str(folder)], check=True)


def fill(folder: Path, seconds: float) -> None:
    """Leave no byte of a disk free for so long."""
    ballast = folder / "ballast"
    try:
        with ballast.open("wb") as out:
            free = shutil.disk_usage(folder).free
            with contextlib.suppress(OSError):
                os.posix_fallocate(out.fileno(), 0, free)
            time.sleep(seconds)
    finally:
        ballast.unlink(missing_ok=True)


class Disturber:
    """Kills or pauses a process of a running Dynaclast, any of them; sets its clocks; fills its disk."""

    def __init__(self, parts: OddClocks, rng: random.Random, count: Count, own_disk: bool) -> None:
        self._parts, self.rng, self.count, self._own_disk = parts, rng, count, own_disk
        self._filling: threading.Thread | None = None
        self._paused: list[tuple[int, float]] = []

    def mend(self) -> None:
        """Start again what has died; a database that finds no room on the disk, as soon as there is."""
        with contextlib.suppress(Failed):
            self._parts.mend()

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
        """Kill one, pause one for a while, set the clock, or fill the disk for a while."""
        self.go_on()
        self.measure()
        if self._filling is not None and self._filling.is_alive():
            return  # one thing at a time: a database that is killed now cannot be started
        other = self.rng.random()
        if other < 0.15:
            with contextlib.suppress(OSError):
                self._parts.clock.write_text(str(self.rng.choice([-86400, -3600, -5, 0, 5, 3600, 86400])))
            self.count.clocks += 1
            return
        if other < 0.25 and self._own_disk:
            self._filling = threading.Thread(target=fill, args=(self._parts.folder, self.rng.uniform(0.3, 3.0)))
            self._filling.start()
            self.count.disks += 1
            return
        with contextlib.suppress(OSError, IndexError):
            pid = self.rng.choice(self.targets())
            if self.rng.random() < 0.7:
                os.kill(pid, signal.SIGKILL)
                self.count.kills += 1
            else:
                os.kill(pid, signal.SIGSTOP)
                self._paused.append((pid, time.monotonic() + self.rng.uniform(0.2, 3.0)))
                self.count.pauses += 1
        self.mend()

    def measure(self) -> None:
        """Note how much memory each part takes, with what it has started."""
        for leader in written_down(self._parts.folder):
            if began(leader.pid):
                size = sum(_memory(pid) for pid in (leader.pid, *_children(leader.pid)))
                self.count.memory[leader.name] = max(size, self.count.memory.get(leader.name, 0))

    def calm(self) -> None:
        if self._filling is not None:
            self._filling.join()
        for pid, _ in self._paused:
            with contextlib.suppress(OSError):
                os.kill(pid, signal.SIGCONT)
        self._paused = []
        self.mend()


def run(folder: Path, seconds: float, seed: int, edits: int = 0) -> Count:
    """Disturb for so long, and until there are so many edits and three disturbances. Returns what happened."""
    count, rng = Count(), random.Random(seed)
    with small_disk(folder / "disk") as own_disk:
        parts = OddClocks(folder / "disk")
        try:
            parts.start()
            disturber = Disturber(parts, rng, count, own_disk)
            _work(parts, disturber, seconds, seed, edits)
        finally:
            parts.stop()
    return count


def _work(parts: OddClocks, disturber: Disturber, seconds: float, seed: int, edits: int) -> None:
    """Edit and bake while it is disturbed, then look at what is there."""
    count, rng = disturber.count, disturber.rng
    client = Client(parts, count, disturber)
    made = client.ask("POST", "/shots", {"name": "edited", "document": document.dump(shot(box("a", (0, 1, 0))))})
    baked = client.ask("POST", "/shots", {"name": "struck", "document": document.dump(SCENE)})
    takes: list[str] = []
    revision, edited, number = made["revision"], made["document"], 0
    until = time.monotonic() + seconds
    strike = time.monotonic() + rng.uniform(0.5, 2.0)
    while time.monotonic() < until or count.edits < edits or (edits and count.disturbances < 3):
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
