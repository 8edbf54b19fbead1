"""A take of the store as a file."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ..core import document
from ..core.document import Shot
from ..core.formats.excerpt import Excerpt, excerpt
from ..core.formats.frames import Baked
from ..core.fracture.deforming import drawn_surface, shapes
from ..core.fracture.pieces import Pieces
from ..core.layout import written_out
from ..core.solve.frame import STATE_NAMES
from ..files import write_scene
from ..store import takes, texts
from ..store.assets import PieceCache
from ..store.database import Store


def baked_take(store: Store, take_id: str, cache: PieceCache | None = None) -> tuple[Shot, list[Pieces], Baked]:
    """Everything an export of a take needs. Raises NotFound, or InputError for a take without frames."""
    cache = cache or PieceCache(store)
    with store.session() as session:
        shot = document.parse_json(texts.read(session, takes.find(session, take_id)))
        arrays, stats = takes.all_frames(session, take_id)
        events = takes.events(session, take_id)
    shot = written_out(shot, cache.resolve)
    built = [cache.get(b).scaled(b.factor) for b in shot.bodies]
    count = len(arrays["position"])
    baked = Baked(
        np.arange(count) / shot.timing.fps,
        arrays["position"],
        arrays["orientation"],
        arrays["state"],
        np.concatenate([np.full(p.count, k, np.int32) for k, p in enumerate(built)]),
        np.concatenate(
            [b.material.density_for(float(p.volume.sum())) * p.volume for b, p in zip(shot.bodies, built, strict=True)]
        ),
        [b.name for b in shot.bodies],
        STATE_NAMES,
        stats,
        events,
        {k: v for k, v in arrays.items() if k not in ("position", "orientation", "state")},
        [f.name for f in shot.fields],
        shapes({b.name: drawn_surface(b, cache.resolve) for b in shot.bodies if b.deforms}),
    )
    return shot, built, baked


def export_take(
    take_id: str,
    to: Path,
    store: Store | None = None,
    cache: PieceCache | None = None,
    what: Excerpt = Excerpt(),  # noqa: B008 - it never changes
) -> None:
    """Write a take, or a part of it, in the format of ``to``'s ending; without a store, the running application's."""
    if store is None:
        from ..runtime import running_url

        store = Store(running_url())
    cache = cache or PieceCache(store)
    shot, built, baked = excerpt(*baked_take(store, take_id, cache), what)
    write_scene(shot, built, baked, to, cache.resolve)
