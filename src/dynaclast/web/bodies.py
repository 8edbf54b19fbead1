"""Bodies: meshes in, pieces out, and what fields reach."""

from __future__ import annotations

import time
from typing import Any

import numpy as np
from flask import Response, request
from pydantic import ValidationError

from ..core import document
from ..core.document import Body, Shot
from ..core.errors import DocumentError, DynaclastError, InputError
from ..core.fracture.bonds import bond_strengths
from ..core.fracture.build import raw_mesh
from ..core.fracture.deforming import mass_of
from ..core.fracture.display import drawn
from ..core.fracture.pieces import Pieces, as_it_is
from ..core.geometry.check import report
from ..core.geometry.steps import mending
from ..core.layout import members, with_shared
from ..core.preflight.loads import weight_loads
from ..core.preflight.seams import lattice_edges, seams_seen
from ..core.solve.collision import outlines
from ..jobs.builds import Build
from ..jobs.picture import draw_mesh
from ..jobs.settlings import Settling
from ..jobs.survey import AT_ONCE, drawing_name
from ..store.assets import as_arrays, keep_mesh
from ..store.blobs import pack
from ..store.shots import NotFound
from .description import routes
from .schemas import (
    AssetsOut,
    BodiesIn,
    BodyIn,
    BuildOut,
    BuildsOut,
    Done,
    KeysIn,
    LoadsIn,
    MembersIn,
    MendOut,
    PiecesPath,
    ReportOut,
    SettleIn,
    SettlingOut,
    SettlingPath,
    SurveyIn,
    SurveyOut,
)
from .services import services

api = routes("bodies", __name__, conflicts=False)


def _body(data: dict[str, Any]) -> Body:
    try:
        return Body.model_validate(data)
    except ValidationError as exc:
        raise DocumentError([(document.place_of(e["loc"]), document.sentence_of(e)) for e in exc.errors()]) from None


@api.post("/assets", responses={"200": AssetsOut})
def bring_in() -> dict[str, Any]:
    """Bring in a mesh file (multipart field ``file``; optional ``scale``, metres per unit). Every mesh in it is kept as
    it came.
    """
    upload = request.files.get("file")
    if upload is None or not upload.filename:
        raise InputError("no file came with the request")
    scale = None
    if request.form.get("scale"):
        try:
            scale = float(request.form["scale"])
        except ValueError:
            raise InputError("scale must be a number of metres per unit", where="scale") from None
        if not 0 < scale <= 1e6:
            raise InputError(f"scale must be above 0, got {scale}", where="scale")
    upload.stream.seek(0)  # a request that runs again reads from the start
    found = services().reader.read(upload.read(), upload.filename, scale)
    parts = []
    with services().store.session() as session:
        for part in found.parts:
            row = keep_mesh(session, part.mesh, part.name, found.notes, part.uv)
            defects = report(part.mesh)
            parts.append(
                {
                    "asset": row.id,
                    "name": part.name,
                    "triangles": row.triangles,
                    "size": np.ptp(part.mesh.vertices, axis=0).tolist(),
                    "position": part.position,
                    "rotation": part.rotation,
                    "color": part.color,
                    "low": float(
                        part.mesh.moved(np.ones(3), np.array(part.rotation), np.array(part.position))
                        .vertices[:, 1]
                        .min()
                    ),
                    "defects": [d.kind for d in defects],
                }
            )
    return {"name": upload.filename, "parts": parts, "notes": found.notes}


@api.post("/report", responses={"200": ReportOut})
def report_body(body: BodyIn) -> dict[str, Any]:
    """What is wrong with a body's mesh after its steps, and what would mend it; places in the body's own scaled
    frame.
    """
    told: list[str] = []
    mesh = raw_mesh(_body(body.body), services().cache.resolve, told)
    return {
        "steps": told,
        "triangles": len(mesh.faces),
        "size": np.ptp(mesh.vertices, axis=0).tolist() if len(mesh.vertices) else [0, 0, 0],
        "defects": [
            {
                "kind": d.kind,
                "count": d.count,
                "sentence": d.sentence,
                "mends": d.mends,
                "marks": np.round(d.marks, 6).reshape(-1, 6).tolist(),
            }
            for d in report(mesh)
        ],
    }


@api.post("/mend", responses={"200": MendOut})
def mend_body(body: BodyIn) -> dict[str, Any]:
    """The steps that mend a body's mesh, picked and put in order."""
    found = mending(raw_mesh(_body(body.body), services().cache.resolve))
    return {"steps": None if found is None else [step.model_dump(mode="json") for step in found[0]]}


@api.post("/picture")
def picture_body(body: BodyIn) -> Response:
    """A small picture (PNG) of a body's mesh after its steps, usable or not."""
    mesh = raw_mesh(_body(body.body), services().cache.resolve)
    return Response(draw_mesh(mesh.vertices[mesh.faces]), mimetype="image/png")


@api.post("/mesh")
def get_mesh(body: BodyIn) -> Response:
    """A body's mesh after its steps as it is, usable or not, in the form of pieces (one, all skin). Packed arrays."""
    return Response(
        pack(as_arrays(as_it_is(raw_mesh(_body(body.body), services().cache.resolve)))),
        mimetype="application/octet-stream",
    )


@api.post("/build", responses={"200": BuildOut})
def build_body(body: BodyIn) -> dict[str, Any]:
    """Build a body's pieces; gives its figures and the key to fetch them by, or how far the build is: then ask
    again.
    """
    one = _body(body.body)
    got = services().surveyor.ask(one)
    if isinstance(got, Build):
        return {"built": None, "share": got.share, "left": got.left}
    return {"built": _figures(one, got), "share": 1.0, "left": 0.0}


@api.post("/builds", responses={"200": BuildsOut})
def build_bodies(body: BodiesIn) -> dict[str, Any]:
    """As /build, of many bodies; what is wrong with one is said in its place."""
    until, out = time.monotonic() + AT_ONCE, []
    for data in body.bodies:
        try:
            one = _body(data)
            got = services().surveyor.ask(one, max(0.0, until - time.monotonic()))
        except DynaclastError as exc:
            problem = {"code": exc.code, "message": exc.message, "where": exc.where}
            out.append({"built": None, "share": 0.0, "left": None, "error": problem})
            continue
        built = None if isinstance(got, Build) else _figures(one, got)
        share, left = (got.share, got.left) if isinstance(got, Build) else (1.0, 0.0)
        out.append({"built": built, "share": share, "left": left, "error": None})
    return {"builds": out}


@api.post("/build/cancel", responses={"200": Done})
def cancel_build(body: BodyIn) -> dict[str, Any]:
    """Stop a build under way."""
    return {"ok": services().builds.cancel(_body(body.body))}


@api.post("/settle", responses={"200": SettlingOut})
def settle_bodies(body: SettleIn) -> dict[str, Any]:
    """Let bodies that deform come to rest while all else stands; gives a number to ask by, with /settle/NUMBER."""
    shot = document.parse(body.document)
    return _settling(services().settlings.begin(shot, body.bodies, body.with_fields))


@api.get("/settle/<string:key>", responses={"200": SettlingOut})
def ask_settling(path: SettlingPath) -> dict[str, Any]:
    """How far it is, or once, the opening shapes it ended with."""
    return _settling(services().settlings.ask(path.key))


@api.post("/settle/<string:key>/cancel", responses={"200": Done})
def cancel_settling(path: SettlingPath) -> dict[str, Any]:
    """Stop it; everything opens as before."""
    return {"ok": services().settlings.cancel(path.key)}


def _settling(one: Settling) -> dict[str, Any]:
    got = one.result
    return {
        "key": one.id,
        "share": one.share,
        "left": one.left,
        "openings": None if got is None else {name: o.model_dump(mode="json") for name, o in got.openings.items()},
        "ties": {} if got is None else {name: point.round(5).tolist() for name, point in got.ties.items()},
        "loads": {} if got is None else {n: (load / 1000).round(6).tolist() for n, load in got.loads.items()},
        "seconds": None if got is None else got.seconds,
        "rests": got is not None and got.rests,
    }


def _figures(one: Body, pieces: Pieces) -> dict[str, Any]:
    if one.deforms:
        return _surface_figures(one)
    strength = bond_strengths(one, pieces) if one.bonds is not None else np.zeros(0)
    tiers = (
        [
            {
                "tier": int(t),
                "bonds": int((pieces.bond_tier == t).sum()),
                "strength": _range(strength[pieces.bond_tier == t] / 1000),
            }
            for t in np.unique(pieces.bond_tier)
        ]
        if len(strength)
        else []
    )
    density = one.material.density_for(float(pieces.volume.sum()))
    uncut = strength[strength > 0] / 1000
    low, high = _range(uncut)
    smallest, largest = _range(pieces.volume * density)
    return {
        "name": one.name,
        "key": drawing_name(one),
        "pieces": pieces.count,
        "bonds": len(strength),
        "triangles": len(pieces.faces),
        "vertices": 0,
        "size": np.ptp(pieces.vertices, axis=0).tolist() if pieces.count else [0.0, 0.0, 0.0],
        "mass": float(pieces.volume.sum() * density),
        "density": density,
        "smallest": smallest,
        "largest": largest,
        "strength_low": low,
        "strength_high": high,
        "strength_total": float(uncut.sum()),
        "tiers": tiers,
    }


def _surface_figures(one: Body) -> dict[str, Any]:
    """Of a body that deforms, which has no pieces: of the whole."""
    surface = services().surveyor.surface(one)
    none = {
        "pieces": surface.parts,
        "bonds": 0,
        "smallest": 0.0,
        "largest": 0.0,
        "density": one.material.density,
        "tiers": [],
    }
    strength = {"strength_low": 0.0, "strength_high": 0.0, "strength_total": 0.0}
    return (
        none
        | strength
        | {
            "name": one.name,
            "key": drawing_name(one),
            "triangles": len(surface.faces),
            "vertices": len(surface.vertices),
            "size": np.ptp(surface.vertices, axis=0).tolist(),
            "mass": mass_of(one, surface),
        }
    )


def _drawing(body: Body) -> dict[str, np.ndarray]:
    """What the view needs of a body: its pieces as they are drawn, or the surface of one that deforms."""
    surveyor = services().surveyor
    arrays = as_arrays(drawn(body, surveyor.built(body)))
    if not body.deforms:
        return arrays
    surface = surveyor.surface(body)
    arrays |= {
        "vertices": surface.start.astype(np.float32),
        "rest": surface.vertices.astype(np.float32),
        "faces": surface.faces.astype(np.uint32),
        "lines": surface.lines.astype(np.uint32),
    }
    if surface.pieces is not None:
        arrays |= {
            "part": surface.piece,
            "part_volume": surface.pieces.volume.astype(np.float32),
            "part_center": surface.pieces.center.astype(np.float32),
            "part_path": surface.pieces.path,
        }
    return arrays


def _range(values: np.ndarray) -> tuple[float, float]:
    return (float(values.min()), float(values.max())) if len(values) else (0.0, 0.0)


@api.get("/pieces/<string:key>")
def get_pieces(path: PiecesPath) -> Response:
    """A body's pieces as drawn, as packed arrays (store.blobs); known after /build or a take."""
    body = services().surveyor.body_of(path.key)
    response = Response(pack(_drawing(body)), mimetype="application/octet-stream")
    response.headers["Cache-Control"] = "private, max-age=86400"
    return response


@api.post("/pieces")
def get_many_pieces(body: KeysIn) -> Response:
    """As /pieces/KEY, of many: arrays of the first are named 0/..., of the second 1/... Packed arrays."""
    arrays: dict[str, np.ndarray] = {}
    for k, key in enumerate(body.keys):
        found = _drawing(services().surveyor.body_of(key))
        arrays |= {f"{k}/{name}": value for name, value in found.items()}
    return Response(pack(arrays), mimetype="application/octet-stream")


@api.post("/bonds")
def get_bonds(body: BodyIn) -> Response:
    """Strength (B,) [kN] of a body's bonds, in the order of its pieces' bonds; 0 for bonds cut by hand. Packed
    arrays.
    """
    one = _body(body.body)
    pieces = services().surveyor.built(one)
    return Response(
        pack({"strength": (bond_strengths(one, pieces) / 1000).astype(np.float32)}), mimetype="application/octet-stream"
    )


@api.post("/seams")
def get_seams(body: LoadsIn) -> Response:
    """The seams of a body that deforms, of a document: pieces (Q, 2), strength (Q,) [kN], size (Q,) [m or m2], lines
    along them (L, 2) between drawn vertices, and the seam of each (L,). Packed arrays.
    """
    shot = with_shared(document.parse(body.document))
    one = _named(shot, body.name)
    seen = seams_seen(shot, one, services().cache.resolve)
    arrays = {
        "piece": seen.piece.astype(np.int32),
        "strength": (seen.strength / 1000).astype(np.float32),
        "size": seen.size.astype(np.float32),
        "line": seen.line,
        "of": seen.of,
    }
    return Response(pack(arrays), mimetype="application/octet-stream")


def _named(shot: Shot, name: str) -> Body:
    """A body of a shot, or that which a group's members are copies of. Raises NotFound."""
    groups = [g.body.model_copy(update={"name": g.name}) for g in shot.groups]
    found = next((b for b in [*shot.bodies, *groups] if b.name == name), None)
    if found is None:
        raise NotFound(f"there is no body '{name}'", where=name)
    return found


@api.post("/loads")
def get_loads(body: LoadsIn) -> Response:
    """Load by own weight and strength (B,) [kN] of a body's bonds at the start, in the order of its pieces' bonds.
    Packed arrays.
    """
    shot = with_shared(document.parse(body.document))
    thing = _named(shot, body.name)
    pieces = services().surveyor.built(thing)
    load, strength = weight_loads(shot.model_copy(update={"bodies": [thing], "groups": []}), [pieces], 0)
    return Response(
        pack({"load": (load / 1000).astype(np.float32), "strength": (strength / 1000).astype(np.float32)}),
        mimetype="application/octet-stream",
    )


@api.post("/collision")
def get_collision(body: BodyIn) -> Response:
    """What a body's pieces collide as: edges (N, 6) from point to point in the body's own scaled frame, relative to the
    centre of the piece each belongs to (N,), and how many shapes there are (1,). Of a soft body its lattice, whose
    edges belong to no piece (-1). Packed arrays.
    """
    one = _body(body.body)
    if one.matter.kind == "soft":
        edges, cubes = lattice_edges(one, services().cache.resolve)
        arrays = {
            "edges": edges.reshape(-1, 6).astype(np.float32),
            "piece": np.full(len(edges), -1, np.int32),
            "shapes": np.array([cubes], np.int32),
        }
        return Response(pack(arrays), mimetype="application/octet-stream")
    one = one.model_copy(update={"place": one.place.model_copy(update={"rotation": (0.0, 0.0, 0.0, 1.0)})})
    pieces = services().surveyor.built(one)
    hulls, owner = services().hulls.of(one, pieces)
    lines = [outlines([h]) for h in hulls]  # none of cloth and ropes
    arrays = {
        "edges": np.concatenate([np.zeros((0, 6)), *lines]).astype(np.float32),
        "piece": np.repeat(np.array(owner, np.int32), [len(x) for x in lines]),
        "shapes": np.array([len(hulls)], np.int32),
    }
    return Response(pack(arrays), mimetype="application/octet-stream")


@api.post("/members")
def get_members(body: MembersIn) -> Response:
    """Where a group's members stand: position (N, 3) [m], rotation (N, 4), factor (N,). Packed arrays."""
    shot = with_shared(document.parse(body.document))
    group = next((g for g in shot.groups if g.name == body.group), None)
    if group is None:
        raise NotFound(f"there is no group '{body.group}'", where=body.group)
    made = members(group, shot, services().cache.resolve)
    arrays = {
        "position": np.array([m.place.position for m in made], np.float32).reshape(-1, 3),
        "rotation": np.array([m.place.rotation for m in made], np.float32).reshape(-1, 4),
        "factor": np.array([m.factor for m in made], np.float32),
    }
    return Response(pack(arrays), mimetype="application/octet-stream")


@api.post("/survey", responses={"200": SurveyOut})
def survey(body: SurveyIn) -> dict[str, Any]:
    """Reach grid, preflight and per-piece reach of a document at a frame, edited or not; arrows of one field. Bodies
    still being built are left out, and a field whose falloff cannot be worked out says so instead of reaching anything.
    """
    return services().surveyor.survey(document.parse(body.document), body.frame, body.field, body.weighs, body.shows)
