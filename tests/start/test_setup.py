"""Bringing a machine to where commands run: what is done again and what is not, and what is said where it fails."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from dynaclast import runtime, setup
from dynaclast.setup import Failed


@pytest.fixture
def root(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A checkout of the tests' own."""
    monkeypatch.setattr(setup, "ROOT", tmp_path)
    monkeypatch.setattr(setup, "RUNTIME", tmp_path / "runtime")
    monkeypatch.setattr(runtime, "RUNTIME", tmp_path / "runtime")
    (tmp_path / "runtime").mkdir()
    return tmp_path


@pytest.fixture
def ran(monkeypatch: pytest.MonkeyPatch) -> list[list[str]]:
    """Commands that would have been run."""
    out: list[list[str]] = []
    monkeypatch.setattr(setup, "_run", lambda command, *_more: out.append(command))
    return out


def written(path: Path, text: str) -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text)
    return path


def test_a_hash_knows_files_by_name_and_content_in_any_order(root: Path) -> None:
    a, b = written(root / "a", "1"), written(root / "b", "2")
    first = setup._hash([a, b])
    assert setup._hash([b, a]) == first
    b.write_text("3")
    assert setup._hash([a, b]) != first
    a.write_text("3"), b.write_text("1")
    assert len({first, setup._hash([a]), setup._hash([b])}) == 3


def test_a_command_that_fails_says_its_last_lines_and_what_to_do(root: Path) -> None:
    lines = "; ".join(f"print({k})" for k in range(40))
    with pytest.raises(Failed) as said:
        setup._run([sys.executable, "-c", f"{lines}; raise SystemExit(3)"], "the try", "Try again.", root)
    text = str(said.value)
    assert text.startswith("the try failed.\n25\n") and text.endswith("39\nTry again.")
    setup._run([sys.executable, "-c", "pass"], "the try", "Try again.", root)


def test_packages_are_installed_again_only_when_their_list_changes(
    root: Path, ran: list[list[str]], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sys, "prefix", str(root))
    written(root / "requirements.txt", "a==1"), written(root / "requirements-test.txt", "b==1")
    setup.ensure_python()
    setup.ensure_python()
    assert len(ran) == 2 and setup.INSTALLER in ran[0] and str(root / "requirements-test.txt") not in ran[1]
    setup.ensure_python(tests=True)
    assert len(ran) == 4 and str(root / "requirements-test.txt") in ran[3]
    (root / "requirements.txt").write_text("a==2")
    setup.ensure_python(tests=True)
    assert len(ran) == 6 and all("uv" in command for command in ran[1::2])
    setup.ensure_python()
    assert len(ran) == 6, "those of the tests are those of the application too"


def test_where_the_fast_installer_fails_pip_installs(
    root: Path, ran: list[list[str]], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sys, "prefix", str(root))
    written(root / "requirements.txt", "a==1")

    def run(command: list[str], *_more: object) -> None:
        ran.append(command)
        if "uv" in command:
            raise Failed("an index it cannot read")

    monkeypatch.setattr(setup, "_run", run)
    setup.ensure_python()
    assert "pip" in ran[-1] and "uv" not in ran[-1] and str(root / "requirements.txt") in ran[-1]
    setup.ensure_python()
    assert len(ran) == 3, "they are installed now"


def test_the_fast_installer_takes_packages_from_where_pip_would(tmp_path: Path) -> None:
    said = f"""\
:env:.cert='/etc/own.pem'
:env:.find-links='/wheels {tmp_path}/more'
:env:.default-timeout='180'
global.cert='/etc/another.pem'
global.extra-index-url='\\nfile://{tmp_path}\\nfile://{tmp_path}/gone'
install.constraint='/etc/limits.txt'
global.index-url='https://packages.example/simple'
"""
    assert setup.installer_settings(said) == {
        "UV_INDEX_STRATEGY": "unsafe-best-match",
        "SSL_CERT_FILE": "/etc/own.pem",
        "UV_FIND_LINKS": f"/wheels,{tmp_path}/more",
        "UV_EXTRA_INDEX_URL": f"file://{tmp_path}",
        "UV_CONSTRAINT": "/etc/limits.txt",
        "UV_DEFAULT_INDEX": "https://packages.example/simple",
    }
    assert setup.installer_settings("") == {"UV_INDEX_STRATEGY": "unsafe-best-match"}


def test_a_failed_installation_is_tried_again_at_the_next_start(root: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    tries = []

    def fails(*_any: object) -> None:
        tries.append(1)
        raise Failed("no network")

    monkeypatch.setattr(sys, "prefix", str(root))
    monkeypatch.setattr(setup, "_run", fails)
    written(root / "requirements.txt", "a==1")
    for _ in range(2):
        with pytest.raises(Failed):
            setup.ensure_python()
    assert len(tries) == 4, "by both installers, twice"


def interface(root: Path) -> None:
    for name in (
        "package-lock.json",
        "index.html",
        "vite.config.ts",
        "tsconfig.json",
        "src/main.ts",
        "public/mark.svg",
    ):
        written(root / "ui" / name, name)
    for folder in ("node_modules", "dist"):
        (root / "ui" / folder).mkdir()


def test_the_interface_is_built_again_only_when_its_sources_change(root: Path, ran: list[list[str]]) -> None:
    interface(root)
    setup.ensure_interface()
    setup.ensure_interface()
    assert [c[1] for c in ran] == ["ci", "run"]
    (root / "ui" / "src" / "main.ts").write_text("changed")
    setup.ensure_interface()
    assert [c[1:] for c in ran[2:]] == [["run", "build"]]
    (root / "ui" / "package-lock.json").write_text("changed")
    setup.ensure_interface(checks=True)
    assert [c[1:3] for c in ran[3:]] == [
        ["ci", "--no-fund"],
        ["run", "build"],
        ["run", "check"],
        ["run", "lint"],
        ["run", "test"],
    ]


def test_without_node_it_says_what_to_install(root: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(setup.shutil, "which", lambda *_a, **_k: None)
    with pytest.raises(Failed, match="apt-get install nodejs npm"):
        setup.ensure_interface()


def test_missing_debian_packages_are_installed_by_root_and_named_to_others(
    root: Path, ran: list[list[str]], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(setup, "database_program", lambda name: None if name == "mariadbd" else f"/usr/bin/{name}")
    monkeypatch.setattr(setup.subprocess, "run", lambda *_a, **_k: subprocess.CompletedProcess([], 0, "", ""))
    monkeypatch.setattr(setup.shutil, "which", lambda *_a, **_k: "/usr/bin/apt-get")
    monkeypatch.setattr(os, "geteuid", lambda: 0)
    setup.ensure_database()
    assert ran == [["apt-get", "install", "-y", "--no-install-recommends", "mariadb-server-core"]]
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    with pytest.raises(Failed, match="sudo apt-get install -y --no-install-recommends mariadb-server-core"):
        setup.ensure_database()


def test_the_browser_is_installed_only_for_what_is_missing(
    root: Path, ran: list[list[str]], monkeypatch: pytest.MonkeyPatch
) -> None:
    have = (
        "\n".join(f"{p} installed" for p in setup.BROWSER_PACKAGES[:-1])
        + f"\n{setup.BROWSER_PACKAGES[-1]} config-files"
    )
    monkeypatch.setattr(setup.subprocess, "run", lambda *_a, **_k: subprocess.CompletedProcess([], 0, have, ""))
    monkeypatch.setattr(setup.shutil, "which", lambda *_a, **_k: "/usr/bin/apt-get")
    monkeypatch.setattr(os, "geteuid", lambda: 0)
    setup.ensure_browser()
    assert [c[4:] for c in ran] == [[setup.BROWSER_PACKAGES[-1]]]


def test_kernels_are_dropped_when_any_core_file_changes_and_only_then(root: Path) -> None:
    source = written(root / "src/dynaclast/core/a.py", "x = 1")
    stale = written(root / "src/dynaclast/core/__pycache__/a.f-1.py311.nbi", "old")
    setup.ensure_kernels()
    assert not stale.exists()
    kept = written(root / "src/dynaclast/core/__pycache__/a.f-1.py311.nbc", "new")
    setup.ensure_kernels()
    assert kept.exists()
    source.write_text("x = 2")
    setup.ensure_kernels()
    assert not kept.exists()


def test_kernels_that_cannot_be_compiled_say_what_the_compiler_said(
    root: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    written(root / "src/dynaclast/core/a.py", "x = 1")
    monkeypatch.setattr(sys, "executable", "/bin/false")
    wait = setup.begin_kernels()
    assert wait is not None
    with pytest.raises(Failed, match="compiling the solver failed"):
        wait()
    assert not (root / "runtime" / "kernels-warm.stamp").exists()


def test_what_is_done_beside_goes_on_meanwhile_and_says_what_failed_when_it_is_waited_for() -> None:
    going, done = threading.Event(), threading.Event()

    def work() -> None:
        going.set()
        assert done.wait(10)

    wait = setup.beside(work)
    assert going.wait(10)
    done.set()
    wait()

    def fails() -> None:
        raise Failed("no network")

    wait = setup.beside(fails)
    with pytest.raises(Failed, match="no network"):
        wait()


def test_what_one_process_has_compiled_others_may_read_whatever_the_environment_says(tmp_path: Path) -> None:
    """The launcher hands over to a Python that writes bytecode."""
    shutil.copy(setup.ROOT / "dynaclast", tmp_path)
    python = tmp_path / ".venv" / "bin" / "python"
    python.parent.mkdir(parents=True)
    python.write_text('#!/bin/sh\necho "${PYTHONDONTWRITEBYTECODE-writes} $PYTHONPATH $*"\n')
    python.chmod(0o755)
    environment = {**os.environ, "PYTHONDONTWRITEBYTECODE": "1"}
    said = subprocess.run([tmp_path / "dynaclast", "test", "x"], env=environment, capture_output=True, text=True)
    assert said.stdout.split() == ["writes", str(tmp_path.resolve() / "src"), "-m", "dynaclast", "test", "x"]
