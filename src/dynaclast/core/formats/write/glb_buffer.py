"""The binary part of a GLB file."""

from __future__ import annotations

import numpy as np
import pygltflib as gltf


class Buffer:
    """Collects arrays into one binary chunk and hands out accessor numbers."""

    def __init__(self, doc: gltf.GLTF2) -> None:
        self.doc = doc
        self.parts: list[bytes] = []
        self.size = 0

    def add(self, array: np.ndarray, kind: str, *, target: int | None = None, bounds: bool = False) -> int:
        data = np.ascontiguousarray(array)
        component = {"float32": gltf.FLOAT, "uint32": gltf.UNSIGNED_INT}[data.dtype.name]
        raw = data.tobytes()
        raw += b"\0" * (-len(raw) % 4)
        self.doc.bufferViews.append(
            gltf.BufferView(buffer=0, byteOffset=self.size, byteLength=data.nbytes, target=target)
        )
        accessor = gltf.Accessor(
            bufferView=len(self.doc.bufferViews) - 1, componentType=component, count=len(data), type=kind
        )
        if bounds:
            flat = data.reshape(len(data), -1)
            accessor.min, accessor.max = flat.min(axis=0).tolist(), flat.max(axis=0).tolist()
        self.doc.accessors.append(accessor)
        self.parts.append(raw)
        self.size += len(raw)
        return len(self.doc.accessors) - 1
