"""Loads on the pieces of takes, computed again from the nearest state that is kept."""

from __future__ import annotations

import threading
from typing import NamedTuple

from ..core import document
from ..core.errors import InputError
from ..core.solve.load_paths import BondLoad
from ..core.solve.prepare import Prepared, prepare
from ..core.solve.state import State
from ..core.solve.trace import loads_at
from ..store import takes, texts
from ..store.assets import PieceCache
from ..store.database import Store


class _Known(NamedTuple):
    """A take that is prepared, and its opening state."""

    take: str
    prepared: Prepared
    opening: bytes


class Traces:
    """Answers for one take after another; what was prepared for the last is kept."""

    def __init__(self, store: Store, cache: PieceCache) -> None:
        self._store, self._cache = store, cache
        self._lock = threading.Lock()
        self._known: _Known | None = None

    def loads(self, take_id: str, frame: int, piece: int) -> list[BondLoad]:
        """Loads on the bonds of a piece as a frame of a take begins. Raises InputError where there is no such piece or
        frame.
        """
        known = self._prepare(take_id)
        with self._store.session() as session:
            done = takes.find(session, take_id).frames_done
            carry = takes.state_at(session, take_id, frame - 1) if frame > 0 else None
        if not 0 <= frame <= done:
            raise InputError(f"the take goes from frame 0 to {done}, so there is no frame {frame}", where="frame")
        count = known.prepared.model.piece_count
        if not 0 <= piece < count:
            raise InputError(f"the take has {count} pieces, so there is no piece {piece}", where="piece")
        state = readable_state(carry) or State.unpack(known.opening)
        return loads_at(known.prepared.shot, known.prepared.model, state, frame, piece)

    def _prepare(self, take_id: str) -> _Known:
        with self._lock:
            known = self._known
        if known is not None and known.take == take_id:
            return known
        with self._store.session() as session:
            text = texts.read(session, takes.find(session, take_id))
        prepared = prepare(document.parse_json(text), self._cache.resolve, self._cache.get)
        known = _Known(take_id, prepared, prepared.state.pack())
        with self._lock:
            self._known = known
        return known


def readable_state(carry: bytes | None) -> State | None:
    """A state that is kept; None for one that another version of the program stored: then it is computed again from the
    opening pose, to the same frames.
    """
    if carry is None:
        return None
    try:
        return State.unpack(carry)
    except InputError:
        return None
