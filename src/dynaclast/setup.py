"""Brings a fresh machine to where a command can run. Uses Python's standard library only."""

from __future__ import annotations

import ast
import hashlib
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
RUNTIME = ROOT / "runtime"
DATABASE_PACKAGES = {"mariadbd": "mariadb-server-core", "mariadb": "mariadb-client-core"}
INSTALLER = "uv==0.13.9"
"""Installs Python packages in a tenth of the time that pip takes."""
SETTINGS = {
    "index-url": "UV_DEFAULT_INDEX",
    "extra-index-url": "UV_EXTRA_INDEX_URL",
    "find-links": "UV_FIND_LINKS",
    "constraint": "UV_CONSTRAINT",
    "cert": "SSL_CERT_FILE",
    "no-index": "UV_NO_INDEX",
    "trusted-host": "UV_INSECURE_HOST",
}
"""What the installer is told of pip's settings: where this machine has its packages from is said to pip."""
BROWSER_PACKAGES = ["chromium-headless-shell", "libegl1", "libegl-mesa0", "libgl1-mesa-dri"]


class Failed(Exception):
    """A step failed; the text says what to do."""


def say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def beside(work: Callable[[], None]) -> Callable[[], None]:
    """Do it in a thread of its own: what installs packages waits for the network where another computes. Returns what
    waits for it to end, and raises what it raised.
    """
    pool = ThreadPoolExecutor(1)
    doing = pool.submit(work)
    pool.shutdown(wait=False)
    return doing.result


def _hash(paths: list[Path]) -> str:
    out = hashlib.sha256()
    for path in sorted(paths):
        out.update(str(path.relative_to(ROOT)).encode() + b"\0" + path.read_bytes())
    return out.hexdigest()


def _fresh(stamp: Path, value: str) -> bool:
    return stamp.is_file() and stamp.read_text() == value


def _run(
    command: list[str], what: str, remedy: str, cwd: Path = ROOT, environment: dict[str, str] | None = None
) -> None:
    done = subprocess.run(
        command,
        cwd=cwd,
        env=environment,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        stdin=subprocess.DEVNULL,
    )
    if done.returncode:
        tail = "\n".join(done.stdout.strip().splitlines()[-15:])
        raise Failed(f"{what} failed.\n{tail}\n{remedy}")


def ensure_python(*, tests: bool = False) -> None:
    """Install the pinned Python packages if the list changed since last time."""
    own, more = ROOT / "requirements.txt", ROOT / "requirements-test.txt"
    lists = [own, more] if tests else [own]
    stamps = {Path(sys.prefix) / "dynaclast.stamp": _hash([own])}
    if tests:  # which are those of the application too
        stamps[Path(sys.prefix) / "dynaclast-test.stamp"] = _hash(lists)
    if all(_fresh(stamp, value) for stamp, value in stamps.items()):
        return
    say("installing Python packages (a minute or two the first time)")
    arguments = [x for path in lists for x in ("-r", str(path))]
    what, remedy = "installing Python packages", "Check the connection to the package index and start again."
    pip = [sys.executable, "-m", "pip", "install", "--disable-pip-version-check", "-q"]
    try:
        _run([*pip, INSTALLER], what, remedy)
        uv = [sys.executable, "-m", "uv", "pip", "install", "-q", "--python", sys.executable]
        _run([*uv, *arguments], what, remedy, ROOT, {**os.environ, **installer_settings(pip_settings())})
    except Failed:  # an index without it, or settings that it does not know
        _run([*pip, *arguments], what, remedy)
    for stamp, value in stamps.items():
        stamp.write_text(value)


def pip_settings() -> str:
    """Pip's settings by its own account: a line each, scope.name='value'."""
    command = [sys.executable, "-m", "pip", "config", "list"]
    return subprocess.run(command, capture_output=True, text=True, stdin=subprocess.DEVNULL).stdout


def installer_settings(said: str) -> dict[str, str]:
    """Environment in which the installer takes packages from where pip would.

    said : pip's settings, as of pip_settings; what the environment says counts more than what files say
    """
    found: dict[str, str] = {}
    for line in sorted(said.splitlines(), key=lambda x: x.startswith(":env:")):
        scope, _, value = line.partition("=")
        name = SETTINGS.get(scope.rpartition(".")[2])
        if name:
            found[name] = " ".join(x for x in ast.literal_eval(value).split() if _is_there(x))
    if "UV_FIND_LINKS" in found:
        found["UV_FIND_LINKS"] = found["UV_FIND_LINKS"].replace(" ", ",")
    return {"UV_INDEX_STRATEGY": "unsafe-best-match"} | {name: value for name, value in found.items() if value}


def _is_there(place: str) -> bool:
    """Whether a place can have packages: pip passes over folders that are not there."""
    return not place.startswith("file://") or Path(place.removeprefix("file://")).exists()


def _install(packages: list[str], why: str) -> None:
    line = f"apt-get install -y --no-install-recommends {' '.join(packages)}"
    if os.geteuid() != 0 or not shutil.which("apt-get"):
        raise Failed(f"{why} needs these Debian packages: run\n  sudo {line}\nand start again.")
    say(f"installing {', '.join(packages)}")
    subprocess.run(
        ["apt-get", "update", "-qq"], stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    os.environ["DEBIAN_FRONTEND"] = "noninteractive"
    _run(line.split(), f"installing packages for {why}", f"Run `{line}` by hand and start again.")


def database_program(name: str) -> str | None:
    """Where a MariaDB program is, also when sbin is not on the path."""
    return shutil.which(name) or shutil.which(name, path="/usr/sbin:/usr/local/sbin")


def ensure_database() -> None:
    missing = [package for program, package in DATABASE_PACKAGES.items() if not database_program(program)]
    if missing:
        _install(missing, "the database")


def ensure_browser() -> None:
    have = subprocess.run(
        ["dpkg-query", "-W", "-f", "${Package} ${db:Status-Status}\n", *BROWSER_PACKAGES],
        capture_output=True,
        text=True,
    )
    present = {line.split()[0] for line in have.stdout.splitlines() if line.endswith(" installed")}
    missing = [p for p in BROWSER_PACKAGES if p not in present]
    if missing:
        _install(missing, "the browser tests")


def ensure_interface(*, checks: bool = False) -> None:
    """Build the interface if its sources changed since last time."""
    if not shutil.which("npm"):
        raise Failed(
            "Node 20 with npm is needed to build the interface. On Debian: apt-get install nodejs npm, then "
            "start again."
        )
    ui = ROOT / "ui"
    modules_stamp, lock = ui / "node_modules" / ".dynaclast.stamp", _hash([ui / "package-lock.json"])
    if not _fresh(modules_stamp, lock):
        say("installing the interface's packages")
        _run(
            ["npm", "ci", "--no-fund", "--no-audit"],
            "installing the interface's packages",
            "Check the connection to the npm registry and start again.",
            ui,
        )
        modules_stamp.write_text(lock)
    sources = [p for p in (ui / "src").rglob("*") if p.is_file()] + [
        p for p in (ui / "public").rglob("*") if p.is_file()
    ]
    sources += [ui / "index.html", ui / "vite.config.ts", ui / "package-lock.json", ui / "tsconfig.json"]
    stamp, value = ui / "dist" / ".stamp", _hash(sources)
    if not _fresh(stamp, value):
        say("building the interface")
        _run(
            ["npm", "run", "build"],
            "building the interface",
            "The lines above say where; after mending it, start again.",
            ui,
        )
        stamp.write_text(value)
    if checks:
        say("checking the interface: types, lint, unit tests")
        for script in ("check", "lint", "test"):
            _run(
                ["npm", "run", script],
                f"the interface's `npm run {script}`",
                f"Run `cd ui && npm run {script}` to see it alone.",
                ui,
            )


def ensure_kernels(*, compile_now: bool = False) -> None:
    """Drop compiled kernels that an edit has made stale; compile them now if asked."""
    if (compiling := begin_kernels(compile_now=compile_now)) is not None:
        compiling()


def begin_kernels(*, compile_now: bool = True) -> Callable[[], None] | None:
    """Drop stale kernels, and start to compile them in a process of its own. Returns what waits for it to end; None
    where there is nothing to do.

    A cached kernel does not notice edits of kernels it calls in other files, so all go when any core file changed.
    """
    RUNTIME.mkdir(exist_ok=True)
    core = ROOT / "src" / "dynaclast" / "core"
    value = _hash(list(core.rglob("*.py")))
    stamp, warm_stamp = RUNTIME / "kernels.stamp", RUNTIME / "kernels-warm.stamp"
    if not _fresh(stamp, value):
        for pattern in ("*.nbi", "*.nbc"):
            for old in core.rglob(pattern):
                old.unlink()
        stamp.write_text(value)
    if not compile_now or _fresh(warm_stamp, value):
        return None
    say("compiling the solver (some minutes, once)")
    process = subprocess.Popen(
        [sys.executable, "-c", "from dynaclast.jobs.warm import compile_all; compile_all()"],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
    )

    def wait() -> None:
        said, _ = process.communicate()
        if process.returncode:
            raise Failed(
                f"compiling the solver failed:\n{said}\nThis is a fault of the program; please report the lines above."
            )
        warm_stamp.write_text(value)

    return wait


def check_sources() -> None:
    """The formatter and the linter over all Python, with the reasons of their rules in pyproject.toml, and types."""
    say("checking the Python sources: format, lint, types")
    ruff = [sys.executable, "-m", "ruff"]
    for command in (["format", "--check", "-q"], ["check", "-q"]):
        text = f"ruff {' '.join(command)}"
        _run(
            [*ruff, *command, "."],
            text,
            "Run `.venv/bin/ruff format . && .venv/bin/ruff check --fix .`, then mend what it names.",
        )
    types = [str(Path(sys.executable).with_name("pyrefly")), "check", "--output-format", "min-text"]
    _run(types, "pyrefly", "Run `.venv/bin/pyrefly check` and mend what it names.")


COMPUTING = ("architecture", "core", "store", "verification")
"""Folders of tests that need no interface, and keep a processor busy all the while."""
WAITING = (
    ("e2e/test_build_and_break.py", "e2e/test_deforming.py", "e2e/test_drive.py", "e2e/test_hands.py"),
    ("faults", "jobs"),
)
"""Folders and files of tests that mostly wait, in groups, as do all others; one after the other they take thrice as
long.
"""


def _be_nice_as_a_session(process: int) -> None:
    """Where the system shares out by sessions, being nice counts within one alone, and services have theirs."""
    with suppress(OSError):
        Path(f"/proc/{process}/autogroup").write_text("19")


class Tests:
    """A group of tests under way, whose output is kept until it ends."""

    def __init__(self, paths: list[Path], *, behind: bool = False) -> None:
        """behind: they take what others leave of both processors"""
        self._said = tempfile.TemporaryFile("w+")  # noqa: SIM115 - it is read when they have ended
        command = [sys.executable, "-m", "pytest", *map(str, paths)]
        if behind:
            command = ["nice", "-n", "19", *command, "-n", "2", "--dist", "loadfile"]
        self._process = subprocess.Popen(
            command, cwd=ROOT, stdout=self._said, stderr=subprocess.STDOUT, start_new_session=behind
        )
        if behind:
            _be_nice_as_a_session(self._process.pid)

    def wait(self) -> int:
        """Its code, when it has ended and was told."""
        code = self._process.wait()
        self._said.seek(0)
        print(self._said.read(), flush=True)
        self._said.close()
        return code

    def end(self) -> None:
        if self._process.poll() is None:
            self._process.terminate()


def run_tests(arguments: list[str]) -> int:
    """Install what they need, then all tests, with all checks of the sources beside them; or what the arguments ask of
    pytest.
    """

    def install() -> None:
        ensure_database()
        ensure_browser()

    interface, packages = beside(lambda: ensure_interface(checks=not arguments)), beside(install)
    ensure_python(tests=True)
    compiled = begin_kernels()
    sources = None if arguments else beside(check_sources)
    packages()
    if compiled is not None:
        compiled()
    if arguments:
        interface()
        return subprocess.run([sys.executable, "-m", "pytest", *arguments], cwd=ROOT).returncode
    tests = ROOT / "tests"
    rest = sorted(p for p in tests.iterdir() if any(p.glob("test_*.py")) and p.name not in (*COMPUTING, "e2e"))
    rest += sorted((tests / "e2e").glob("test_*.py"))
    groups = [[tests / name for name in group] for group in WAITING]
    groups.append([path for path in rest if not any(path in group for group in groups)])
    under_way = [Tests([tests / name for name in COMPUTING], behind=True)]
    try:
        interface()
        under_way += map(Tests, groups)
        codes = [group.wait() for group in under_way]
        if sources is not None:
            sources()
    finally:
        for group in under_way:
            group.end()
    return next((code for code in codes if code), 0)


def run_soak(arguments: list[str]) -> int:
    return subprocess.run([sys.executable, str(ROOT / "tests" / "faults" / "soak.py"), *arguments], cwd=ROOT).returncode


def run_bench(arguments: list[str]) -> int:
    return subprocess.run([sys.executable, str(ROOT / "bench" / "run.py"), *arguments], cwd=ROOT).returncode
