"""The start command: installs what a command needs, then runs it."""

from __future__ import annotations

import sys
from pathlib import Path

from .setup import (
    RUNTIME,
    Failed,
    begin_kernels,
    beside,
    ensure_database,
    ensure_interface,
    ensure_kernels,
    ensure_python,
    run_tests,
)

USAGE = """usage: ./dynaclast COMMAND

  demo      install, build and start with the demo shot; prints one address, Ctrl-C ends it
  start     the same without demo data         start [--listen ADDRESS] [--workers-at ADDRESS]
  worker    bake for a Dynaclast elsewhere     worker [--keys FOLDER] (a copy of its runtime/keys)
  stop      end a running Dynaclast of this checkout
  status    say whether it runs, and where
  backup    write all that is kept to a file   backup FILE (also while it runs)
  restore   put a backup in its place          restore FILE
  test      install what the tests need and run all of them

  bake      compute a shot document            bake SHOT.json --out DIR [--frames N]
  check     validate a shot document           check SHOT.json
  schema    print the shot document's JSON Schema
  export    write a bake or take as a file     export DIR|TAKE --to FILE.usdc|.usda|.glb|.npz

  bench     measure speed against the goals
  soak      kill, pause and ask wrongly, and say what was lost      soak [--minutes N]
"""


def _options(given: list[str], *names: str) -> dict[str, str]:
    """Values of options, each given by its name and a value. Raises Failed for any other."""
    found = dict(zip(given[::2], given[1::2], strict=False))
    if len(given) % 2 or not set(found) <= set(names):
        known = " and ".join(names)
        raise Failed(f"'{' '.join(given)}' is not understood; there is only {known}, each with a value")
    return found


def main(argv: list[str]) -> int:
    command = argv[0] if argv else ""
    if command in ("", "-h", "--help", "help"):
        print(USAGE, end="")
        return 0
    try:
        if command in ("bake", "check", "schema", "export"):
            ensure_python()
            ensure_kernels()
            from .cli import main as cli

            return cli(argv)
        if command in ("demo", "start"):
            given = _options(argv[1:], "--listen", "--workers-at")
            interface = beside(ensure_interface)
            ensure_python()
            compiled = begin_kernels()  # beside what follows
            ensure_database()
            interface()
            if compiled is not None:
                compiled()
            from .runtime import run

            return run(demo=command == "demo", listen=given.get("--listen"), workers_at=given.get("--workers-at"))
        if command == "worker":
            given = _options(argv[1:], "--keys")
            ensure_python()
            ensure_kernels(compile_now=True)
            from .runtime import worker

            return worker(Path(given.get("--keys", RUNTIME / "keys")).resolve())
        if command in ("backup", "restore"):
            if len(argv) != 2:
                raise Failed(f"./dynaclast {command} takes one file")
            ensure_python()
            ensure_database()
            from . import runtime
            from .core.errors import InputError

            try:
                return (runtime.backup if command == "backup" else runtime.restore)(Path(argv[1]).resolve())
            except InputError as exc:
                raise Failed(exc.line()) from None
        if command in ("stop", "status"):
            from . import runtime

            return runtime.stop() if command == "stop" else runtime.status()
        if command == "test":
            return run_tests(argv[1:])
        if command == "soak":
            ensure_python(tests=True)
            ensure_database()
            ensure_interface()
            ensure_kernels(compile_now=True)
            from .setup import run_soak

            return run_soak(argv[1:])
        if command == "bench":
            ensure_python()
            ensure_kernels(compile_now=True)
            from .setup import run_bench

            return run_bench(argv[1:])
    except Failed as exc:
        print(f"dynaclast: {exc}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130
    print(f"dynaclast: there is no command '{command}'\n\n{USAGE}", file=sys.stderr, end="")
    return 2


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
