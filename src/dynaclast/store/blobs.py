"""Arrays as bytes and back: one small format for the store and for the wire.

``DYNA`` + uint32 header length + JSON header + raw little-endian data. The header maps a name to [dtype, shape,
offset]; offsets count from the end of the header, padded so that every array begins on 8 bytes.
"""

from __future__ import annotations

import json
import struct

import numpy as np
import zstandard

MAGIC = b"DYNA"


def pack(arrays: dict[str, np.ndarray], **more: object) -> bytes:
    """Arrays (and plain JSON values under their own names) as bytes."""
    head: dict[str, object] = {}
    parts: list[bytes] = []
    at = 0
    for name, array in arrays.items():
        array = np.ascontiguousarray(array)
        raw = array.tobytes()
        head[name] = [array.dtype.str.lstrip("<|=>"), list(array.shape), at]
        raw += b"\0" * (-len(raw) % 8)
        parts.append(raw)
        at += len(raw)
    text = json.dumps({"arrays": head, **more}).encode()
    text += b" " * (-(len(text) + 8) % 8)
    return MAGIC + struct.pack("<I", len(text)) + text + b"".join(parts)


def unpack(data: bytes) -> tuple[dict[str, np.ndarray], dict[str, object]]:
    """The arrays and the other values. Raises ValueError on foreign bytes."""
    if data[:4] != MAGIC:
        raise ValueError("not packed arrays")
    (length,) = struct.unpack_from("<I", data, 4)
    head = json.loads(data[8 : 8 + length])
    base = 8 + length
    out = {}
    for name, (dtype, shape, at) in head.pop("arrays").items():
        kind = np.dtype(dtype)
        count = int(np.prod(shape, dtype=np.int64))
        out[name] = np.frombuffer(data, kind, count, base + at).reshape(shape)
    return out, head


def squeeze(data: bytes) -> bytes:
    return zstandard.ZstdCompressor(level=3).compress(data)


def unsqueeze(data: bytes) -> bytes:
    return zstandard.ZstdDecompressor().decompress(data, max_output_size=1 << 31)
