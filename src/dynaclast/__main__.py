"""The start command: installs what a command needs, then runs it."""

from __future__ import annotations

import sys
from pathlib import Path

from .setup import (
    Failed,
    begin_kernels,
    check_sources,
    ensure_browser,
    ensure_database,
    ensure_interface,
    ensure_kernels,
    ensure_python,
)

USAGE = """usage: ./dynaclast COMMAND

  demo      install, build and start with the demo shot; prints one address, Ctrl-C ends it
  start     the same without demo data         start [--listen ADDRESS]
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


def _listen(options: list[str]) -> str | None:
    """The address of ``--listen ADDRESS``. Raises Failed for any other option."""
    match options:
        case []:
            return None
        case ["--listen", address]:
            return address
    raise Failed(f"'{' '.join(options)}' is not understood; there is only --listen ADDRESS")


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
            ensure_python()
            compiled = begin_kernels()  # beside what follows
            ensure_database()
            ensure_interface()
            if compiled is not None:
                compiled()
            from .runtime import run

            return run(demo=command == "demo", listen=_listen(argv[1:]))
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
            ensure_python(tests=True)
            compiled = begin_kernels()  # beside what follows
            ensure_database()
            ensure_browser()
            check_sources()
            ensure_interface(checks=True)
            if compiled is not None:
                compiled()
            from .setup import run_tests

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
