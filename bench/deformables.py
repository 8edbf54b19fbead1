"""Cloth, soft bodies and ropes, measured: `./dynaclast bench deformables`. Times are CPU time a frame, the median of a
run, what Python does between kernels counted in.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import numpy as np

from dynaclast.core.document import Shot, parse
from dynaclast.core.geometry.crossings import crossing_pairs
from dynaclast.core.geometry.mesh import make
from dynaclast.core.solve.deformable.membrane import membrane_energy
from dynaclast.core.solve.deformable.tables import points_at
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare

Say = Callable[[str, str, str], None]
EVERYWHERE = {"layers": [{"shape": {"kind": "everywhere"}}]}
CANVAS = {"kind": "cloth", "weight": 0.3, "stretch": 50, "shear": 10, "bending": 1e-5}


def near(at: list[float], reach: float) -> dict[str, Any]:
    return {"layers": [{"shape": {"kind": "sphere", "center": at, "core": reach, "edge": 0}}]}


def shot_of(bodies: list[dict[str, Any]], frames: int, ground: bool = True, **more: Any) -> Shot:
    return parse({"bodies": bodies, "timing": {"frames": frames}, "ground": {"on": ground}, **more})


class Ran:
    """A run, frame by frame: points of a body, CPU time a frame [ms], energy of what deforms [J]."""

    def __init__(self, shot: Shot, name: str) -> None:
        ready = prepare(shot)
        run = Run(ready.shot, ready.model, ready.state)
        self.run, frames, spent, energy = run, [run.opening()], [], []
        self.surface = [self._surface()]
        for _ in range(shot.timing.frames):
            began = time.process_time()
            frames.append(run.advance())
            spent.append(time.process_time() - began)
            energy.append(self._energy())
            self.surface.append(self._surface())
        self.frames, self.spent, self.milliseconds = frames, spent, 1000 * float(np.median(spent))
        self.at = np.array([f.arrays[f"points/{name}"] for f in frames], float)
        self.energy = np.array(energy)
        self.speed = np.linalg.norm(np.diff(self.at, axis=0), axis=2).mean(axis=1) * shot.timing.fps

    def _surface(self) -> np.ndarray:
        """Points (C, 3) by which bodies touch others [m]."""
        points = self.run.model.deformables.elements.points  # type: ignore[union-attr]
        return points_at(points, self.run.state.vertices.position)

    def _energy(self) -> float:
        """Of motion, height and membranes."""
        e, state = self.run.model.deformables.elements, self.run.state.vertices  # type: ignore[union-attr]
        out = np.zeros(len(e.membrane.vertex))
        membrane_energy(e.membrane, state.position, out)
        kinetic = 0.5 * (e.vertices.mass * (state.velocity**2).sum(axis=1)).sum()
        weight = e.vertices.mass @ (state.position @ -self.run.model.settings.gravity)
        return float(kinetic + weight + out.sum())

    def gain(self) -> float:
        """The most energy gained in a frame, of all that was lost."""
        return float(np.diff(self.energy).max() / max(self.energy[0] - self.energy.min(), 1e-12))

    def stretch(self) -> np.ndarray:
        """Of the thread edges, the worst of each frame."""
        e = self.run.model.deformables.elements  # type: ignore[union-attr]
        t, x = e.membrane.vertex, e.vertices.rest
        edges = np.unique(np.concatenate([t[:, [0, 1]], t[:, [0, 2]], t[:, [1, 2]]]), axis=0)
        way = x[edges[:, 1]] - x[edges[:, 0]]
        thread = (np.abs(way) > 1e-9).sum(axis=1) == 1
        edges, length = edges[thread], np.linalg.norm(way[thread], axis=1)
        now = np.linalg.norm(self.at[:, edges[:, 1]] - self.at[:, edges[:, 0]], axis=2)
        return (now / length - 1).max(axis=1)

    def crossings(self, frames: list[int]) -> int:
        faces = self.run.model.deformables.drawn[0].faces  # type: ignore[union-attr]
        return sum(len(crossing_pairs(make(self.at[k], faces))) for k in frames)


def hung(vertices: int, frames: int = 240, shape: dict[str, Any] | None = None, **more: Any) -> Shot:
    sheet = {
        "name": "canvas",
        "matter": CANVAS,
        "shape": shape or {"kind": "sheet", "size": [2, 2], "divisions": [vertices - 1, vertices - 1]},
        "place": {"position": [0, 3, 0]},
        "pins": [{"reach": near([-1, 3, z], 1e-3)} for z in (-1, 1)],
    }
    return shot_of([sheet], frames, ground=False, **more)


SLOWED = {"fields": [{"name": "air", "effect": {"kind": "drag", "amount": 4}, "reach": EVERYWHERE}]}


def uneven(seed: int = 1) -> Shot:
    """The same of 45 x 45 vertices that lie anywhere but at the rim, slowed down so that it comes to rest."""
    model = prepare(hung(45)).model.deformables
    x, faces = model.elements.vertices.rest.copy(), model.elements.membrane.vertex  # type: ignore[union-attr]
    x -= [0, 3, 0]
    inner = (np.abs(x[:, [0, 2]]) < 0.999).all(axis=1)
    x[inner] += (np.random.default_rng(seed).uniform(-0.4, 0.4, x.shape) * [1, 0, 1] * 2 / 44)[inner]
    return hung(45, 120, {"kind": "mesh", "vertices": x.tolist(), "faces": faces.tolist()}, **SLOWED)


def on_ball(radius: float) -> Shot:
    sheet = {
        "name": "canvas",
        "matter": CANVAS | {"thickness": 0.004},
        "material": {"friction": 0.4},
        "shape": {"kind": "sheet", "size": [2, 2], "divisions": [63, 63]},
        "place": {"position": [0, 1.2, 0]},
    }
    stone = {
        "name": "ball",
        "role": "passive",
        "collision": "ball",
        "shape": {"kind": "sphere", "radius": radius},
        "place": {"position": [0, radius + 0.05, 0]},
        "material": {"friction": 0.4},
    }
    return shot_of([sheet, stone], 120)


def canvas(say: Say) -> None:
    for n, goal in ((33, "-"), (64, "14 ms"), (65, "-"), (128, "60 ms")):
        got = Ran(hung(n, 240 if n < 100 else 120), "canvas")
        s = 100 * got.stretch()
        say(f"canvas {n}x{n} hung by two corners, a frame", f"{got.milliseconds:.1f} ms", goal)
        say("  stretch at the end / over the run", f"{s[-1]:.2f} / {s.max():.1f} %", "elastic / 2 %")
        say("  energy gained in a frame", f"{got.gain():.0e}", "1e-4")
    low = [Ran(hung(n, 120, **SLOWED), "canvas").at[-1, :, 1].min() for n in (33, 64, 65, 128)]
    low.append(Ran(uneven(), "canvas").at[-1, :, 1].min())
    say("  lowest point at rest of 33, 64, 65, 128, uneven", ", ".join(f"{3 - y:.3f}" for y in low), "within 1 %")
    got = Ran(hung(64, quality="draft"), "canvas")
    s = 100 * got.stretch()
    say("the same 64x64, draft", f"{got.milliseconds:.1f} ms, {s.max():.0f} %", "6 ms, 10 %")
    got = Ran(hung(64, 120, quality="draft", gravity=[0, -1000, 0]), "canvas")
    s = 100 * got.stretch()
    say("  under 1,000 m/s2: stretch at the end", f"{s[-1]:.0f} %", "finite, elastic")


def balls(say: Say) -> None:
    for radius, goal in ((0.5, "2 %"), (0.2, "4 %")):
        got = Ran(on_ball(radius), "canvas")
        say(f"canvas 64x64 on a ball of {radius:g} m, folding", f"{got.milliseconds:.0f} ms", "20 ms")
        say("  stretch over the run", f"{100 * got.stretch().max():.1f} %", goal)
        say("  mean speed after 4 s", f"{got.speed[96:].max():.4f} m/s", "0.005 m/s")
        say("  crossings at every tenth frame", f"{got.crossings(list(range(10, 121, 10)))}", "0")


def solids(say: Say) -> None:
    beam = {
        "name": "beam",
        "matter": {"kind": "soft", "young": 1000, "poisson": 0.45, "detail": 20},
        "material": {"density": 1000},
        "shape": {"kind": "box", "size": [2, 0.4, 0.4]},
        "place": {"position": [0, 3, 0]},
        "pins": [{"reach": {"layers": [{"shape": {"kind": "box", "center": [-1, 3, 0], "core": [0.02, 1, 1]}}]}}],
    }
    got = Ran(shot_of([beam], 240, ground=False), "beam")
    say("soft beam of 1,920 tetrahedra, a frame", f"{got.milliseconds:.1f} ms", "2.5 ms")
    slow = beam | {"matter": beam["matter"] | {"damping": 0.02}}  # type: ignore[operator]
    at = Ran(shot_of([slow], 600, ground=False), "beam").at
    end = at[0, :, 0] > 0.99
    say("  its end at rest below its start", f"{(at[0] - at[-1])[end, 1].mean():.3f} m", "1.064 m +- 3 %")
    got = Ran(shot_of([beam], 48, ground=False, quality="draft", gravity=[0, -1000, 0]), "beam")
    say("  under 1,000 m/s2 in draft", "finite" if np.isfinite(got.at).all() else "not finite", "finite")
    fender = {
        "name": "fender",
        "matter": {"kind": "soft", "young": 1000, "poisson": 0.45, "detail": 6, "damping": 0.01},
        "material": {"density": 1000},
        "shape": {"kind": "box", "size": [1, 1, 1]},
        "place": {"position": [0, 0.5, 0]},
    }
    block = {
        "name": "block",
        "shape": {"kind": "box", "size": [1, 1, 1]},
        "place": {"position": [0, 1.7, 0]},
        "material": {"mass": 10_000},
        "velocity": [0, -1.4, 0],
    }
    got = Ran(shot_of([fender, block], 240), "fender")
    turn = np.array([f.orientation[0] for f in got.frames], float)
    tilt = 2 * np.degrees(np.arcsin(np.clip(np.linalg.norm(turn[:, [0, 2]], axis=1), 0, 1)))
    under = np.array([f.position[0, 1] - 0.5 for f in got.frames])
    start = got.surface[0]
    middle = (np.linalg.norm(start[:, [0, 2]], axis=1) < 0.3) & (start[:, 1] > 0.99)
    top = np.array(got.surface)[:, middle, 1]
    say("10 t on a fender of 1 t, a frame", f"{got.milliseconds:.0f} ms", "-")
    say(
        "  overlap of its top / tilt at the end",
        f"{1000 * (top.max(axis=1) - under).max():.1f} mm / {tilt[-1]:.1f}",
        "5 mm / 0.5 deg",
    )


def ropes(say: Say) -> None:
    section = np.pi * 1e-4
    for segments in (60, 240):
        line = {
            "name": "rope",
            "matter": {"kind": "rope", "radius": 0.01, "young": 2e6 / section / 1000},
            "material": {"density": 0.7 / section},
            "shape": {"kind": "line", "points": [[0, 0, 0], [10, 0, 0]], "segments": segments},
            "pins": [{"reach": near([0, 0, 0], 1e-3)}],
        }
        load = {"name": "load", "shape": {"kind": "box", "size": [0.4, 0.4, 0.4]}, "material": {"mass": 200}}
        load["place"] = {"position": [10.2, 0, 0]}
        tie = {"name": "knot", "how": {"kind": "pin"}, "body": "rope", "to": "load", "point": [10, 0, 0]}
        got = Ran(shot_of([line, load], 144, ground=False, ties=[tie]), "rope")
        length = np.linalg.norm(np.diff(got.at, axis=1), axis=2) / (10 / segments) - 1
        say(f"rope of {segments} segments, 200 kg let fall, a frame", f"{got.milliseconds:.2f} ms", "0.15 ms")
        say("  worst segment (elastic 0.29 to 0.30 %)", f"{100 * length.max():.2f} %", "0.1 points")
    lines = []
    for k in range(5):
        y, z = 0.1 * np.cos(2 * np.pi * k / 5), 0.1 * np.sin(2 * np.pi * k / 5)
        shape = {"kind": "line", "points": [[0, y, z], [10, y, z]], "segments": 60}
        matter = {"kind": "rope", "radius": 0.015, "young": 1e5}
        lines.append({"name": f"r{k}", "matter": matter, "material": {"density": 1000}, "shape": shape})
    pull = {
        "name": "pull",
        "effect": {"kind": "attractor", "to": "line", "axis": [1, 0, 0], "strength": 150, "near": 0.02},
        "reach": EVERYWHERE,
    }
    got = Ran(shot_of(lines, 120, ground=False, gravity=[0, 0, 0], fields=[pull]), "r0")
    s, t = np.linspace(0, 60, 1201), np.arange(61)
    apart = []
    for frame in got.frames:
        fine = [
            np.stack([np.interp(s, t, frame.arrays[f"points/r{k}"][:, c]) for c in range(3)], axis=1) for k in range(5)
        ]
        apart.append(min(_nearest(fine[a], fine[b]) for a in range(5) for b in range(a)))
    say("bundle of 5 x 60 segments at 150 m/s2, a frame", f"{got.milliseconds:.1f} ms", "3 ms")
    say(
        "  axes apart: least / at rest (30 mm thick)",
        f"{1000 * min(apart):.1f} / {1000 * apart[-1]:.1f} mm",
        "> 0 / 27 mm",
    )


def clinging(say: Say) -> None:
    strip = {
        "name": "strip",
        "matter": CANVAS | {"thickness": 0.001},
        "material": {"friction": 0.4},
        "shape": {"kind": "sheet", "size": [4, 0.3], "divisions": [149, 13]},
        "place": {"position": [0, 0.8, 0]},
    }
    block = {
        "name": "block",
        "role": "passive",
        "shape": {"kind": "box", "size": [0.5, 0.5, 0.5]},
        "place": {"position": [0, 0.3, 0]},
    }
    pull = {
        "name": "pull",
        "effect": {"kind": "attractor", "to": "surface", "body": "block", "strength": 150, "near": 0.02},
        "reach": EVERYWHERE,
    }
    got = Ran(shot_of([strip, block], 96, ground=False, gravity=[0, 0, 0], fields=[pull]), "strip")
    faces = got.run.model.deformables.elements.membrane.vertex  # type: ignore[union-attr]
    inside = [
        float((0.25 - np.abs(x - [0.0, 0.3, 0.0])).min(axis=-1).max())
        for at in got.at
        for x in (at, at[faces].mean(axis=1))
    ]
    say("strip of 2,100 vertices drawn onto a box by 150 m/s2, a frame", f"{got.milliseconds:.0f} ms", "15 ms")
    deepest = f"{1000 * max(0.0, *inside[::2]):.1f} / {1000 * max(0.0, *inside[1::2]):.1f} mm"
    say("  deepest vertex / middle of a triangle in it", deepest, "0 / 2 mm")
    say("  mean speed at the end", f"{got.speed[-1]:.4f} m/s", "rest")


def _nearest(a: np.ndarray, b: np.ndarray) -> float:
    from scipy.spatial import cKDTree

    return float(cKDTree(a).query(b)[0].min())


def heavy(say: Say) -> None:
    rim = {"shape": {"kind": "box", "center": [0, 3, 0], "core": [1.99, 9, 1.99], "edge": 0}, "invert": True}
    net = {
        "name": "net",
        "matter": CANVAS | {"weight": 0.55, "thickness": 0.01},
        "shape": {"kind": "sheet", "size": [2, 2], "divisions": [32, 32]},
        "place": {"position": [0, 3, 0]},
        "pins": [{"reach": {"layers": [rim]}}],
    }
    stones = [
        {
            "name": f"stone {k}",
            "collision": "ball",
            "shape": {"kind": "sphere", "radius": 0.12},
            "material": {"mass": 20},
            "place": {"position": [(k % 5 - 2) * 0.3, 3.6 + 0.35 * (k // 5), (k // 5 - 1.5) * 0.3]},
            "velocity": [0, -3, 0],
        }
        for k in range(20)
    ]
    got = Ran(shot_of([net, *stones], 144), "net")
    s = 100 * got.stretch()
    through = sum(y < 2.0 for y in got.frames[-1].position[:, 1])
    say("net 33x33 and 20 stones, 10,000 : 1, a frame", f"{got.milliseconds:.0f} ms", "-")
    say(
        "  through it / stretch at the end / over the run", f"{through} / {s[-1]:.1f} / {s.max():.0f} %", "0 / 2 / 10 %"
    )


def over(bodies: list[dict[str, Any]], sheet: tuple[float, float], cells: tuple[int, int], high: float) -> Shot:
    """Canvas that falls over what lies about, with a blow at 0.2 s for what is bonded."""
    cover = {
        "name": "cover",
        "matter": {"kind": "cloth", "folds": False},
        "shape": {"kind": "sheet", "size": list(sheet), "divisions": list(cells)},
        "place": {"position": [0, high, 0]},
    }
    blow = {"name": "blow", "effect": {"kind": "strain", "load": 1e5, "burst": 1.5}, "reach": EVERYWHERE}
    blow["cue"] = {"kind": "at", "time": 0.2}
    return shot_of([*bodies, cover], 60, fields=[blow])


def covering(say: Say) -> None:
    """A cover over crates that stand on the ground, and over a wall that bursts."""
    spread = np.random.default_rng(2)
    crates = [
        {
            "name": f"crate {k}",
            "shape": {"kind": "box", "size": [0.4, 0.5, 0.4]},
            "place": {"position": [float(spread.uniform(-1, 1)), 0.25, float(spread.uniform(-1, 1))]},
        }
        for k in range(4)
    ]
    wall = {
        "name": "wall",
        "shape": {"kind": "box", "size": [2, 1, 0.4]},
        "place": {"position": [0, 0.5, 0]},
        "pattern": {"kind": "cells", "count": 150, "seed": 3},
        "bonds": {"strength": 20},
    }
    one = {"name": "crate", "shape": {"kind": "box", "size": [0.45, 0.4, 0.5]}, "place": {"position": [0.1, 0.2, 0]}}
    for name, shot in (
        ("a crate", over([one], (1.3, 1.2), (26, 24), 0.45)),
        ("a fixed crate", over([one | {"role": "passive"}], (1.3, 1.2), (26, 24), 0.45)),
        ("four crates", over(crates, (2.4, 2.4), (40, 40), 0.8)),
        ("a wall of 150 pieces that bursts", over([wall], (2.4, 1.6), (40, 26), 1.2)),
    ):
        got = Ran(shot, "cover")
        say(f"canvas over {name}, a frame", f"{got.milliseconds:.0f} ms", "-")
        say("  mean speed of it at the end", f"{got.speed[-1]:.3f} m/s", "-")


def pieces(say: Say) -> None:
    flakes = {
        "name": "flakes",
        "matter": CANVAS | {"folds": False},
        "shape": {"kind": "sheet", "size": [2, 2], "divisions": [28, 20]},
        "place": {"position": [0, 1, 0]},
        "pattern": {"kind": "faces"},
    }
    ring = {"name": "ring", "effect": {"kind": "vortex", "contain": 3, "ring": 1.2}, "reach": EVERYWHERE}
    got = Ran(shot_of([flakes], 120, ground=False, gravity=[0, 0, 0], fields=[ring]), "flakes")
    say("1,120 separate flakes in a ring vortex, a frame", f"{got.milliseconds:.1f} ms", "6 ms")
    got = Ran(shot_of([flakes | {"matter": CANVAS}], 48, ground=False, gravity=[0, 0, 0], fields=[ring]), "flakes")
    say("  the same, meeting one another", f"{got.milliseconds:.0f} ms", "-")
    curtain = {
        "name": "curtain",
        "matter": CANVAS,
        "shape": {"kind": "sheet", "size": [2, 2], "divisions": [48, 48]},
        "place": {"position": [0, 3, 0]},
        "pattern": {"kind": "cells", "count": 200},
        "bonds": {"strength": 0.3, "unit": "kN/m"},
        "pins": [{"reach": {"layers": [{"shape": {"kind": "box", "center": [0, 3, -1], "core": [9, 9, 0.01]}}]}}],
    }
    stone = {
        "name": "stone",
        "shape": {"kind": "sphere", "radius": 0.2},
        "material": {"mass": 40},
        "place": {"position": [0, 4, 0]},
        "velocity": [0, -6, 0],
    }
    for name, body in (
        ("200 patches on seams, struck", curtain),
        ("the same mesh, tearing at 0.3 kN/m", _torn(curtain)),
    ):
        got = Ran(shot_of([body, stone], 72, ground=False), "curtain")
        say(f"{name}, a frame", f"{got.milliseconds:.0f} ms", "15 ms" if "patches" in name else "-")
        worst = 1000 * max(got.spent)
        count = int(got.run.state.seam_broken.sum())
        say(
            "  seams that opened, of all / the worst frame",
            f"{count} of {len(got.run.state.seam_broken)} / {worst:.0f} ms",
            "-",
        )


def _torn(curtain: dict[str, Any]) -> dict[str, Any]:
    kept = {k: v for k, v in curtain.items() if k not in ("pattern", "bonds")}
    return kept | {"matter": CANVAS | {"tear": 0.3}}


def asleep(say: Say) -> None:
    sheet = {
        "name": "canvas",
        "matter": CANVAS | {"bending": 1e-3},
        "shape": {"kind": "sheet", "size": [6, 6], "divisions": [140, 140]},
        "place": {"position": [0, 0.002, 0]},
    }
    shot = shot_of([sheet], 40)
    got = Ran(shot, "canvas")
    began = time.process_time()
    for _ in range(48):
        got.run.advance()
    still = bool(got.run.state.deformables.asleep.all())
    each = 1000 * (time.process_time() - began) / 48
    say("20,000 vertices asleep, a frame", f"{each:.2f} ms{'' if still else ' (awake)'}", "0.1 ms")


def deformables(say: Say) -> None:
    for part in (ropes, solids, canvas, balls, covering, clinging, pieces, heavy, asleep):
        part(say)
