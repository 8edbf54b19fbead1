"""Documents and requests that are wrong in a thousand ways: each is answered with a reason, none with a fault."""

from __future__ import annotations

import base64
import copy
import io
import json
import random
import wave
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from flask.testing import FlaskClient
from PIL import Image

DEMO = Path(__file__).parents[2] / "demo"
ODD: list[Any] = [
    None, True, "", "x" * 100, "\0", "../../etc/passwd", -1, 0, 1e308, -1e308, float("nan"), float("inf"), 10**30,
    [], {}, [[]], [None] * 3, {"kind": "nothing"}, {"kind": None}, [1e9, -1e9, 0], "💥", "1; DROP TABLE shots",
]  # fmt: skip
FORMULAS = [
    "(" * 3000 + "x" + ")" * 3000,
    "-" * 4000 + "x",
    "x" + "+x" * 5000,
    "sin(" * 900 + "x" + ")" * 900,
    "x.y",
    "1/0",
]


def _places(value: Any, at: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        yield (*at, key)
        yield from _places(inner, (*at, key))


def mutated(rng: random.Random, whole: Any) -> Any:
    """A document with one to four things in it otherwise: replaced, removed, doubled, renamed."""
    out = copy.deepcopy(whole)
    for _ in range(rng.randint(1, 4)):
        places = list(_places(out))
        if not places:
            return rng.choice(ODD)
        *path, last = rng.choice(places)
        holder = out
        for key in path:
            holder = holder[key]
        match rng.randrange(5):
            case 0:
                holder[last] = copy.deepcopy(rng.choice(ODD))
            case 1:
                del holder[last]
            case 2 if isinstance(holder, list):
                holder.insert(last, copy.deepcopy(holder[last]))
            case 3 if isinstance(holder, dict):
                holder[str(last) + "x"] = holder.pop(last)
            case _:
                holder[last] = rng.choice(FORMULAS) if rng.random() < 0.2 else copy.deepcopy(rng.choice(ODD))
    return out


def _picture() -> bytes:
    held = io.BytesIO()
    Image.linear_gradient("L").resize((9, 7)).save(held, "PNG")
    return held.getvalue()


def _recording() -> bytes:
    held = io.BytesIO()
    with wave.open(held, "wb") as out:
        out.setnchannels(2)
        out.setsampwidth(2)
        out.setframerate(8000)
        out.writeframes(bytes(range(256)) * 40)
    return held.getvalue()


def damaged(rng: random.Random, data: bytes) -> bytes:
    """A file with bytes otherwise, cut off, doubled, or with the numbers of its head made huge."""
    out = bytearray(data)
    for _ in range(rng.randint(1, 6)):
        at = rng.randrange(min(len(out), 60) if rng.random() < 0.6 else len(out))
        match rng.randrange(4):
            case 0:
                out[at] = rng.randrange(256)
            case 1:
                out[at : at + 4] = b"\xff\xff\xff\x7f"
            case 2:
                del out[max(at, 1) :]
            case _:
                out[at:at] = out[at : at + 40]
    return bytes(out)


def with_damaged_file(rng: random.Random) -> dict[str, Any]:
    """A small document with a field that reaches by a damaged picture or recording."""
    kind, key, data = rng.choice([("image", "picture", _picture()), ("sound", "recording", _recording())])
    text = base64.b64encode(damaged(rng, data)).decode()
    if rng.random() < 0.1:
        text = text[:-1] + "*"
    reach = {"layers": [{"shape": {"kind": kind, key: text}}]}
    fields = [{"name": "a", "effect": {"kind": "push"}, "reach": reach, "cue": {"kind": "span", "start": 0.0}}]
    return {"name": "s", "bodies": [{"name": "b", "shape": {"kind": "box", "size": [1, 1, 1]}}], "fields": fields}


def documents() -> list[Any]:
    """The demo shots, with few pieces so that none takes long."""
    out = []
    for path in sorted(DEMO.glob("*.json")):
        whole = json.loads(path.read_text())
        for body in [*whole.get("bodies", []), *(g["body"] for g in whole.get("groups", []))]:
            pattern = body.get("pattern")
            if isinstance(pattern, dict) and "count" in pattern:
                pattern["count"] = 3
        out.append(whole)
    return out


def _a_browser_reads(text: str) -> bool:
    def refuse(number: str) -> None:
        raise ValueError(number)

    try:
        json.loads(text or "{}", parse_constant=refuse)
    except ValueError:
        return False
    return True


def requests(client: FlaskClient, rng: random.Random, count: int, paths: dict[str, Any]) -> list[str]:
    """Send so many wrong requests to every path of the API. Returns those that were answered with a fault."""
    bad = []
    routes = [(path, method) for path, methods in paths.items() for method in methods if "export" not in path]
    wholes = documents()
    for _ in range(count):
        path, method = rng.choice(routes)
        for name in ("shot_id", "take_id", "key", "first"):
            path = path.replace(f"{{{name}}}", rng.choice(["1", "none", "%00", "x" * 200, "-1", "a%2Fb"]))
        body: Any = rng.choice(ODD)
        if rng.random() < 0.7:
            whole = mutated(rng, rng.choice(wholes))
            body = {"document": whole, "base": 1, "label": "x", "frame": rng.choice([0, 5, -1]), "field": None}
            if rng.random() < 0.4 and isinstance(whole, dict) and whole.get("bodies"):
                first = whole["bodies"]
                body = {"body": first[0] if isinstance(first, list) and first else first, "name": "a", "item": {}}
        if rng.random() < 0.15:
            path, method = "/api/survey", "post"
            body = {"document": with_damaged_file(rng), "frame": 0, "field": "a"}
        data = json.dumps(body).encode()
        if rng.random() < 0.1:
            data = data[: rng.randrange(len(data) + 1)] + bytes(rng.randrange(256) for _ in range(3))
        answer = client.open(path, method=method.upper(), data=data, content_type="application/json")
        text = answer.get_data(as_text=True) if answer.mimetype == "application/json" else ""
        if answer.status_code >= 500 or not _a_browser_reads(text) or "Traceback" in text:
            bad.append(f"{method} {path}: {answer.status_code} {text[:300]} <- {data[:300]!r}")
    return bad
