"""Files of open formats, by their paths: what the core reads from and writes to memory."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from .core import document
from .core.document import Shot
from .core.errors import InputError
from .core.formats.excerpt import Excerpt, excerpt
from .core.formats.frames import Baked, read_baked, write_frames
from .core.formats.write.scene import export_scene
from .core.formats.write.sequence import KINDS, write_sequence
from .core.fracture.build import Resolve, build_pieces, content_key, no_files
from .core.fracture.pieces import Pieces
from .core.layout import written_out


@contextmanager
def usd_layer(data: bytes, kind: str) -> Iterator[Any]:
    """The bytes of a USD file as a layer, None if they are none: OpenUSD reads from paths alone."""
    from pxr import Sdf

    with tempfile.NamedTemporaryFile(suffix=f".{kind}") as file:
        file.write(data)
        file.flush()
        layer = Sdf.Layer.FindOrOpen(file.name)
        yield layer
        del layer


SEQUENCES = tuple(f".{kind}.zip" for kind in KINDS)
ENDINGS = (".usdc", ".usda", ".usd", ".glb", ".npz", *SEQUENCES)


def write_scene(shot: Shot, built: list[Pieces], baked: Baked, to: Path, resolve: Resolve = no_files) -> None:
    """Write a bake in the format of ``to``'s ending. Raises InputError for an ending we do not write.

    resolve : gives meshes that the shot only refers to
    """
    name = to.name.lower()
    ending = next((e for e in SEQUENCES if name.endswith(e)), to.suffix.lower())
    if ending not in ENDINGS:
        raise InputError(f"'{to.name}': write one of {', '.join(ENDINGS)}", where="--to")
    if not to.parent.is_dir():
        raise InputError(f"the folder '{to.parent}' does not exist", where="--to")
    if ending == ".npz":
        to.write_bytes(write_frames(baked))
        return
    scene = export_scene(shot, built, baked, resolve)
    if ending in SEQUENCES:
        to.write_bytes(write_sequence(scene, ending.split(".")[1]))
        return
    if ending == ".glb":
        from .core.formats.write.glb import write_glb

        to.write_bytes(write_glb(scene))
        return
    from .core.formats.write.usd import write_usd

    to.unlink(missing_ok=True)
    stage = write_usd(scene)  # its layer lives as long as it does
    stage.GetRootLayer().Export(str(to))


def write_export(folder: Path, to: Path, what: Excerpt) -> None:
    """Export a folder written by ``dynaclast bake``, or a part of it."""
    try:
        frames, events, text = (
            (folder / "frames.npz").read_bytes(),
            (folder / "events.json").read_bytes(),
            (folder / "shot.json").read_bytes(),
        )
    except OSError as exc:
        raise InputError(
            f"is not a folder written by `dynaclast bake`: {exc.strerror} ({Path(exc.filename).name})",
            where=str(folder),
        ) from None
    shot = written_out(document.parse_json(text))
    built: dict[str, Pieces] = {}
    for body in shot.bodies:
        key = content_key(body)
        if key not in built:
            built[key] = build_pieces(body)
    pieces = [built[content_key(b)].scaled(b.factor) for b in shot.bodies]
    write_scene(*excerpt(shot, pieces, read_baked(frames, events), what), to)
