"""Room for other matter: a model without a rigid piece, arrays of other index spaces, and the order of a frame."""

from __future__ import annotations

import numpy as np

from dynaclast.core.bake import collect
from dynaclast.core.document import Shot
from dynaclast.core.formats.frames import read_baked, write_events, write_frames
from dynaclast.core.solve.collision import pack_hulls
from dynaclast.core.solve.frame import Frame
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import build_model, opening_state, prepare
from dynaclast.core.solve.state import State
from shots import box, shot

GALE = {"name": "gale", "effect": {"kind": "wind"}, "reach": {"layers": [{"shape": {"kind": "everywhere"}}]}}


def test_a_model_without_any_rigid_piece_is_prepared_and_runs() -> None:
    empty = Shot.model_validate({"bodies": [], "fields": [GALE], "timing": {"frames": 3}})
    model = build_model(empty, [], [])
    state = opening_state(model)
    run = Run(empty, model, state)
    assert run.opening().position.shape == (0, 3)
    for k in range(3):
        frame = run.advance()
        assert frame.index == k + 1 and frame.stats["moving"] == 0 and frame.arrays["orientation"].shape == (0, 4)
    run.rigid.solve()  # an interval of it, too, though nothing asks for one
    back = State.unpack(state.pack())
    assert back.frame == 3 and len(back.piece_assembly) == 0 and len(back.assemblies.mass) == 1


def test_no_hulls_are_no_arrays_of_the_wrong_shape() -> None:
    hulls = pack_hulls([], [])
    assert hulls.vertices.shape == (0, 3) and hulls.normals.shape == (0, 3) and hulls.vertex_start.tolist() == [0]


def test_arrays_of_other_spaces_go_through_a_bake_file_as_they_are() -> None:
    scene = shot(box("b", (0, 2, 0)), frames=2)
    prepared = prepare(scene)
    run = Run(prepared.shot, prepared.model, prepared.state)
    rng = np.random.default_rng(1)
    got = []
    for frame in (run.opening(), run.advance(), run.advance()):
        sail = rng.normal(size=(70, 3)).astype(np.float32)
        more = {"points/sail": sail, "stretch/sail": sail[:, 0], "made/up": np.arange(5, dtype=np.int16)}
        got.append(Frame(frame.index, frame.arrays | more, frame.stats, frame.events))
    assert "points/sail" not in got[0].maps and "stretch/sail" in got[0].maps
    baked = collect(scene, prepared.model, got)
    back = read_baked(write_frames(baked), write_events(baked.events))
    assert back.maps["points/sail"].shape == (3, 70, 3) and back.maps["points/sail"].dtype == np.float32
    for name in ("points/sail", "stretch/sail", "made/up"):
        assert back.maps[name].tobytes() == np.array([f.arrays[name] for f in got]).tobytes()
    assert write_frames(back) == write_frames(baked)


def test_a_frame_in_which_nothing_can_move_is_the_last_one_with_its_number() -> None:
    prepared = prepare(shot(box("b", (0, 0.5, 0)), frames=60))
    run = Run(prepared.shot, prepared.model, prepared.state)
    frames = [run.advance() for _ in range(40)]
    still = [f for f in frames if f.stats["moving"] == 0]
    assert len(still) > 10 and still[-1].position is still[1].position and still[-1].index == 40
    assert not run.rigid.active()


class Restless:
    """Matter of another kind that moves for some intervals, and counts how often it was asked."""

    def __init__(self, intervals: int) -> None:
        self.left, self.asked = intervals, 0

    def active(self) -> bool:
        self.asked += 1
        self.left -= 1
        return self.left >= 0


def test_an_interval_is_solved_while_any_matter_moves() -> None:
    """Everything rigid sleeps; what else moves keeps intervals going, and rigid pieces stay where they are, to the
    bit.
    """
    prepared = prepare(shot(box("b", (0, 0.5, 0)), frames=80))
    run = Run(prepared.shot, prepared.model, prepared.state)
    for _ in range(40):
        run.advance()
    assert not run.rigid.active()
    solved = []
    solve = run.rigid.solve
    run.rigid.solve = lambda *a: solved.append(1) or solve(*a)
    before = prepared.state.assemblies.position.copy()
    run.advance()
    assert not solved
    run.matter.append(Restless(10**6))
    run.advance()
    assert len(solved) == prepared.model.intervals_per_frame
    assert prepared.state.assemblies.position.tobytes() == before.tobytes()
    run.matter[1] = Restless(0)
    run.advance()
    assert len(solved) == prepared.model.intervals_per_frame
