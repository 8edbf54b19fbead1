"""Small cloth, soft and rope bodies that tests build on, and kernels of theirs that Python can call."""

from __future__ import annotations

from typing import Any

import numpy as np

from dynaclast.core.document import Shot
from dynaclast.core.solve.frame import Frame
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.state import State
from shots import reach_sphere

EVERYWHERE = {"layers": [{"shape": {"kind": "everywhere"}}]}


def pin(*at: float, reach: float = 1e-3, **more: Any) -> dict[str, Any]:
    return {"reach": reach_sphere(tuple(at), reach), **more}  # type: ignore[arg-type]


def cloth(
    name: str, at: tuple[float, float, float], size: tuple[float, float], cells: tuple[int, int], **more: Any
) -> dict[str, Any]:
    matter = {"kind": "cloth", "folds": False} | more.pop("matter", {})
    shape = {"kind": "sheet", "size": list(size), "divisions": list(cells)}
    return {"name": name, "matter": matter, "shape": shape, "place": {"position": list(at)}} | more


def rope(name: str, *points: tuple[float, float, float], segments: int = 20, **more: Any) -> dict[str, Any]:
    matter = {"kind": "rope"} | more.pop("matter", {})
    return {
        "name": name,
        "matter": matter,
        "shape": {"kind": "line", "points": [list(p) for p in points], "segments": segments},
    } | more


def soft(name: str, at: tuple[float, float, float], size: tuple[float, float, float], **more: Any) -> dict[str, Any]:
    matter = {"kind": "soft", "detail": 4} | more.pop("matter", {})
    material = {"density": 1000.0} | more.pop("material", {})
    shape = {"kind": "box", "size": list(size)}
    return {
        "name": name,
        "matter": matter,
        "shape": shape,
        "place": {"position": list(at)},
        "material": material,
    } | more


def started(shot: Shot) -> Run:
    ready = prepare(shot)
    return Run(ready.shot, ready.model, ready.state)


def frames_of(shot: Shot) -> list[Frame]:
    run = started(shot)
    return [run.opening(), *(run.advance() for _ in range(shot.timing.frames))]


def points(frames: list[Frame], name: str) -> np.ndarray:
    """(F, V, 3) float64 [m]."""
    return np.array([f.arrays[f"points/{name}"] for f in frames], float)


def spin_of(run: Run) -> np.ndarray:
    """Angular velocity (3,) [rad/s] of all vertices as one body."""
    deformables = run.model.deformables
    assert deformables is not None
    m, x, v = deformables.own_mass, run.state.vertices.position, run.state.vertices.velocity
    arm = x - m @ x / m.sum()
    inertia = np.einsum(
        "n,nij->ij", m, (arm**2).sum(axis=1)[:, None, None] * np.eye(3) - arm[:, :, None] * arm[:, None]
    )
    return np.asarray(np.linalg.solve(inertia, m @ np.cross(arm, v - m @ v / m.sum())))


def ends_alike(shot: Shot, kept_at: tuple[int, ...]) -> bool:
    """Whether runs that go on from the states of these frames end in the state of the one that never stopped, to the
    bit.
    """
    going, frames = started(shot), shot.timing.frames
    kept = {}
    for frame in range(1, frames + 1):
        going.advance()
        if frame in kept_at:
            kept[frame] = going.state.pack()
    ready = prepare(shot)
    for frame, packed in kept.items():
        later = Run(ready.shot, ready.model, State.unpack(packed))
        for _ in range(frames - frame):
            later.advance()
        if later.state.pack() != going.state.pack():
            return False
    return len(kept) == len(kept_at)


def momenta(run: Run) -> tuple[np.ndarray, np.ndarray]:
    """Momentum and angular momentum about the origin, of everything."""
    deformables, state, asm = run.model.deformables, run.state, run.state.assemblies
    assert deformables is not None
    m, x, v = deformables.own_mass, state.vertices.position, state.vertices.velocity
    p, turning = m @ v, m @ np.cross(x, v)
    for k, mass in enumerate(run.model.pieces.mass):
        a = state.piece_assembly[k]
        p = p + mass * asm.velocity[a]
        turning = turning + mass * np.cross(asm.position[a], asm.velocity[a])
        turning = turning + run.model.pieces.inertia[k] @ asm.angular_velocity[a]  # of balls: the same however turned
    return p, turning
