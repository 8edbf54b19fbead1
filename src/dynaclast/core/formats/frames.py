"""The bake's own files: frames.npz and events.json, as docs/bake-output.md describes them."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..errors import InputError

FORMAT = 1
OWN = (
    "format",
    "time",
    "piece_body",
    "piece_mass",
    "position",
    "orientation",
    "state",
    "body_names",
    "state_names",
    "field_names",
)
"""Arrays of frames.npz that every bake has. All others are over an index space of their own, by name, and are read and
written as they are."""


SHAPES = ("faces/", "lines/")
"""How arrays begin that are the same in all frames."""


@dataclass(frozen=True)
class Baked:
    """A finished bake as arrays.

    time        : (F,) float64, [s]
    position    : (F, P, 3) float32, [m]
    orientation : (F, P, 4) float32, x, y, z, w from the piece's start
    state       : (F, P) uint8
    piece_body  : (P,) int32
    piece_mass  : (P,) float64, [kg]
    stats       : name -> (F,) float64
    maps        : further arrays by name (F, n, ...), over the index spaces solve.frame.Frame says
    field_names : what the bits of "acted" stand for, in order
    shapes      : of bodies that deform, the same in all frames: faces/NAME (F, 3) int32, lines/NAME (G, 2) int32
    """

    time: np.ndarray
    position: np.ndarray
    orientation: np.ndarray
    state: np.ndarray
    piece_body: np.ndarray
    piece_mass: np.ndarray
    body_names: list[str]
    state_names: list[str]
    stats: dict[str, np.ndarray]
    events: list[dict[str, Any]]
    maps: dict[str, np.ndarray] = field(default_factory=dict)
    field_names: list[str] = field(default_factory=list)
    shapes: dict[str, np.ndarray] = field(default_factory=dict)


def write_frames(baked: Baked) -> bytes:
    """frames.npz as bytes: the same frames give the same bytes (fixed order, fixed dates)."""
    arrays: dict[str, np.ndarray] = {
        "format": np.array(FORMAT, np.int32),
        "time": baked.time.astype(np.float64),
        "piece_body": baked.piece_body.astype(np.int32),
        "piece_mass": baked.piece_mass.astype(np.float64),
        "position": baked.position.astype(np.float32),
        "orientation": baked.orientation.astype(np.float32),
        "state": baked.state.astype(np.uint8),
        "body_names": np.array(baked.body_names, dtype=np.str_),
        "state_names": np.array(baked.state_names, dtype=np.str_),
    }
    for name, values in sorted(baked.stats.items()):
        arrays[f"stats/{name}"] = values.astype(np.float64)
    for name, values in sorted((baked.maps | baked.shapes).items()):
        arrays[name] = values
    if baked.field_names:
        arrays["field_names"] = np.array(baked.field_names, dtype=np.str_)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as z:
        for name, array in arrays.items():
            part = io.BytesIO()
            np.lib.format.write_array(part, np.ascontiguousarray(array), allow_pickle=False)
            z.writestr(zipfile.ZipInfo(f"{name}.npy", (1980, 1, 1, 0, 0, 0)), part.getvalue(), zipfile.ZIP_DEFLATED)
    return out.getvalue()


def write_events(events: Sequence[dict[str, Any]]) -> bytes:
    """events.json: one event a line, in order."""
    rows = ",\n".join(json.dumps(e, separators=(", ", ": ")) for e in events)
    return f"[\n{rows}\n]\n".encode() if events else b"[]\n"


def read_baked(frames: bytes, events: bytes) -> Baked:
    """What ``write_frames`` and ``write_events`` wrote. Raises InputError if it is not that."""
    try:
        with np.load(io.BytesIO(frames), allow_pickle=False) as z:
            return Baked(
                z["time"],
                z["position"],
                z["orientation"],
                z["state"],
                z["piece_body"],
                z["piece_mass"],
                [str(x) for x in z["body_names"]],
                [str(x) for x in z["state_names"]],
                {k[6:]: z[k] for k in z.files if k.startswith("stats/")},
                json.loads(events),
                {k: z[k] for k in z.files if k not in OWN and not k.startswith(("stats/", *SHAPES))},
                [str(x) for x in z["field_names"]] if "field_names" in z.files else [],
                {k: z[k] for k in z.files if k.startswith(SHAPES)},
            )
    except (KeyError, ValueError, OSError, zipfile.BadZipFile) as exc:
        raise InputError(f"not a bake this program wrote: {exc}") from None
