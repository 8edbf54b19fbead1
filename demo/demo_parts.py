"""What the demo shots have in common."""

from __future__ import annotations

import numpy as np
from scipy.spatial import ConvexHull

from dynaclast.core.materials import PRESETS

SKERRY = {"density": 2700, "friction": 0.8, "bounce": 0.05, "look": {"color": "#4b5654", "roughness": 0.95}}
SEA_BED = {"on": True, "height": 0.0, "friction": 0.8, "bounce": 0.05}


def outward(hull: ConvexHull) -> np.ndarray:
    """Triangles (n, 3) of a hull, of its points, that all face outwards."""
    faces = hull.simplices.copy()
    corner = hull.points[faces]
    normal = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    inward = np.einsum("ij,ij->i", normal, hull.equations[:, :3]) < 0
    faces[inward] = faces[inward][:, ::-1]
    return faces


def rock(seed: int, size: tuple[float, float, float], corners: int) -> dict:
    """A boulder: the hull of jittered points on an ellipsoid, flat on top."""
    rng = np.random.default_rng(seed)
    points = rng.normal(size=(corners, 3))
    points /= np.linalg.norm(points, axis=1, keepdims=True)
    points *= 1 + rng.uniform(-0.12, 0.12, (corners, 1))
    points[:, 1] = np.minimum(points[:, 1], 0.32)
    points *= size
    points[:, 1] -= points[:, 1].max()
    hull = ConvexHull(points)
    used = hull.points[hull.vertices]
    order = np.full(len(points), -1)
    order[hull.vertices] = np.arange(len(hull.vertices))
    return {"kind": "mesh", "vertices": np.round(used, 4).tolist(), "faces": order[outward(hull)].tolist()}


def material(preset: str, **more: object) -> dict:
    """A shipped material, some values changed."""
    found = next(p for p in PRESETS if p.name == preset)
    return found.material.model_dump(mode="json") | more


def sphere(center: list, core: float, edge: float) -> dict:
    return {"layers": [{"shape": {"kind": "sphere", "center": center, "core": core, "edge": edge}}]}


def box_reach(center: list, core: list, edge: float = 0.0) -> dict:
    return {"layers": [{"shape": {"kind": "box", "center": center, "core": core, "edge": edge}}]}


def turned(axis: list, degrees: float) -> list:
    """A unit quaternion."""
    half = np.radians(degrees) / 2
    return [*(float(x) for x in np.sin(half) * np.array(axis, float)), float(np.cos(half))]


def layers(*rows: dict) -> dict:
    """A falloff of several layers; each row is a shape, with what else a layer has beside it under "layer"."""
    return {
        "layers": [{"shape": {k: v for k, v in row.items() if k != "layer"}, **row.get("layer", {})} for row in rows]
    }
