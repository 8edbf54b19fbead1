"""Slow, obvious twins of the kernels."""

from __future__ import annotations

from collections import deque

import numpy as np
from scipy.optimize import minimize

from dynaclast.core.solve.statics import RigidMotion


def hull_distance(a: np.ndarray, b: np.ndarray) -> float:
    """Distance between two convex hulls as a quadratic program over convex weights."""
    n, m = len(a), len(b)

    def gap(w: np.ndarray) -> float:
        d = w[:n] @ a - w[n:] @ b
        return float(d @ d)

    def slope(w: np.ndarray) -> np.ndarray:
        d = w[:n] @ a - w[n:] @ b
        return np.concatenate([2 * a @ d, -2 * b @ d])

    start = np.concatenate([np.full(n, 1 / n), np.full(m, 1 / m)])
    sums = [{"type": "eq", "fun": lambda w: w[:n].sum() - 1}, {"type": "eq", "fun": lambda w: w[n:].sum() - 1}]
    best = minimize(
        gap,
        start,
        jac=slope,
        bounds=[(0, 1)] * (n + m),
        constraints=sums,
        method="SLSQP",
        options={"maxiter": 400, "ftol": 1e-16},
    )
    return float(np.sqrt(max(0.0, best.fun)))


def spread_load(
    first: int, force: float, floor: float, bonds: np.ndarray, broken: np.ndarray, pieces: int
) -> np.ndarray:
    """Load on every bond: force times one half to the power of its graph distance from the piece that was hit."""
    neighbours: list[list[int]] = [[] for _ in range(pieces)]
    for k, (p, q) in enumerate(bonds):
        if not broken[k]:
            neighbours[p].append(q)
            neighbours[q].append(p)
    depth = {first: 0}
    queue = deque([first])
    while queue:
        p = queue.popleft()
        for q in neighbours[p]:
            if q not in depth:
                depth[q] = depth[p] + 1
                queue.append(q)
    load = np.zeros(len(bonds))
    for k, (p, q) in enumerate(bonds):
        if broken[k] or p not in depth or q not in depth:
            continue
        here = force * 0.5 ** min(depth[p], depth[q])
        load[k] = here if here >= floor else 0.0
    return load


def winding(points: np.ndarray, vertices: np.ndarray, faces: np.ndarray) -> np.ndarray:
    """Winding number by summing solid angles face by face."""
    out = []
    for p in points:
        total = 0.0
        for a, b, c in vertices[faces] - p:
            la, lb, lc = (np.linalg.norm(v) for v in (a, b, c))
            total += 2 * np.arctan2(np.linalg.det([a, b, c]), la * lb * lc + a @ b * lc + b @ c * la + c @ a * lb)
        out.append(total / (4 * np.pi))
    return np.array(out)


def apply_load(
    load: np.ndarray,
    broken: np.ndarray,
    wear: np.ndarray,
    strength: np.ndarray,
    tier: np.ndarray,
    piece: np.ndarray,
    chunks: np.ndarray,
) -> tuple[np.ndarray, np.ndarray]:
    """Bond by bond, until nothing more fails: a bond takes part once no coarser bond of its chunk is left in reach; it
    fails above its strength, and what was over goes to the finer bonds of the chunk it bounded, as the mean of those
    that failed together.
    """
    count = len(load)
    total = wear * np.maximum(strength, 1e-9)
    gone, failed = broken.astype(bool), np.zeros(count, bool)
    reached = (load > 0) & ~gone
    if tier.max(initial=0) <= 1:
        total = np.where(load > 0, total + load, total)
        return reached & (total > strength), total
    opened = np.zeros(count, bool)

    def chunk_of(p: int, level: int) -> int:
        return int(chunks[p, min(level, chunks.shape[1] - 1)])

    def shielded(b: int) -> bool:
        own = chunk_of(piece[b, 0], tier[b] - 1)
        for c in range(count):
            around = chunk_of(piece[c, 0], tier[b] - 1), chunk_of(piece[c, 1], tier[b] - 1)
            if reached[c] and not gone[c] and tier[c] < tier[b] and own in around:
                return True
        return False

    for b in range(count):
        if reached[b] and not shielded(b):
            opened[b] = True
            total[b] += load[b]
    while True:
        now = [b for b in range(count) if opened[b] and not gone[b] and total[b] > strength[b]]
        if not now:
            return failed, total
        for b in now:
            gone[b] = failed[b] = True
        fresh = [b for b in range(count) if reached[b] and not gone[b] and not opened[b] and not shielded(b)]
        over = {b: total[b] - strength[b] for b in now}
        for b in fresh:
            own = chunk_of(piece[b, 0], tier[b] - 1)
            shares = [over[c] for c in now for end in (0, 1) if chunk_of(piece[c, end], tier[b] - 1) == own]
            total[b] += sum(shares) / max(len(shares), 1)
            opened[b] = True


class Contacts:
    """Contact manifolds solved one after the other by plain vector algebra, from arms, normals and inertias alone."""

    def __init__(self, rows: list[dict], normal: np.ndarray, friction: np.ndarray) -> None:
        self.rows, self.normal, self.friction = rows, normal, friction
        self.torsional = np.array([r["torsional"] for r in rows])
        self.rolling = np.zeros((len(rows), 2))

    @staticmethod
    def of(contacts, count: int, bodies) -> Contacts:  # noqa: ANN001
        asm = bodies.assemblies
        rows = []
        for r in range(count):
            a, b, n = int(contacts.body_a[r]), int(contacts.body_b[r]), int(contacts.point_count[r])
            points = contacts.point[r, :n]
            rows.append(
                {
                    "a": a,
                    "b": b,
                    "n": n,
                    "normal": contacts.normal[r].copy(),
                    "tangent": contacts.tangent[r].copy(),
                    "arms": [(p - asm.position[a], p - asm.position[b]) for p in points],
                    "middle": (points.mean(axis=0) - asm.position[a], points.mean(axis=0) - asm.position[b]),
                    "mu": contacts.friction[r],
                    "lever": contacts.torsional_radius[r],
                    "rolling": contacts.rolling_length[r],
                    "torsional": contacts.torsional_impulse[r],
                    "separation": contacts.start_separation[r, :n].copy(),
                    "target": contacts.target_velocity[r].copy(),
                }
            )
        return Contacts(rows, contacts.normal_impulse[:count].copy(), contacts.friction_impulse[:count].copy())

    def iterate(self, velocity, angular, bodies, h: float, first: bool) -> None:  # noqa: ANN001
        mass, inertia = bodies.inv_mass, bodies.inv_inertia

        def speed(row: dict, arms: tuple, d: np.ndarray) -> float:
            a, b = row["a"], row["b"]
            at_a = velocity[a] + np.cross(angular[a], arms[0])
            at_b = velocity[b] + (np.cross(angular[b], arms[1]) if mass[b] > 0 else 0.0)
            return float(d @ (at_a - at_b))

        def push(row: dict, arms: tuple, impulse: np.ndarray) -> None:
            for slot, arm, sign in ((row["a"], arms[0], 1.0), (row["b"], arms[1], -1.0)):
                if mass[slot] > 0:
                    velocity[slot] += sign * mass[slot] * impulse
                    angular[slot] += sign * inertia[slot] @ np.cross(arm, impulse)

        def turn(row: dict, impulse: np.ndarray) -> None:
            for slot, sign in ((row["a"], 1.0), (row["b"], -1.0)):
                if mass[slot] > 0:
                    angular[slot] += sign * inertia[slot] @ impulse

        def effective(row: dict, arms: tuple, d: np.ndarray) -> float:
            total = 0.0
            for slot, arm in ((row["a"], arms[0]), (row["b"], arms[1])):
                if mass[slot] > 0:
                    lever = np.cross(arm, d)
                    total += mass[slot] + lever @ inertia[slot] @ lever
            return 1.0 / total

        for r, row in enumerate(self.rows):
            n, normal = row["n"], row["normal"]
            if n == 0:
                continue
            load = self.normal[r, :n].sum()
            both = inertia[row["a"]] + inertia[row["b"]]
            about = normal @ both @ normal
            if load > 0 or self.friction[r].any() or self.torsional[r] != 0:
                at = [speed(row, row["middle"], t) for t in row["tangent"]]
                new = np.array(
                    [self.friction[r, k] - at[k] * effective(row, row["middle"], row["tangent"][k]) for k in range(2)]
                )
                size, most = np.linalg.norm(new), row["mu"] * load
                new = new * (most / size) if size > most else new
                change, self.friction[r] = new - self.friction[r], new
                push(row, row["middle"], change @ row["tangent"])
                if about > 0:
                    w = normal @ (angular[row["a"]] - angular[row["b"]])
                    most = row["mu"] * load * row["lever"]
                    new = float(np.clip(self.torsional[r] - w / about, -most, most))
                    turn(row, (new - self.torsional[r]) * normal)
                    self.torsional[r] = new
                if row["rolling"] > 0:
                    self._roll(r, row, load, about, angular, inertia)
            for _ in range(2 if n > 1 else 1):
                for i in range(n):
                    want = row["target"][i] if row["target"][i] > 0 else -max(row["separation"][i], 0.0) / h
                    vn = speed(row, row["arms"][i], normal)
                    new = max(0.0, self.normal[r, i] + (want - vn) * effective(row, row["arms"][i], normal))
                    push(row, row["arms"][i], (new - self.normal[r, i]) * normal)
                    self.normal[r, i] = new

    def _roll(self, r: int, row: dict, load: float, about: float, angular, inertia) -> None:  # noqa: ANN001
        """Resistance to turning across the normal, by the inertia about it: exact for balls."""
        w = [t @ (angular[row["a"]] - angular[row["b"]]) for t in row["tangent"]]
        new = self.rolling[r] - np.array(w) / about
        size, most = np.linalg.norm(new), row["rolling"] * load
        new = new * (most / size) if size > most else new
        change = (new - self.rolling[r]) @ row["tangent"]
        self.rolling[r] = new
        for slot, sign in ((row["a"], 1.0), (row["b"], -1.0)):
            angular[slot] += sign * abs(row["normal"] @ inertia[slot] @ row["normal"]) * change


def free_motion(
    center: np.ndarray,
    mass: np.ndarray,
    inertia: np.ndarray,
    angular_velocity: np.ndarray,
    force: np.ndarray,
    torque: np.ndarray,
) -> RigidMotion:
    """The motion that forces (P, 3) [N] and torques (P, 3) [N m] give pieces that hang together and are not held."""
    total = mass.sum()
    origin = (mass[:, None] * center).sum(axis=0) / total
    arm, w = center - origin, angular_velocity
    square = np.einsum("pi,pi->p", arm, arm)[:, None, None] * np.eye(3) - np.einsum("pi,pj->pij", arm, arm)
    whole = inertia.sum(axis=0) + (mass[:, None, None] * square).sum(axis=0)
    moment = (torque + np.cross(arm, force)).sum(axis=0) - np.cross(w, whole @ w)
    return RigidMotion(origin, w, force.sum(axis=0) / total, np.linalg.solve(whole, moment))
