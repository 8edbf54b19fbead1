"""Twenty faults made by hand in the core, one at a time: does a test fail?

Each is put into a copy of the sources, with no kernels compiled before, and the tests of its subject are run on it; a
fault they do not notice is tried on all tests of the core. `python bench/mutations.py [NAME ...]` prints a table.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).resolve().parent.parent
CORE = "src/dynaclast/core"
ALL = ("tests/core", "tests/verification")


class Fault(NamedTuple):
    """A fault: where, what stands there once, and what is put in its place.

    tests : what is run first
    """

    name: str
    file: str
    right: str
    wrong: str
    tests: tuple[str, ...]


FAULTS = (
    Fault(
        "leapfrog term of a field's acceleration with the wrong sign",
        "solve/rigid/integration.py",
        "- 0.5 * h * h * bodies.acceleration[a, c]",
        "+ 0.5 * h * h * bodies.acceleration[a, c]",
        ("verification/test_field_theory.py",),
    ),
    Fault(
        "torsional friction without its bound",
        "solve/rigid/contact_solver.py",
        "new = min(most, max(-most, old - w * contacts.torsional_mass[r]))",
        "new = old - w * contacts.torsional_mass[r]",
        ("core/test_solver_parts.py",),
    ),
    Fault(
        "penetration makes a contact bounce apart",
        "solve/rigid/contact_solver.py",
        "target if target > 0.0 else -max(contacts.separation[r, i], 0.0) * per_second",
        "target if target > 0.0 else -contacts.separation[r, i] * per_second",
        ("core/test_solver_parts.py",),
    ),
    Fault(
        "ends of a joint travel on no arcs",
        "solve/rigid/joint_solver.py",
        "half = 0.5 * h if end == 0 else -0.5 * h",
        "half = 0.0 * h if end == 0 else -0.0 * h",
        ("verification/test_ties.py",),
    ),
    Fault(
        "the fourth point of a manifold on the wrong side",
        "solve/rigid/manifold.py",
        "out = max(out, -_signed_area(points, side, j, i, ux, uy, uz)",
        "out = max(out, _signed_area(points, side, j, i, ux, uy, uz)",
        ("core/test_fast_meetings.py",),
    ),
    Fault(
        "a clipped edge's point in the wrong place",
        "solve/rigid/manifold.py",
        "t = di / (di - dj)",
        "t = dj / (dj - di)",
        ("core/test_contact.py", "core/test_kernels_against_twins.py"),
    ),
    Fault(
        "a simplex's edge with its ends changed over",
        "solve/rigid/gjk.py",
        "    bary[i] = 1.0 - t\n    bary[j] = t\n",
        "    bary[i] = t\n    bary[j] = 1.0 - t\n",
        ("core/test_contact.py", "core/test_hull_edge_cases.py"),
    ),
    Fault(
        "a part that splits off gets the turn's speed with a wrong sign",
        "solve/rigid/assemblies.py",
        "p_vel[1] + p_spin[2] * arm[0] - p_spin[0] * arm[2]",
        "p_vel[1] + p_spin[2] * arm[0] + p_spin[0] * arm[2]",
        ("core/test_kernels_against_twins.py",),
    ),
    Fault(
        "what is jointed to something restless falls asleep",
        "solve/rigid/sleep.py",
        "        if restless[a]:\n            scratch.awake[b] = 1\n",
        "        if restless[a]:\n            scratch.awake[a] = 1\n",
        ("verification/test_rest.py",),
    ),
    Fault(
        "an impact's load fades once, however far it goes",
        "solve/impact_loads.py",
        "here = force * FADE ** depth[p]",
        "here = force * (FADE if depth[p] else 1.0)",
        ("core/test_bonds_and_releases.py", "core/test_kernels_against_twins.py"),
    ),
    Fault(
        "wear is forgotten when a bond is loaded",
        "solve/bond_loads.py",
        "total = wear * strength",
        "total = 0.0 * strength",
        ("core/test_bonds_and_releases.py", "core/test_field_actions.py"),
    ),
    Fault(
        "a bond's moment against the wrong section modulus",
        "solve/statics.py",
        "edge = 6.0 * ",
        "edge = 4.0 * ",
        ("verification/test_load_path.py",),
    ),
    Fault(
        "second moments of a tetrahedron by 24 instead of 20",
        "geometry/mass.py",
        "for p in (a, b, c, s)) / 20.0",
        "for p in (a, b, c, s)) / 24.0",
        ("core/test_geometry.py",),
    ),
    Fault(
        "a vortex turns the other way",
        "fields/moving.py",
        "tangent = np.cross(axis, out)",
        "tangent = np.cross(out, axis)",
        ("core/test_fields.py", "verification/test_field_theory.py"),
    ),
    Fault(
        "inverse square without the square",
        "fields/moving.py",
        '"inverse-square": lambda x: 1.0 / x**2',
        '"inverse-square": lambda x: 1.0 / x',
        ("core/test_fields.py", "verification/test_field_theory.py"),
    ),
    Fault(
        "a turn between keys the long way round",
        "timeline/keys.py",
        "b = -b if a @ b < 0 else b",
        "b = b if a @ b < 0 else -b",
        ("core/test_timeline.py", "core/test_linalg.py"),
    ),
    Fault(
        "a speed limit that diagonal motion slips by",
        "solve/limits.py",
        "-values.min()) * np.sqrt(3.0) <= limit",
        "-values.min()) <= limit",
        ("core/test_bonds_and_releases.py",),
    ),
    Fault(
        "a layer screened over another without their product",
        "falloff/profile.py",
        '"screen": lambda a, b: a + b - a * b',
        '"screen": lambda a, b: a + b',
        ("core/test_layers.py", "core/test_falloff.py"),
    ),
    Fault(
        "faces that look the same way count as shared",
        "fracture/sharing.py",
        "normal[s, 2] * normal[t, 2] >= 0.0:",
        "normal[s, 2] * normal[t, 2] < -1.0e9:",
        ("core/test_fracture.py",),
    ),
    Fault(
        "bonds by size go by the larger piece",
        "fracture/bonds.py",
        "pieces.size[pieces.bond_piece].min(axis=1)",
        "pieces.size[pieces.bond_piece].max(axis=1)",
        ("core/test_fracture.py", "core/test_bonds_and_releases.py"),
    ),
)


def planted(fault: Fault, root: Path) -> None:
    """Put a fault into a copy of the sources. Raises SystemExit where its place is not there once."""
    file = root / CORE / fault.file
    text = file.read_text()
    if text.count(fault.right) != 1:
        raise SystemExit(f"{fault.name}: its text stands {text.count(fault.right)} times in {fault.file}; mend FAULTS")
    file.write_text(text.replace(fault.right, fault.wrong))


def noticed(root: Path, tests: tuple[str, ...]) -> str | None:
    """The first test that fails there, or None. Raises SystemExit where tests cannot even be collected."""
    environment = os.environ | {"PYTHONPATH": str(root / "src")}
    command = [sys.executable, "-m", "pytest", "-x", "-q", "--no-header", "-p", "no:cacheprovider", *tests]
    out = subprocess.run(command, cwd=root, env=environment, capture_output=True, text=True)
    if out.returncode == 0:
        return None
    failed = [line for line in out.stdout.splitlines() if line.startswith("FAILED")]
    if not failed:
        raise SystemExit(f"no test failed, and yet they did not pass:\n{out.stdout[-2000:]}")
    return failed[0].split(" - ")[0].split(" ", 1)[1]


def main(names: list[str]) -> int:
    """Try faults, all or those whose names hold one of the words given; the exit status says whether all are caught."""
    caught = tried = 0
    for fault in FAULTS:
        if names and not any(name in fault.name for name in names):
            continue
        with tempfile.TemporaryDirectory() as folder:
            root = Path(folder)
            for part in ("src", "tests", "bench", "demo", "pyproject.toml", "docs", "ui/src"):
                whole = ROOT / part
                if whole.is_dir():
                    shutil.copytree(whole, root / part, ignore=shutil.ignore_patterns("__pycache__"))
                else:
                    shutil.copy(whole, root / part)
            planted(fault, root)
            began = time.monotonic()
            by = noticed(root, tuple(f"tests/{t}" for t in fault.tests)) or noticed(root, ALL)
            tried += 1
            caught += by is not None
            print(f"| {fault.name} | {by or '**nothing**'} | {time.monotonic() - began:.0f} s |", flush=True)
    print(f"{caught} of {tried} caught", flush=True)
    return 0 if caught == tried else 1


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
