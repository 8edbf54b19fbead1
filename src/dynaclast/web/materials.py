"""Materials: the presets that ship, and those the artist saved."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from ..core.document.presets import PRESETS as MATTERS
from ..core.materials import PRESETS, Preset
from ..store import materials
from .description import routes
from .schemas import Done, MaterialList, MaterialQuery, PutQuery
from .services import services

api = routes("materials", __name__)


@api.get("/materials", responses={"200": MaterialList})
def list_materials() -> dict[str, Any]:
    with services().store.session() as session:
        saved = materials.listing(session)
    return {
        "presets": [p.model_dump(mode="json") for p in PRESETS],
        "saved": [p.model_dump(mode="json") for p in saved],
        "matters": [{"name": name, **asdict(p)} for name, p in MATTERS.items()],
    }


@api.put("/materials", responses={"200": Done})
def save_material(body: Preset, query: PutQuery) -> dict[str, Any]:
    """Save a material under its name; 409 where one has it, unless it is to be replaced."""
    with services().store.session() as session:
        materials.save(session, body, query.replace)
    return {"ok": True}


@api.delete("/materials", responses={"200": Done})
def delete_material(query: MaterialQuery) -> dict[str, Any]:
    with services().store.session() as session:
        materials.remove(session, query.name)
    return {"ok": True}
