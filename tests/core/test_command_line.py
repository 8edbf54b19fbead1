"""The headless contract, through the real command."""

from __future__ import annotations

import contextlib
import io
import json
import subprocess
import sys
import warnings
from pathlib import Path

import numpy as np
import pytest

from dynaclast import cli
from dynaclast.core import document
from shots import blow, box, footing, pillar, shot

ROOT = Path(__file__).parents[2]


def dynaclast(*arguments: object) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "dynaclast.cli", *map(str, arguments)],
        capture_output=True,
        text=True,
        cwd=ROOT,
        env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"},
    )


def inside(*arguments: object) -> subprocess.CompletedProcess[str]:
    """The same in this process, which has the kernels already."""
    out, said = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(said), warnings.catch_warnings():
        code = cli.main([*map(str, arguments)])
    return subprocess.CompletedProcess([], code, out.getvalue(), said.getvalue())


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    out = tmp_path_factory.mktemp("cli")
    scene = shot(
        pillar(), box("slab", (0, 3.05, 0), (2, 0.1, 2)), fields=(footing(), blow(1500, (0, 2, 0), 0.9, 0.2)), frames=20
    )
    data = document.dump(scene)
    (out / "wedge.obj").write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n")
    data["bodies"].append(
        {
            "name": "wedge",
            "shape": {"kind": "file", "path": "wedge.obj", "scale": 0.5},
            "place": {"position": [3, 0, 0]},
        }
    )
    (out / "shot.json").write_text(json.dumps(data))
    return out


def test_bake_writes_the_contract_and_the_same_bytes_twice(folder: Path) -> None:
    for name, command in (("one", dynaclast), ("two", inside)):
        done = command("bake", folder / "shot.json", "--out", folder / name, "--frames", 12)
        assert done.returncode == 0, done.stderr
    assert (folder / "one/frames.npz").read_bytes() == (folder / "two/frames.npz").read_bytes()
    with np.load(folder / "one/frames.npz") as z:
        pieces = len(z["piece_body"])
        assert z["time"] == pytest.approx(np.arange(13) / 24)
        assert (
            z["position"].shape == (13, pieces, 3)
            and z["orientation"].shape == (13, pieces, 4)
            and z["state"].shape == (13, pieces)
        )
        assert list(z["body_names"]) == ["pillar", "slab", "wedge"] and (z["piece_body"] == 1).sum() == 1
        assert z["piece_mass"].sum() == pytest.approx(
            0.8 * 0.8 * 3 * 1000 + 2 * 2 * 0.1 * 1000 + 2400 / 6 / 8, rel=1e-6
        )
        assert (
            np.linalg.norm(z["orientation"], axis=2) == pytest.approx(1, abs=1e-5)
            and (z["orientation"][0] == [0, 0, 0, 1]).all()
        )
        assert set(z["state_names"]) == {"held", "resting", "moving", "frozen", "removed"}
    events = json.loads((folder / "one/events.json").read_text())
    assert {"frame", "time", "kind"} <= set(events[0])
    broken = [e for e in events if e["kind"] == "bond_broken"]
    assert broken and {"tier", "load", "strength", "causes"} <= set(broken[0])
    for ending in ("usdc", "glb"):
        assert inside("export", folder / "one", "--to", folder / f"out.{ending}").returncode == 0
        assert (folder / f"out.{ending}").stat().st_size > 1000


def test_check_prints_findings_and_schema_is_json(folder: Path) -> None:
    done = inside("check", folder / "shot.json")
    assert done.returncode == 0 and "3 bodies" in done.stdout
    assert json.loads(inside("schema").stdout)["title"] == "Dynaclast shot document"


@pytest.mark.parametrize(
    ("text", "line"),
    [
        (
            '{"bodies": [{"name": "a", "shape": {"kind": "box", "size": [1, -1, 1]}}]}',
            "error: bodies[0].shape.size[1]: ",
        ),
        ("not json", "error: not valid JSON"),
        (
            '{"bodies": [{"name": "a", "shape": {"kind": "file", "path": "../../etc/passwd.obj"}}]}',
            "outside the document's folder",
        ),
        ('{"bodies": [{"name": "a", "shape": {"kind": "file", "path": "gone.obj"}}]}', "there is no file 'gone.obj'"),
        (
            '{"bodies": [{"name": "a", "shape": {"kind": "mesh", "vertices": [[0,0,0],[1,0,0],[0,1,0],[0,0,1]], '
            '"faces": [[0,2,1],[0,1,3],[0,3,2],[0,1,2]]}}]}',
            "a cannot be used",
        ),
    ],
)
def test_a_bad_document_exits_with_2_and_says_where(tmp_path: Path, text: str, line: str) -> None:
    (tmp_path / "bad.json").write_text(text)
    for command in (["check", tmp_path / "bad.json"], ["bake", tmp_path / "bad.json", "--out", tmp_path / "out"]):
        done = inside(*command)
        assert done.returncode == 2 and line in done.stderr and "Traceback" not in done.stderr


def test_every_problem_gets_a_line_of_its_own(tmp_path: Path) -> None:
    (tmp_path / "bad.json").write_text('{"quality": "best", "timing": {"fps": 0}, "extra": 1}')
    done = inside("check", tmp_path / "bad.json")
    assert done.returncode == 2 and len(done.stderr.strip().splitlines()) == 3


def test_warnings_of_libraries_do_not_reach_the_terminal(tmp_path: Path) -> None:
    """A library that warns while a command runs is not heard; asked for, it is."""
    script = (
        "import warnings, sys\n"
        "from dynaclast import cli\n"
        "cli._load = lambda path: warnings.warn('inner matters', DeprecationWarning, stacklevel=1) or sys.exit(0)\n"
        "for asked in (['always'], []):\n"
        "    sys.warnoptions[:] = asked\n"
        "    try:\n"
        "        cli.main(['check', 'x.json'])\n"
        "    except SystemExit:\n"
        "        print('ended', file=sys.stderr)\n"
    )
    environment = {"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"}
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, cwd=tmp_path, env=environment)
    asked, unasked, _ = done.stderr.split("ended")
    assert "inner matters" not in unasked and "inner matters" in asked


def test_check_says_what_bake_would_refuse(tmp_path: Path) -> None:
    """A flat mesh builds as faces, but no hull can be made of it: bake stops, and check says so with the same words."""
    flat = {
        "name": "flat",
        "shape": {
            "kind": "mesh",
            "vertices": [[0, 0, 0], [1, 0, 0], [1, 0, 1], [0, 0, 1]],
            "faces": [[0, 2, 1], [0, 3, 2], [0, 1, 2], [0, 2, 3]],
        },
        "place": {"position": [0, 2, 0]},
    }
    path = tmp_path / "flat.json"
    path.write_text(json.dumps({"bodies": [flat, box("crate", (5, 1, 0))]}))
    refused = inside("bake", path, "--out", tmp_path / "out", "--frames", 2)
    said = inside("check", path)
    assert refused.returncode == 2 and refused.stderr.startswith("error: ")
    assert said.returncode == 2 or "stop: " in said.stdout


def test_a_part_of_a_bake_is_exported(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    scene = tmp_path / "shot.json"
    scene.write_text(json.dumps(document.dump(shot(box("a", (0, 1, 0)), box("b", (3, 1, 0)), frames=6))))
    assert cli.main(["bake", str(scene), "--out", str(tmp_path / "out")]) == 0
    to = tmp_path / "part.npz"
    asked = ["export", str(tmp_path / "out"), "--to", str(to), "--first", "1", "--step", "2", "--bodies", "b"]
    assert cli.main(asked) == 0
    with np.load(to) as z:
        assert len(z["time"]) == 3 and [str(n) for n in z["body_names"]] == ["b"]
    assert cli.main([*asked[:-1], "c"]) == 2
    assert "no body 'c'; it has a, b" in capsys.readouterr().err
