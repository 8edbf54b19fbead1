"""Results remembered up to a number of bytes."""

from __future__ import annotations

import base64
import io
import struct
import zlib

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from dynaclast.core.errors import InputError
from dynaclast.core.falloff import sources
from dynaclast.core.remembered import Remembered


@given(st.integers(0, 100), st.lists(st.tuples(st.integers(0, 8), st.integers(0, 60))))
def test_it_never_holds_more_than_it_may_and_forgets_the_longest_unused(most: int, puts: list[tuple[int, int]]) -> None:
    kept: Remembered[int] = Remembered(most, lambda _, size: size)
    order: list[tuple[int, int]] = []
    for key, size in puts:
        kept.put(key, size)
        order = [x for x in order if x[0] != key] + ([(key, size)] if size <= most else [])
        while sum(s for _, s in order) > most:
            order.pop(0)
        assert {k: kept.get(k) for k, _ in sorted(order)} == dict(sorted(order))
        order.sort()  # as they were just asked for
        assert kept.size == sum(s for _, s in order) <= most and len(kept) == len(order)


def test_a_value_is_worked_out_once_until_it_is_forgotten() -> None:
    kept: Remembered[bytes] = Remembered(10, lambda _, v: len(v))
    asked = []

    def work_out() -> bytes:
        asked.append(1)
        return b"123456"

    assert [kept.recall("a", work_out) for _ in range(3)] == [b"123456"] * 3 and len(asked) == 1
    kept.put("b", b"123456")
    assert "a" not in kept and kept.recall("a", work_out) and len(asked) == 2


def _header_only(width: int, height: int) -> str:
    """A PNG that says it is so large and has almost nothing in it."""
    head = struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    parts = [(b"IHDR", head), (b"IDAT", zlib.compress(b"\0" * 10)), (b"IEND", b"")]
    data = b"".join(
        struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body)) for name, body in parts
    )
    return base64.b64encode(b"\x89PNG\r\n\x1a\n" + data).decode()


@pytest.mark.parametrize("size", [(5000, 5000), (12_000, 12_000), (100_000, 100_000), (2_000_000, 9)])
def test_a_picture_that_is_too_large_is_refused_by_its_header(size: tuple[int, int]) -> None:
    with pytest.raises(InputError, match="picture"):
        sources._png(_header_only(*size))
    assert len(sources._pictures) == 0 or sources._pictures.size <= sources._pictures.most


def test_pictures_are_remembered_by_what_they_show() -> None:
    held = io.BytesIO()
    Image.fromarray(np.arange(12, dtype=np.uint8).reshape(3, 4)).save(held, "PNG")
    text = base64.b64encode(held.getvalue()).decode()
    assert sources._png(text) is sources._png("".join(text))
