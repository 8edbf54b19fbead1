"""Bodies that deform in GLB, read back by what the format says of targets and weights."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pygltflib
import pytest

from deforming import cloth, pin, rope, soft
from dynaclast.core.formats.frames import Baked
from dynaclast.core.fracture.build import build_pieces
from dynaclast.files import write_scene
from shots import box, reach_sphere, run, shot

THINGS = (
    cloth("flag", (0, 3, 0), (2, 1), (5, 3), matter={"thickness": 0.004}, pins=[pin(-1, 3, -0.5, reach=0.1)]),
    rope("guy", (3, 2, 0), (4, 2, 0), segments=5, matter={"radius": 0.02}),
    cloth("leaves", (6, 2, 0), (1, 1), (2, 2), pattern={"kind": "faces"}),
    {"name": "net", "shape": {"kind": "sheet", "size": [1, 1], "divisions": [2, 2]}, "place": {"position": [14, 2, 0]}}
    | {"matter": {"kind": "rope", "radius": 0.01}},
    soft("buoy", (9, 0.5, 0), (1, 1, 1), matter={"detail": 2}, release={"kind": "cue", "time": 9}),
    box("stone", (12, 1, 0)),
)
GONE = {
    "name": "gone",
    "effect": {"kind": "kill", "what": "remove", "age": 0.1},
    "reach": reach_sphere((5.4, 2, 0.4), 0.5),
    "targets": ["leaves"],
}


class Read:
    """A file as a viewer has it."""

    def __init__(self, path: Path) -> None:
        self.doc = pygltflib.GLTF2.load(str(path))
        self.blob = self.doc.binary_blob()
        self.nodes = {n.name: (k, n) for k, n in enumerate(self.doc.nodes) if n.mesh is not None}

    def array(self, number: int) -> np.ndarray:
        a = self.doc.accessors[number]
        view = self.doc.bufferViews[a.bufferView]
        kind = {pygltflib.FLOAT: np.float32, pygltflib.UNSIGNED_INT: np.uint32}[a.componentType]
        wide = {"SCALAR": 1, "VEC2": 2, "VEC3": 3}[a.type]
        out = np.frombuffer(self.blob, kind, a.count * wide, view.byteOffset).reshape(a.count, wide)
        if a.min:
            assert np.allclose(out.min(axis=0), a.min) and np.allclose(out.max(axis=0), a.max)
        return out

    def at(self, name: str, time: float, what: str = "POSITION") -> np.ndarray:
        """Points or normals (N, 3) of a node at a time."""
        number, node = self.nodes[name]
        primitive = self.doc.meshes[node.mesh].primitives[0]
        out = self.array(getattr(primitive.attributes, what)).astype(float)
        for animation in self.doc.animations:
            for channel in animation.channels:
                if channel.target.node == number and channel.target.path == "weights":
                    sampler = animation.samplers[channel.sampler]
                    times = self.array(sampler.input)[:, 0]
                    weights = self.array(sampler.output).reshape(len(times), -1)
                    now = [np.interp(time, times, w) for w in weights.T]
                    out = out + sum(w * self.array(t[what]) for w, t in zip(now, primitive.targets, strict=True))
        return out

    def faces(self, name: str) -> np.ndarray:
        primitive = self.doc.meshes[self.nodes[name][1].mesh].primitives[0]
        return self.array(primitive.indices).reshape(-1, 3)


@pytest.fixture(scope="module")
def written(tmp_path_factory: pytest.TempPathFactory) -> tuple[Baked, Read]:
    scene = shot(*THINGS, fields=[GONE], frames=6)
    baked = run(*THINGS, fields=[GONE], frames=6)
    path = tmp_path_factory.mktemp("glb") / "take.glb"
    write_scene(scene, [build_pieces(b) for b in scene.bodies], baked, path)
    return baked, Read(path)


def areas(points: np.ndarray, faces: np.ndarray) -> Any:
    corner = points[faces]
    return 0.5 * np.linalg.norm(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1)


def test_points_are_those_of_the_bake_and_go_straight_between_frames(written: tuple[Baked, Read]) -> None:
    baked, read = written
    for name in ("flag", "buoy", "leaves"):
        points = baked.maps[f"points/{name}"].astype(float)
        for frame in range(7):
            found = read.at(name, frame / 24)[: points.shape[1]]
            assert found == pytest.approx(points[frame], abs=2e-6)
            assert np.linalg.norm(read.at(name, frame / 24, "NORMAL"), axis=1) == pytest.approx(1.0, abs=1e-5)
        half = read.at(name, 2.5 / 24)[: points.shape[1]]
        assert half == pytest.approx(0.5 * (points[2] + points[3]), abs=2e-6)


def test_what_never_moves_has_no_targets_and_cloth_is_seen_from_both_sides(written: tuple[Baked, Read]) -> None:
    _, read = written
    mesh = read.doc.meshes[read.nodes["buoy"][1].mesh]
    assert not mesh.primitives[0].targets and not mesh.weights
    flag = read.doc.meshes[read.nodes["flag"][1].mesh].primitives[0]
    assert len(flag.targets) == 6 and read.doc.materials[flag.material].doubleSided
    assert not read.doc.materials[read.doc.meshes[read.nodes["stone"][1].mesh].primitives[0].material].doubleSided
    uv = read.array(flag.attributes.TEXCOORD_0)
    assert uv.min() == 0 and uv.max() == 1
    assert read.nodes["flag"][1].extras["thickness"] == 0.004


def test_faces_that_are_taken_out_shrink_to_nothing(written: tuple[Baked, Read]) -> None:
    baked, read = written
    gone = (baked.maps["state/leaves"] == baked.state_names.index("removed")).sum(axis=1) // 3
    assert 0 == gone[0] < gone[6] < 8
    for frame in range(7):
        area = areas(read.at("leaves", frame / 24), read.faces("leaves"))
        assert len(area) == 8 and (area < 1e-9).sum() == gone[frame]
        assert area[area > 1e-9] == pytest.approx(0.125, rel=0.01)


def test_a_rope_is_a_closed_tube_as_thick_as_it_is(written: tuple[Baked, Read]) -> None:
    baked, read = written
    faces = read.faces("guy")
    edges, sides = np.unique(np.sort(faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1), axis=0, return_counts=True)
    assert (sides == 2).all() and len(edges) == 3 * len(faces) / 2
    for frame in (0, 3, 6):
        points, axis = read.at("guy", frame / 24), baked.maps["points/guy"][frame].astype(float)
        rings = points[:-2].reshape(len(axis), -1, 3)
        assert rings.mean(axis=1) == pytest.approx(axis, abs=1e-6) and points[-2:] == pytest.approx(axis[[0, -1]])
        assert np.linalg.norm(rings - axis[:, None], axis=2) == pytest.approx(0.02, abs=1e-6)
        corner = points[faces]
        out = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
        volume = (corner[:, 0] * out).sum() / 6.0
        assert volume == pytest.approx(4 * np.sin(np.pi / 4) * 0.02**2 * 1.0, rel=0.02)  # of an eight-sided prism


def test_a_rope_that_can_snap_is_tubes_that_turn_with_their_segments() -> None:
    from dynaclast.core.formats.write.glb_deforming import SIDES_OF_NETS as SIDES
    from dynaclast.core.formats.write.glb_deforming import shapes_of
    from dynaclast.core.formats.write.scene import ExportDeforming

    rng = np.random.default_rng(2)
    rest = rng.normal(size=(6, 3))
    points = np.stack([rest, rest + rng.normal(size=(6, 3)), rest + rng.normal(size=(6, 3))]).astype(np.float32)
    lines = np.array([[0, 1], [2, 3], [4, 5]], np.int32)
    one = ExportDeforming("r", 0, np.zeros((0, 3), np.int32), lines, points, 0.1, rest)
    made = shapes_of(one)
    assert made.frames.tolist() == [0, 1, 2] and made.points.shape == (3, 3 * (2 * SIDES + 2), 3)
    for k in range(3):
        for s, (a, b) in enumerate(lines):
            ring = made.points[k, s * (2 * SIDES + 2) :][: 2 * SIDES].reshape(2, SIDES, 3)
            way = points[k, b] - points[k, a]
            assert np.abs((ring - points[k, [a, b]][:, None]) @ way).max() < 1e-5


def test_a_net_is_its_strands_and_no_sheet(written: tuple[Baked, Read]) -> None:
    baked, read = written
    assert "faces/net" not in baked.shapes
    strands, points = baked.shapes["lines/net"], baked.maps["points/net"][6].astype(float)
    assert len(strands) == 12  # of 2 by 2 squares, without diagonals
    long = np.linalg.norm(points[strands[:, 1]] - points[strands[:, 0]], axis=1).sum()
    area = areas(read.at("net", 6 / 24), read.faces("net")).sum()
    ring = 4 * 2 * 0.01 * np.sin(np.pi / 4)  # round a strand of four sides
    assert area == pytest.approx(ring * long + 24 * 2 * 0.01**2, rel=1e-4)
