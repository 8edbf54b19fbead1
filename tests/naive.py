"""Slow, obvious twins of the kernels."""

from __future__ import annotations

from collections import deque

import numpy as np
from scipy.optimize import minimize


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
