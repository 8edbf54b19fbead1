"""Bodies: meshes in, pieces out, and what fields reach."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np
from flask import Response, request
from flask_openapi3 import APIBlueprint, Tag
from pydantic import ValidationError

from ..core import document
from ..core.document import Body
from ..core.errors import DocumentError, GeometryError, InputError
from ..core.falloff import value
from ..core.formats.meshes import read_mesh
from ..core.fracture.build import content_key
from ..core.fracture.pieces import Pieces
from ..core.geometry.check import solid
from ..core.preflight import preflight
from ..core.preflight.checks import Finding
from ..core.preflight.reach import crossings, placed_centers
from ..store.assets import as_arrays, keep_mesh
from ..store.blobs import pack
from ..store.shots import NotFound
from .app import services
from .schemas import AssetOut, BuildIn, BuiltBody, DocumentIn, PiecesPath, Problem, SurveyOut

api = APIBlueprint("bodies", __name__, url_prefix="/api", abp_tags=[Tag(name="bodies")], abp_responses={"404": Problem, "422": Problem})

_seen: dict[str, Body] = {}
"""Bodies by content key, as last built: what GET /pieces/<key> is about."""


def built(body: Body) -> Pieces:
    """The body's pieces; one build at a time, so that two clicks do not compute the same thing twice."""
    with services().building:
        pieces = services().cache.get(body)
        _seen[content_key(body)] = body
        while len(_seen) > 400:
            _seen.pop(next(iter(_seen)))
        return pieces


@api.post("/assets", responses={"200": AssetOut})
def bring_in() -> dict[str, Any]:
    """Bring in a mesh file (multipart field ``file``; optional ``scale``, metres per unit)."""
    upload = request.files.get("file")
    if upload is None or not upload.filename:
        raise InputError("no file came with the request")
    try:
        scale = float(request.form.get("scale", "1"))
    except ValueError:
        raise InputError("scale must be a number of metres per unit", where="scale") from None
    if not 0 < scale <= 1e6:
        raise InputError(f"scale must be above 0, got {scale}", where="scale")
    name = upload.filename
    mesh, notes = solid(read_mesh(upload.read(), name, scale), name)
    with services().store.session() as session:
        row = keep_mesh(session, mesh, name, notes)
        return {"asset": row.id, "name": name, "triangles": row.triangles, "size": np.ptp(mesh.vertices, axis=0).tolist(), "notes": notes}


@api.post("/build", responses={"200": BuiltBody})
def build_body(body: BuildIn) -> dict[str, Any]:
    """Build a body's pieces; give its figures and the key to fetch them by."""
    try:
        one = Body.model_validate(body.body)
    except ValidationError as exc:
        raise DocumentError([(".".join(str(p) for p in e["loc"]), e["msg"]) for e in exc.errors()]) from None
    pieces = built(one)
    strength = np.zeros(0)
    if one.bonds is not None and len(pieces.bond_area):
        strength = one.bonds.strength * (pieces.bond_area if one.bonds.unit == "kN/m2" else np.ones(len(pieces.bond_area)))
    return {
        "name": one.name, "key": content_key(one), "pieces": pieces.count, "bonds": len(strength), "triangles": len(pieces.faces),
        "size": np.ptp(pieces.vertices, axis=0).tolist(), "mass": float(pieces.volume.sum() * one.material.density),
        "smallest": float(pieces.volume.min() * one.material.density), "largest": float(pieces.volume.max() * one.material.density),
        "strength_low": float(strength.min(initial=np.inf)) if len(strength) else 0.0, "strength_high": float(strength.max(initial=0.0)),
        "strength_total": float(strength.sum()),
    }


@api.get("/pieces/<string:key>")
def get_pieces(path: PiecesPath) -> Response:
    """A body's pieces as packed arrays (store.blobs); known after /build or a take."""
    body = _seen.get(path.key)
    if body is None:
        raise NotFound("these pieces are not built yet; ask /build first", where=path.key)
    response = Response(pack(as_arrays(built(body))), mimetype="application/octet-stream")
    response.headers["Cache-Control"] = "private, max-age=86400"
    return response


@api.post("/survey", responses={"200": SurveyOut})
def survey(body: DocumentIn) -> dict[str, Any]:
    """Reach grid, preflight and per-piece reach of a document, edited or not."""
    shot = document.parse(body.document)
    pieces: list[Pieces] = []
    bad: list[Finding] = []
    good = shot.model_copy(deep=True)
    good.bodies = []
    for one in shot.bodies:
        try:
            pieces.append(built(one))
            good.bodies.append(one)
        except (GeometryError, InputError) as exc:
            bad.append(Finding("unusable", "stop", "build", one.name, exc.message[:1].upper() + exc.message[1:] + ".", "Mend or replace its mesh"))
    values = {}
    for item in good.fields:
        parts = [value(item.reach, placed_centers(good, pieces, k)[0]) for k in range(len(pieces))]
        values[item.name] = np.concatenate(parts).round(3).tolist() if parts else []
    findings = bad + (preflight(good, pieces) if good.bodies or not bad else [])
    return {"crossings": [asdict(c) for c in crossings(good, pieces)], "findings": [asdict(f) for f in findings], "values": values}
