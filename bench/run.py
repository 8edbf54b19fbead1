"""Speed and stillness, measured: `./dynaclast bench [NAME ...]`. One thread, kernels warm; run it on a quiet machine.

Prints each figure beside its goal. A figure is CPU time of this process unless it says otherwise.
"""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

import scenes
from deformables import deformables
from dynaclast.core.document import Body, Falloff, FieldItem, MakeSolid, Shot, parse_json
from dynaclast.core.falloff import value
from dynaclast.core.fracture.build import build_pieces, no_files
from dynaclast.core.fracture.build import convex_cells as break_into_cells
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.check import report, solid
from dynaclast.core.geometry.mesh import TriMesh, make
from dynaclast.core.geometry.steps import STEPS, mending
from dynaclast.core.geometry.tree import MeshDistance
from dynaclast.core.solve.collision import HullShop
from dynaclast.core.solve.frame import Frame
from dynaclast.core.solve.load_paths import LoadPaths
from dynaclast.core.solve.loop import frames
from dynaclast.core.solve.prepare import prepare
from dynaclast.jobs.warm import warm
from overlap import Solids

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


def several(shot: Shot, times: int = 3) -> tuple[float, float, list]:
    """The least and the most CPU seconds of several runs, whose frames are the same, and the frames."""
    spent = []
    for _ in range(times):
        _, run, got = timed(shot)
        spent.append(run)
    return min(spent), max(spent), got


def demo() -> None:
    setup, run, got = timed(parse_json((ROOT / "demo" / "skerry-light-lower-tower.json").read_bytes()))
    say("demo: 401 pieces, 240 frames, set-up + run", f"{setup:.1f} + {run:.1f} s", "< 60 s")
    energy = np.array([f.stats["energy"] for f in got])
    say(
        "demo: energy gained in any frame after the strike",
        f"{max(0.0, np.diff(energy[25:]).max()) / energy[25]:.1e}",
        "1e-4",
    )
    moving = [f.index for f in got if f.stats["moving"] > 0]
    say("demo: last frame with anything moving", str(moving[-1]), "< 240")


def fracture() -> None:
    import trimesh

    torus = trimesh.creation.torus(2.0, 0.7, major_sections=64, minor_sections=40)
    mesh = make(torus.vertices, torus.faces)
    for count, goal in ((500, "< 3 s"), (2000, "< 10 s"), (5000, "< 30 s")):
        began = time.process_time()
        pieces = break_into_cells(solid(mesh, "torus")[0], count, 1)
        say(
            f"torus of {len(mesh.faces)} triangles into {pieces.count} pieces",
            f"{time.process_time() - began:.2f} s",
            goal,
        )


def crowd() -> None:
    for name, goal in (
        ("wall500", "<= 2.8 s"),
        ("slab2000", "<= 9 s"),
        ("pile1000", "<= 1.2 s"),
        ("bonded_wall", "<= the loose wall"),
        ("bonded_slab", "<= the loose slab"),
    ):
        shot = getattr(scenes, name)()
        least, most, got = several(shot)
        say(f"{name}: {shot.timing.frames} frames, all solving, three runs", f"{least:.2f} to {most:.2f} s", goal)
        energy = np.array([f.stats["energy"] for f in got])
        say("  energy gained in any frame", f"{max(0.0, np.diff(energy).max()) / abs(energy[0]):.1e}", "1e-4")
        last = max((f.index for f in got if any(e["kind"] in ("impact", "bond_broken") for e in f.events)), default=0)
        moving = [f.index for f in got if f.stats["moving"] > 0][-1]
        left = (
            f"{(moving - last) / 24:.1f} s"
            if moving < got[-1].index
            else f"{got[-1].stats['moving']:.0f} at {got[-1].stats['top_speed']:.1f} m/s"
        )
        say("  asleep after the last event; or what moves at the end", left, "<= 3 s")
        if name in ("wall500", "slab2000"):
            solids = Solids(shot)
            deep = [
                max(solids.overlaps(f.position.astype(float), f.orientation.astype(float)).values(), default=0.0)
                for f in (*got[24:-1:4], got[-1])
            ]
            say(
                "  deepest overlap after the first second / at the end",
                f"{1000 * max(deep):.1f} / {1000 * deep[-1]:.1f} mm",
                "<= 5 mm",
            )


def stack() -> None:
    _, run, got = timed(scenes.stack20())
    top = got[-1].position[19]
    say(
        "stack of 20: height lost / drift after 10 s",
        f"{(19.5 - top[1]) * 1000:.1f} / {np.hypot(top[0], top[2]) * 1000:.1f} mm",
        "<= 5 / 2 mm",
    )
    for ratio, goal in ((100, "<= 2 mm"), (1000, "<= 5 mm")):
        _, _, got = timed(scenes.heavy_on_light(ratio))
        say(f"{ratio} : 1, heavy on light: too low by", f"{(1.5 - got[-1].position[1, 1]) * 1000:.1f} mm", goal)


def still() -> None:
    setup, run, got = timed(scenes.tower5000())
    say("5,000 bonded, anchored pieces, nothing happening: a frame", f"{run / 240 * 1000:.2f} ms", "<= 1 ms")
    say("  set-up of the same (breaking and hulls)", f"{setup:.1f} s", "-")


def median(what: Callable[[], object], times: int = 9) -> float:
    """Milliseconds, the middle of some."""
    what()
    took = []
    for _ in range(times):
        began = time.perf_counter()
        what()
        took.append(time.perf_counter() - began)
    return 1000 * sorted(took)[times // 2]


LAYERS = [
    {"shape": {"kind": "sphere", "core": 1, "edge": 2}},
    {"shape": {"kind": "box", "core": [1, 2, 1], "edge": 1}, "blend": "max"},
    {"shape": {"kind": "torus"}, "blend": "screen"},
    {"shape": {"kind": "capsule"}, "blend": "subtract", "opacity": 0.5},
]


def fields() -> None:
    """Falloffs at many points, and what 50 fields of four layers add to a run; they pull at nothing, so that the motion
    stays the same.
    """
    points = np.random.default_rng(0).uniform(-4, 4, (100_000, 3))
    stack = Falloff.model_validate({"layers": LAYERS})
    say("four layers at 100,000 points", f"{median(lambda: value(stack, points)):.1f} ms", "< 10 ms")
    torus = MeshDistance.of(primitives.torus(2.0, 0.7, 64, 40))
    say(
        f"distance to a mesh of {len(torus.mesh.faces)} triangles at the same",
        f"{median(lambda: torus.signed(points, 1.0)):.0f} ms",
        "< 60 ms",
    )
    bare = scenes.slab2000()
    alone, _, _ = several(bare, 2)
    idle = [
        FieldItem.model_validate(
            {"name": f"f{k}", "effect": {"kind": "gravity", "acceleration": [0, 0, 0]}, "reach": {"layers": LAYERS}}
        )
        for k in range(50)
    ]
    together, _, _ = several(bare.model_copy(update={"fields": idle}), 2)
    say(
        "50 fields of four layers on 2,000 pieces: cost over the solver's",
        f"{together - alone:.1f} / {alone:.1f} s",
        "less than it",
    )


def memory() -> None:
    """Peak of a process that runs the slab, over one that has only imported and loaded the kernels."""
    code = (
        "import sys; sys.path[:0] = ['src', 'bench']; from dynaclast.jobs.warm import warm; warm(); import "
        "resource, scenes, run\n{}\nprint(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)"
    )
    took = [
        int(
            subprocess.run(
                [sys.executable, "-c", code.format(what)], check=True, cwd=ROOT, capture_output=True, text=True
            ).stdout.split()[-1]
        )
        for what in ("", "run.timed_light(scenes.slab2000())")
    ]
    say("slab2000: peak memory over the interpreter and libraries", f"{(took[1] - took[0]) / 1024:.0f} MB", "<= 150 MB")


def timed_light(shot: Shot) -> None:
    """A run whose frames are not kept."""
    prepared = prepare(shot)
    for _ in frames(shot, prepared.model, prepared.state, shot.timing.frames):
        pass


def startup() -> None:
    code = "from dynaclast.jobs.warm import warm; warm()"
    began = time.monotonic()
    subprocess.run([sys.executable, "-c", code], check=True, cwd=ROOT)
    say("start with cached kernels (imports and a tiny bake), wall", f"{time.monotonic() - began:.1f} s", "<= 2 s")


def threads() -> None:
    """What a second thread could give: distances between hulls, which are independent of each other, over two cores;
    and the share of a run that finding contacts takes. The sweeps of the solver follow one another and cannot be shared
    without another order, so other bytes.
    """
    from concurrent.futures import ThreadPoolExecutor

    import numba

    from dynaclast.core.solve.interval import Stage
    from dynaclast.core.solve.rigid.gjk import PointSet, gjk, make_scratch
    from dynaclast.core.solve.rigid.run import RigidRun

    @numba.njit(nogil=True)
    def distances(points, first, last, out, scratch):  # noqa: ANN001, ANN202
        axis, witness = np.zeros(3), np.zeros((3, 3))
        for k in range(first, last):
            axis[0], axis[1], axis[2] = 1.0, 0.0, 0.0
            a, b = PointSet(points, 32 * k, 32 * k + 16), PointSet(points, 32 * k + 16, 32 * k + 32)
            out[k] = gjk(a, b, np.inf, axis, witness, scratch)

    count = 20_000
    points = np.random.default_rng(0).normal(size=(count, 2, 16, 3))
    points[:, 1, :, 0] += 5.0
    points = points.reshape(-1, 3)
    one, two = np.zeros(count), np.zeros(count)
    alone = median(lambda: distances(points, 0, count, one, make_scratch()), 5)
    with ThreadPoolExecutor(2) as pool:
        together = median(
            lambda: list(
                pool.map(
                    lambda half: distances(points, *half, two, make_scratch()), ((0, count // 2), (count // 2, count))
                )
            ),
            5,
        )
    say("20,000 distances between hulls: one thread / two", f"{alone:.0f} / {together:.0f} ms", "-")
    say("  the same bytes", str(one.tobytes() == two.tobytes()), "True")
    spent = 0.0

    def in_two(self: RigidRun) -> np.ndarray:
        nonlocal spent
        began = time.process_time()
        whole(self, Stage.DETECT, Stage.SOLVE)
        spent += time.process_time() - began
        return whole(self, Stage.SOLVE, Stage.DONE)

    whole = RigidRun.solve
    RigidRun.solve = in_two
    _, run, _ = timed(scenes.wall500())
    RigidRun.solve = whole
    say("  share of wall500 that its searches take", f"{100 * spent / run:.0f} %", "-")


def paths() -> None:
    """What following loads through bonds costs beside all else, where they break under a field all the while."""
    own = {name: getattr(LoadPaths, name) for name in ("follow", "strike", "carry")}
    took = [0.0]

    def timing(work: Callable[..., None]) -> Callable[..., None]:
        def timed_work(*arguments: Any) -> None:
            began = time.process_time()
            work(*arguments)
            took[0] += time.process_time() - began

        return timed_work

    for name, work in own.items():
        setattr(LoadPaths, name, timing(work))
    struck = scenes.bonded_wall().model_dump(mode="json")
    struck["bodies"][0]["load_path"] = "fail"
    shots = [(n, getattr(scenes, n)()) for n in ("wall_in_gale", "wall_in_vortex", "slab_in_gale")]
    for name, shot in [*shots, ("bonded_wall, struck", scenes.parse(struck))]:
        took[0] = 0.0
        prepared = prepare(shot)
        run = spent(lambda: list(frames(shot, prepared.model, prepared.state, shot.timing.frames)))[0]  # noqa: B023
        broken = int((prepared.state.bond_broken != 0).sum())
        figure = f"{took[0]:.2f} of {run:.1f} s, {took[0] / (run - took[0]):.2f}"
        say(f"loads through bonds: {name}, {broken} broken", figure, "<= 0.25 of the rest")
    for name, work in own.items():
        setattr(LoadPaths, name, work)
    tower = scenes.tower5000().model_dump(mode="json")
    tower["bodies"][0] |= {"load_path": "fail", "bonds": {"strength": 2000}}
    tower["timing"]["frames"] = 60
    shot = scenes.parse(tower)
    prepared = prepare(shot)
    at = [time.process_time() for _ in frames(shot, prepared.model, prepared.state, 60)]
    rest = float(np.median(np.diff(at[5:]))) * 1000
    say("5,000 pieces that rest, loads followed: a frame", f"{rest:.2f} ms", "<= 1 ms")


def overlap() -> None:
    """As ``crowd`` measures it, but at every frame; takes two minutes."""
    shot = scenes.wall500()
    _, _, got = timed(shot)
    deep = drawn_overlap(shot, got[24:])
    say("wall500: deepest overlap after the first second, every frame", f"{1000 * deep.max():.1f} mm", "<= 5 mm")
    say("  frames above 5 mm", f"{(deep > 0.005).sum()} of {len(deep)}", "0")


def drawn_overlap(shot: Shot, got: list[Frame]) -> np.ndarray:
    """How deep what is drawn overlaps in each frame [m]."""
    solids = Solids(shot)
    return np.array(
        [max(solids.overlaps(f.position.astype(float), f.orientation.astype(float)).values(), default=0.0) for f in got]
    )


def unseen() -> None:
    """Scenes of other shapes, sizes and speeds; overlap of what is drawn and as the solver sees it, the ground counted
    in, at every frame after the first second. Takes ten minutes.
    """
    for make_scene in scenes.UNSEEN:
        shot = make_scene()
        setup, run, got = timed(shot)
        seconds = shot.timing.frames / shot.timing.fps
        say(f"{make_scene.__name__}: set-up + run of {seconds:.0f} s", f"{setup:.1f} + {run:.1f} s", "-")
        seen = np.array([f.stats["overlap"] for f in got[24:]])
        for deep, whose in ((drawn_overlap(shot, got[24:]), "drawn"), (seen, "as the solver sees it")):
            say(
                f"  deepest overlap / frames above 5 mm, {whose}",
                f"{1000 * deep.max():.1f} mm / {(deep > 0.005).sum()}",
                "<= 5 mm / 0",
            )
        energy = np.array([f.stats["energy"] for f in got])
        say("  energy gained in any frame", f"{max(0.0, np.diff(energy).max()) / np.ptp(energy):.1e}", "1e-4")
        say("  still moving at its end", f"{got[-1].stats['moving']:.0f}", "-")


def scans() -> None:
    """Scanned meshes that come with a package of others (tests/scans.py), from report to collision shapes."""
    sys.path.insert(0, str(ROOT / "tests"))
    from scans import scan

    for name, goal in (("dragon 4", "-"), ("dragon 3", "< 4 s"), ("dragon 2", "-")):
        scan_figures(scan(name), goal)


def spent(work: Callable[..., Any], *arguments: Any) -> tuple[float, Any]:
    began = time.process_time()
    out = work(*arguments)
    return time.process_time() - began, out


def scan_figures(mesh: TriMesh, goal: str) -> None:
    told: list[str] = []
    say(f"{len(mesh.faces):,} triangles: report", f"{spent(report, mesh)[0]:.1f} s", "-")
    seconds, found = spent(mending, mesh)
    say("  mended", f"{len(found[0])} steps, {seconds:.1f} s" if found else "not", "-")
    say("  made solid", f"{spent(STEPS['solid'], mesh, MakeSolid(), told)[0]:.1f} s", "-")
    say(f"    {told[0]}", "", "-")
    shape = {"kind": "mesh", "vertices": (30 * mesh.vertices).tolist(), "faces": mesh.faces.tolist()}
    body = Body.model_validate({"name": "scan", "shape": shape, "pattern": {"kind": "cells", "count": 300}})
    cutting, pieces = spent(build_pieces, body)
    hulling, (hulls, _) = spent(HullShop(no_files).of, body, pieces)
    say(f"  into {pieces.count} pieces + their {len(hulls)} hulls", f"{cutting:.1f} + {hulling:.1f} s", goal)


BENCHES: dict[str, Callable[[], None]] = {
    "demo": demo,
    "fracture": fracture,
    "crowd": crowd,
    "stack": stack,
    "still": still,
    "paths": paths,
    "fields": fields,
    "memory": memory,
    "startup": startup,
    "threads": threads,
    "overlap": overlap,
    "unseen": unseen,
    "scans": scans,
    "deformables": lambda: deformables(say),
}

if __name__ == "__main__":
    commit = subprocess.run(
        ["git", "rev-parse", "--short", "HEAD"], capture_output=True, text=True, cwd=ROOT
    ).stdout.strip()
    print(f"commit {commit or 'unknown'}", flush=True)
    solid(primitives.box((1, 1, 1)), "warm")
    warm()
    for name in sys.argv[1:] or list(BENCHES):
        if name not in BENCHES:
            sys.exit(f"there is no benchmark '{name}'; there are {', '.join(BENCHES)}")
        BENCHES[name]()
