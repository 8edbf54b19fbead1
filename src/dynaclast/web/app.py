"""The application factory."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from flask import Response, jsonify, request, send_from_directory
from flask.json.provider import DefaultJSONProvider
from flask_openapi3 import Info, OpenAPI
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from .. import __version__
from ..core.errors import DocumentError, DynaclastError
from ..core.formats.parts import MOST_BYTES
from ..store.names import Taken
from ..store.shots import Conflict, NotFound
from .bodies import api as bodies
from .conflicts import run_lost_again
from .description import anew, kept
from .guard import Refused, guard
from .library import api as library
from .materials import api as materials
from .schemas import Problem
from .services import provide
from .shots import api as shots
from .takes import api as takes

STATUS: list[tuple[type[DynaclastError], int]] = [(NotFound, 404), (Conflict, 409), (Taken, 409), (DynaclastError, 422)]


def problem(
    status: int, code: str, message: str, where: str = "", problems: list[dict[str, str]] | None = None
) -> tuple[Response, int]:
    return jsonify({"code": code, "message": message, "where": where, "problems": problems or []}), status


def _invalid(exc: ValidationError) -> Response:
    first = exc.errors()[0]
    response, status = problem(422, "request", f"{first['msg']}", ".".join(str(p) for p in first["loc"]))
    response.status_code = status
    return response


class Json(DefaultJSONProvider):
    """JSON as Flask reads and writes it. Text nested too deeply is none, not an error inside the program. Numbers that
    are none can come in, so that documents say where; they never go out.
    """

    sort_keys = False

    def loads(self, s: str | bytes, **kwargs: Any) -> Any:
        try:
            return super().loads(s, **kwargs)
        except RecursionError:
            raise ValueError("nested too deeply") from None

    def dumps(self, obj: Any, **kwargs: Any) -> str:
        return super().dumps(obj, allow_nan=False, **kwargs)


class Described(OpenAPI):
    """An application whose description is valid: parts it does not have are left out of it."""

    @property
    def api_doc(self) -> dict[str, Any]:
        out: dict[str, Any] = super().api_doc
        out["components"] = {key: part for key, part in out.get("components", {}).items() if part is not None}
        return out


def create_app(
    url: str, interface: Path | None = None, names: frozenset[str] = frozenset(), token: str = ""
) -> OpenAPI:
    """The web application on one database.

    interface    : the folder of the built pages
    names, token : as of guard.guard
    """
    app = Described(
        __name__,
        info=Info(title="Dynaclast", version=__version__),
        validation_error_callback=_invalid,
        validation_error_model=Problem,
        static_folder=None,
        doc_ui=anew(),
        doc_prefix="/api/doc",
    )
    app.config["MAX_CONTENT_LENGTH"] = MOST_BYTES + 1_000_000
    app.json = Json(app)
    provide(app, url)
    guard(app, names, token)

    for blueprint in (shots, bodies, materials, library, takes):
        app.register_api(blueprint)
    if not anew():
        app.add_url_rule("/api/doc/openapi.json", "description", kept)
    run_lost_again(app)
    _errors(app)
    if interface is not None:
        _pages(app, interface)
    return app


def _errors(app: OpenAPI) -> None:
    @app.errorhandler(DocumentError)
    def _document(exc: DocumentError) -> Any:
        return problem(422, exc.code, exc.message, exc.where, [{"where": w, "message": m} for w, m in exc.problems])

    @app.errorhandler(DynaclastError)
    def _ours(exc: DynaclastError) -> Any:
        status = next(s for kind, s in STATUS if isinstance(exc, kind))
        return problem(status, exc.code, exc.message, exc.where)

    @app.errorhandler(Refused)
    def _refused(exc: Refused) -> Any:
        return problem(exc.status, "refused", exc.message, request.path)

    @app.errorhandler(413)
    def _large(_exc: HTTPException) -> Any:
        return problem(
            413,
            "input.size",
            f"the file is larger than the limit of {MOST_BYTES // 1_000_000} MB; decimate it before bringing it in",
        )

    @app.errorhandler(HTTPException)
    def _http(exc: HTTPException) -> Any:
        return problem(exc.code or 500, "http", exc.description or exc.name, request.path)

    @app.errorhandler(Exception)
    def _other(exc: Exception) -> Any:
        app.logger.exception("request failed")
        return problem(
            500,
            "internal",
            f"something went wrong inside the program ({type(exc).__name__}); your last saved state is safe. Try again",
            request.path,
        )


def _pages(app: OpenAPI, folder: Path) -> None:
    """The built interface. Plain routes: they are no part of the API's description."""

    def index(_rest: str = "") -> Response:
        response = send_from_directory(folder, "index.html")
        response.headers["Cache-Control"] = "no-cache"
        return response

    def asset(name: str) -> Response:
        return send_from_directory(folder / "assets", name, max_age=31_536_000)

    def mark() -> Response:
        return send_from_directory(folder, "mark.svg")

    app.add_url_rule("/", "index", index)
    app.add_url_rule("/shot/<path:_rest>", "shot", index)
    app.add_url_rule("/assets/<path:name>", "asset", asset)
    app.add_url_rule("/mark.svg", "mark", mark)
