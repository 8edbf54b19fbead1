"""The library: fields and falloffs kept for other shots."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from ..core import document
from ..core.document import FieldItem, SharedFalloff
from ..core.errors import DocumentError
from ..store import library
from .description import routes
from .schemas import Done, LibraryItem, LibraryList, LibraryQuery, PutQuery
from .services import services

api = routes("library", __name__)

IS: dict[str, type[FieldItem | SharedFalloff]] = {"field": FieldItem, "falloff": SharedFalloff}


@api.get("/library", responses={"200": LibraryList})
def list_library() -> dict[str, Any]:
    with services().store.session() as session:
        return {"items": [{"kind": row.kind, "name": row.name, "item": row.item} for row in library.listing(session)]}


@api.put("/library", responses={"200": Done})
def keep_in_library(body: LibraryItem, query: PutQuery) -> dict[str, Any]:
    """Keep a field or falloff under its name; 409 where one has it, unless it is to be replaced."""
    try:
        whole = IS[body.kind].model_validate(body.item)
    except ValidationError as exc:
        raise DocumentError([(document.place_of(e["loc"]), document.sentence_of(e)) for e in exc.errors()]) from None
    with services().store.session() as session:
        library.save(session, body.kind, body.name, whole.model_dump(mode="json", exclude_none=True), query.replace)
    return {"ok": True}


@api.delete("/library", responses={"200": Done})
def drop_from_library(query: LibraryQuery) -> dict[str, Any]:
    with services().store.session() as session:
        library.remove(session, query.kind, query.name)
    return {"ok": True}
