"""Commands that work on shot documents without database or browser: bake, check, schema, export."""

from __future__ import annotations

import argparse
import json
import sys
import time
import warnings
from pathlib import Path

from .core import document
from .core.document import AssetShape, FileShape, Shot
from .core.errors import DocumentError, DynaclastError, InputError
from .core.fracture.pieces import Pieces
from .core.geometry.mesh import TriMesh


def _load(path: Path) -> Shot:
    try:
        data = path.read_bytes()
    except OSError as exc:
        raise InputError(f"cannot be read: {exc.strerror}", where=str(path)) from None
    return document.parse_json(data)


def _resolver(folder: Path):  # noqa: ANN202
    """Reads mesh files beside the document, and nothing outside its folder."""
    from .core.formats.read import MOST_BYTES, read_mesh
    from .files import usd_layer

    def resolve(shape: FileShape | AssetShape) -> TriMesh:
        if isinstance(shape, AssetShape):
            raise InputError(
                f"asset '{shape.asset[:12]}' is in the application's store; a document on its own needs the mesh "
                f"inline or as a file beside it"
            )
        path = (folder / shape.path).resolve()
        if not path.is_relative_to(folder.resolve()):
            raise InputError(f"'{shape.path}' is outside the document's folder", where=shape.path)
        if not path.is_file():
            raise InputError(f"there is no file '{shape.path}' beside the document", where=shape.path)
        if path.stat().st_size > MOST_BYTES:
            raise InputError(f"'{shape.path}' is larger than {MOST_BYTES // 1_000_000} MB", where=shape.path)
        return read_mesh(path.read_bytes(), shape.path, usd_layer, shape.scale)

    return resolve


def cmd_bake(args: argparse.Namespace) -> int:
    from .core.bake import bake
    from .core.formats.frames import write_events, write_frames
    from .core.preflight.faults import faults, refuse, without

    shot = _load(args.shot)
    found = faults(shot)
    if not args.without_faulty:
        refuse(found, "bake with --without-faulty")
    for f in found:
        print(f"left out: {f.field}: {f.why}", file=sys.stderr)
    shot = without(shot, found)
    if args.frames is not None and not 0 <= args.frames <= 2000:
        raise InputError(f"must be between 0 and 2000, got {args.frames}", where="--frames")
    out: Path = args.out
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as exc:
        raise InputError(f"cannot be made: {exc.strerror}", where=str(out)) from None
    started = time.monotonic()
    quiet = not sys.stderr.isatty()

    def tell(frame, total: int) -> None:  # noqa: ANN001
        if not quiet:
            spent = time.monotonic() - started
            left = spent / max(frame.index, 1) * (total - frame.index)
            print(f"\rframe {frame.index} of {total}, {left:.0f} s left   ", end="", file=sys.stderr, flush=True)

    baked = bake(shot, frame_count=args.frames, resolve=_resolver(args.shot.parent), on_frame=tell)
    if not quiet:
        print(file=sys.stderr)
    (out / "frames.npz").write_bytes(write_frames(baked))
    (out / "events.json").write_bytes(write_events(baked.events))
    (out / "shot.json").write_text(json.dumps(_standalone(shot, args.shot.parent), indent=1) + "\n")
    broken = int(baked.stats["bonds_broken"].sum())
    print(
        f"baked {len(baked.time) - 1} frames of {len(baked.piece_body)} pieces in {time.monotonic() - started:.1f} "
        f"s; {broken} bonds and seams broken -> {out}"
    )
    return 0


def _standalone(shot: Shot, folder: Path) -> dict:
    """The shot with mesh files written into it, so that a bake's folder can be exported anywhere."""
    from .core.document import MeshShape

    resolve = _resolver(folder)
    whole = shot.model_copy(deep=True)
    for body in [*whole.bodies, *(g.body for g in whole.groups)]:
        if isinstance(body.shape, FileShape):
            mesh = resolve(body.shape)
            body.shape = MeshShape(
                vertices=[tuple(v) for v in mesh.vertices.tolist()], faces=[tuple(f) for f in mesh.faces.tolist()]
            )
    return document.dump(whole)


def cmd_check(args: argparse.Namespace) -> int:
    from .core.fracture.build import build_pieces, content_key
    from .core.layout import with_shared, written_out
    from .core.preflight import preflight
    from .core.solve.collision import HullShop
    from .core.solve.prepare import build_model

    shot = with_shared(_load(args.shot))
    resolve = _resolver(args.shot.parent)
    problems: list[tuple[str, str]] = []
    made: dict[str, Pieces] = {}
    for where, body in [
        *((f"bodies[{k}]", b) for k, b in enumerate(shot.bodies)),
        *((f"groups[{k}].body", g.body) for k, g in enumerate(shot.groups)),
    ]:
        try:
            made[content_key(body)] = build_pieces(body, resolve)
        except DynaclastError as exc:
            own = exc.where if exc.where.startswith(("pattern", "breaks")) else "shape"
            problems.append((f"{where}.{own}", exc.message))
    if problems:
        raise DocumentError(problems)
    whole = written_out(shot, resolve)
    based = [made[content_key(b)] for b in whole.bodies]
    built = [pieces.scaled(b.factor) for pieces, b in zip(based, whole.bodies, strict=True)]
    findings = preflight(whole, built, HullShop(resolve))
    for f in findings:
        print(f"{f.grave}: {f.about + ': ' if f.about else ''}{f.sentence} {f.remedy}.")
    if whole.bodies and not any(f.grave == "stop" for f in findings):
        try:
            build_model(whole, based, built, resolve)  # what a bake does first: what it would refuse is said here
        except DynaclastError as exc:
            print(f"stop: {exc.line()}")
    pieces = sum(p.count for p in built)
    print(
        f"{shot.name}: {len(whole.bodies)} bodies, {pieces} pieces, {len(shot.fields)} fields, {shot.timing.frames} "
        f"frames; {len(findings)} to check"
    )
    return 0


def cmd_schema(args: argparse.Namespace) -> int:
    print(json.dumps(document.schema(), indent=2))
    return 0


def cmd_export(args: argparse.Namespace) -> int:
    from .core.formats.excerpt import Excerpt
    from .files import write_export

    what = Excerpt(args.first, args.last, args.step, args.backwards, args.bodies)
    folder = Path(args.source)
    if folder.is_dir():
        write_export(folder, args.to, what)
    else:
        from .jobs.take_export import export_take

        export_take(args.source, args.to, what=what)
    print(f"wrote {args.to}")
    return 0


def main(argv: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(
        prog="dynaclast", description="Break meshes into bonded pieces and choreograph their collapse."
    )
    sub = parser.add_subparsers(dest="command", required=True)
    p = sub.add_parser("bake", help="compute a shot document")
    p.add_argument("shot", type=Path)
    p.add_argument("--out", type=Path, required=True, help="folder for frames.npz and events.json")
    p.add_argument("--frames", type=int, help="compute so many frames instead of the document's")
    p.add_argument(
        "--without-faulty", action="store_true", help="leave out fields that cannot act, instead of refusing to bake"
    )
    p.set_defaults(run=cmd_bake)
    p = sub.add_parser("check", help="validate a shot document and say what to look at before a bake")
    p.add_argument("shot", type=Path)
    p.set_defaults(run=cmd_check)
    p = sub.add_parser("schema", help="print the JSON Schema of the shot document")
    p.set_defaults(run=cmd_schema)
    p = sub.add_parser("export", help="write a bake's folder, or a take of the running application, as USD or GLB")
    p.add_argument("source", help="a folder written by bake, or a take's id")
    p.add_argument(
        "--to",
        type=Path,
        required=True,
        help="FILE.usdc, .usda, .usd, .glb, .npz; .obj.zip or .ply.zip: a mesh a frame",
    )
    p.add_argument("--first", type=int, default=0, help="frame to begin with")
    p.add_argument("--last", type=int, help="frame to end with")
    p.add_argument("--step", type=int, default=1, help="every so many frames")
    p.add_argument("--backwards", action="store_true")
    p.add_argument("--bodies", nargs="+", metavar="NAME", help="these bodies and groups only")
    p.set_defaults(run=cmd_export)
    args = parser.parse_args(argv)
    if not sys.warnoptions:
        warnings.simplefilter("ignore")  # what libraries tell their developers is nothing to an artist
    try:
        return args.run(args)
    except DocumentError as exc:
        for line in exc.lines():
            print(f"error: {line}", file=sys.stderr)
        return 2
    except DynaclastError as exc:
        print(f"error: {exc.line()}", file=sys.stderr)
        return 2


if __name__ == "__main__":
    sys.exit(main())
