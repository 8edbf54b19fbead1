"""Speed and stillness, measured: `./dynaclast bench [NAME ...]`. One thread, kernels warm; run it on a quiet machine.

Prints each figure beside its goal. A figure is CPU time of this process unless it says otherwise.
"""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from dynaclast.core.document import Shot, parse, parse_json
from dynaclast.core.fracture.build import convex_cells as break_into_cells
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.check import solid
from dynaclast.core.geometry.mesh import make
from dynaclast.core.solve.loop import frames
from dynaclast.core.solve.prepare import prepare
from dynaclast.jobs.warm import warm

ROOT = Path(__file__).parents[1]


def say(what: str, figure: str, goal: str) -> None:
    print(f"{what:<58} {figure:>16}   goal {goal}", flush=True)


def timed(shot: Shot) -> tuple[float, float, list]:
    """Set-up seconds, CPU seconds of all frames, and the frames."""
    began = time.process_time()
    prepared = prepare(shot)
    ready = time.process_time()
    got = list(frames(shot, prepared.model, prepared.state, shot.timing.frames))
    return ready - began, time.process_time() - ready, got


def demo() -> None:
    setup, run, got = timed(parse_json((ROOT / "demo" / "skerry-light-lower-tower.json").read_bytes()))
    say("demo: 401 pieces, 240 frames, set-up + run", f"{setup:.1f} + {run:.1f} s", "< 60 s")
    energy = np.array([f.stats["energy"] for f in got])
    say("demo: energy gained in any frame after the strike", f"{max(0.0, np.diff(energy[25:]).max()) / energy[25]:.1e}", "1e-4")
    moving = [f.index for f in got if f.stats["moving"] > 0]
    say("demo: last frame with anything moving", str(moving[-1]), "< 240")


def fracture() -> None:
    import trimesh

    torus = trimesh.creation.torus(2.0, 0.7, major_sections=64, minor_sections=40)
    mesh = make(torus.vertices, torus.faces)
    for count, goal in ((500, "< 3 s"), (2000, "< 10 s"), (5000, "< 30 s")):
        began = time.process_time()
        pieces = break_into_cells(solid(mesh, "torus")[0], count, 1)
        say(f"torus of {len(mesh.faces)} triangles into {pieces.count} pieces", f"{time.process_time() - began:.2f} s", goal)


def wall(bonded: bool) -> Shot:
    return parse({
        "timing": {"frames": 240}, "ground": {"friction": 0.6, "bounce": 0.1},
        "bodies": [
            {"name": "wall", "shape": {"kind": "box", "size": [10, 5, 0.5]}, "place": {"position": [0, 2.5, 0]}, "material": {"density": 2000, "friction": 0.6, "bounce": 0.1},
             "pattern": {"kind": "cells", "count": 500, "seed": 12}, "bonds": {"strength": 300} if bonded else None},
            {"name": "ball", "shape": {"kind": "sphere", "radius": 0.6}, "place": {"position": [0, 2.5, -3]}, "material": {"density": 2210, "friction": 0.6, "bounce": 0.1}, "velocity": [0, 0, 12]},
        ],
    })


def walls() -> None:
    _, loose, got = timed(wall(bonded=False))
    say("wall of 500 loose pieces hit by a ball, 10 s simulated", f"{loose:.1f} s", "<= 2.8 s")
    say("  pieces still moving at the end", f"{got[-1].stats['moving']:.0f}", "0")
    _, bonded, _ = timed(wall(bonded=True))
    say("the same wall as one bonded assembly", f"{bonded:.1f} s", "<= loose")


def stack() -> None:
    cubes = [{"name": f"c{k}", "shape": {"kind": "box", "size": [1, 1, 1]}, "place": {"position": [0, 0.5 + k, 0]}, "material": {"density": 2000, "friction": 0.6}} for k in range(20)]
    _, run, got = timed(parse({"bodies": cubes, "timing": {"frames": 240}}))
    top = got[-1].position[19]
    say("stack of 20: height lost / drift after 10 s", f"{(19.5 - top[1]) * 1000:.1f} / {np.hypot(top[0], top[2]) * 1000:.1f} mm", "<= 5 / 2 mm")
    pair = [{"name": n, "shape": {"kind": "box", "size": [1, 1, 1]}, "place": {"position": [0, y, 0]}, "material": {"density": d}} for n, y, d in (("light", 0.5, 10), ("heavy", 1.5, 1000))]
    _, _, got = timed(parse({"bodies": pair, "timing": {"frames": 240}}))
    say("100 : 1, heavy on light: too low by", f"{(1.5 - got[-1].position[1, 1]) * 1000:.1f} mm", "<= 2 mm")


def still() -> None:
    body = {"name": "tower", "shape": {"kind": "cylinder", "radius": 3, "height": 30}, "place": {"position": [0, 15, 0]}, "pattern": {"kind": "cells", "count": 5000, "seed": 1}, "bonds": {}}
    anchor = {"name": "foot", "effect": {"kind": "anchor"}, "reach": {"layers": [{"shape": {"kind": "box", "core": [9, 2, 9]}}]}}
    setup, run, got = timed(parse({"bodies": [body], "fields": [anchor], "timing": {"frames": 240}}))
    say("5,000 bonded, anchored pieces, nothing happening: a frame", f"{run / 240 * 1000:.2f} ms", "<= 1 ms")
    say("  set-up of the same (breaking and hulls)", f"{setup:.1f} s", "-")


def startup() -> None:
    code = "from dynaclast.jobs.warm import warm; warm()"
    began = time.monotonic()
    subprocess.run([sys.executable, "-c", code], check=True, cwd=ROOT)
    say("start with cached kernels (imports and a tiny bake), wall", f"{time.monotonic() - began:.1f} s", "<= 2 s")


BENCHES: dict[str, Callable[[], None]] = {"demo": demo, "fracture": fracture, "wall": walls, "stack": stack, "still": still, "startup": startup}

if __name__ == "__main__":
    commit = subprocess.run(["git", "rev-parse", "--short", "HEAD"], capture_output=True, text=True, cwd=ROOT).stdout.strip()
    print(f"commit {commit or 'unknown'}", flush=True)
    solid(primitives.box((1, 1, 1)), "warm")
    warm()
    for name in sys.argv[1:] or list(BENCHES):
        if name not in BENCHES:
            sys.exit(f"there is no benchmark '{name}'; there are {', '.join(BENCHES)}")
        BENCHES[name]()
