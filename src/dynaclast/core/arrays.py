"""Arrays and named tuples of arrays.

A named tuple of columns is its own table: each field says the type and the shape of one entry, and ``allocate`` makes
as many as are asked for.

    class Bodies(NamedTuple):
        position: Vec3
        alive: Flag

    allocate(Bodies, 10)  # position (10, 3) float64, alive (10,) uint8
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from types import MappingProxyType
from typing import TYPE_CHECKING, Annotated, Any, NamedTuple, TypeAlias, TypeVar, get_type_hints

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Reals = NDArray[np.floating[Any]]
Index = NDArray[np.integer[Any]]
Flags = NDArray[np.uint8]
Mask = NDArray[np.bool_]

T = TypeVar("T", bound=tuple[Any, ...])


class Entry(NamedTuple):
    """What one entry of a column is."""

    dtype: type
    shape: tuple[int, ...] = ()


if TYPE_CHECKING:
    Scalar: TypeAlias = Array
    Vec2: TypeAlias = Array
    Vec3: TypeAlias = Array
    Vec4: TypeAlias = Array
    Vec6: TypeAlias = Array
    Vec8: TypeAlias = Array
    Vec9: TypeAlias = Array
    Mat3: TypeAlias = Array
    Mat2x3: TypeAlias = Array
    Mat4x3: TypeAlias = Array
    Mat4x12: TypeAlias = Array
    Mat2x12: TypeAlias = Array
    Int: TypeAlias = Index
    Int2: TypeAlias = Index
    Int8: TypeAlias = Index
    Long: TypeAlias = Index
    Flag: TypeAlias = Flags
else:

    def _of(dtype: type, *shape: int) -> Any:
        return Annotated[np.ndarray, Entry(dtype, shape)]

    Scalar = _of(np.float64)
    Vec2, Vec3, Vec4, Vec6, Vec8, Vec9 = (_of(np.float64, n) for n in (2, 3, 4, 6, 8, 9))
    Mat3, Mat2x3, Mat4x3 = (_of(np.float64, *s) for s in ((3, 3), (2, 3), (4, 3)))
    Mat4x12, Mat2x12 = (_of(np.float64, *s) for s in ((4, 12), (2, 12)))
    Int, Int2, Int8, Long = _of(np.int32), _of(np.int32, 2), _of(np.int32, 8), _of(np.int64)
    Flag = _of(np.uint8)


@cache
def entries(kind: type) -> Mapping[str, Entry]:
    """The fields of a tuple of columns, and what one entry of each is."""
    hints = get_type_hints(kind, include_extras=True)
    return MappingProxyType({name: hint.__metadata__[0] for name, hint in hints.items()})


def sums(values: Array, of: Index, count: int) -> Array:
    """Sums of values (n,) or (n, k) by the number (n,) that each belongs to: (count,) or (count, k)."""
    if values.ndim == 1:
        return np.bincount(of, values, count).astype(float)
    return np.stack([np.bincount(of, values[:, c], count) for c in range(values.shape[1])], axis=1).astype(float)


def means(values: Array, of: Index, count: int) -> Array:
    """The same of means; 0 where there is none."""
    many = np.maximum(np.bincount(of, minlength=count), 1)
    return np.asarray(sums(values, of, count) / (many if values.ndim == 1 else many[:, None]))


def cross(a: Reals, b: Reals) -> Array:
    """Cross products of rows (..., 3): those of ``np.cross`` to the bit, which takes twice as long."""
    x, y, z = a[..., 0], a[..., 1], a[..., 2]
    u, v, w = b[..., 0], b[..., 1], b[..., 2]
    out = np.empty(np.broadcast_shapes(a.shape, b.shape))
    out[..., 0] = y * w - z * v
    out[..., 1] = z * u - x * w
    out[..., 2] = x * v - y * u
    return out


def lengths(rows: Reals) -> Array:
    """Lengths (...) of rows (..., k): those of ``np.linalg.norm`` to the bit, which takes two to five times as long."""
    square = rows[..., 0] * rows[..., 0]
    for c in range(1, rows.shape[-1]):
        square += rows[..., c] * rows[..., c]
    return np.asarray(np.sqrt(square))


def allocate(kind: type[T], count: int) -> T:
    """Columns of ``count`` entries, all zero."""
    return kind(*(np.zeros((count, *e.shape), e.dtype) for e in entries(kind).values()))
