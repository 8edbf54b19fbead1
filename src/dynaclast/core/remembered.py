"""Results remembered up to a number of bytes, the longest unused forgotten first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

V = TypeVar("V")


class Remembered(Generic[V]):
    """Values by key; safe to use from several threads, which may then work out the same value twice.

    most    : int, bytes of all values together; one that is larger is not kept
    size_of : gives the bytes of a key and its value
    """

    def __init__(self, most: int, size_of: Callable[[Hashable, V], int]) -> None:
        self.most, self._size_of = most, size_of
        self._values: OrderedDict[Hashable, tuple[V, int]] = OrderedDict()
        self._lock = threading.Lock()
        self.size = 0

    def __contains__(self, key: Hashable) -> bool:
        return key in self._values

    def __len__(self) -> int:
        return len(self._values)

    def get(self, key: Hashable) -> V | None:
        """The value, if it is remembered."""
        with self._lock:
            found = self._values.get(key)
            if found is None:
                return None
            self._values.move_to_end(key)
            return found[0]

    def put(self, key: Hashable, value: V) -> V:
        """Remember a value. Returns it."""
        size = self._size_of(key, value)
        with self._lock:
            old = self._values.pop(key, None)
            self.size -= old[1] if old else 0
            if size <= self.most:
                self._values[key] = value, size
                self.size += size
            while self.size > self.most:
                _, (_, gone) = self._values.popitem(last=False)
                self.size -= gone
        return value

    def recall(self, key: Hashable, work_out: Callable[[], V]) -> V:
        """The value, worked out where it is not remembered."""
        found = self.get(key)
        return self.put(key, work_out()) if found is None else found
