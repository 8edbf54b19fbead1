"""Names are exact, and nothing is overwritten unasked."""

from __future__ import annotations

import pytest

from dynaclast.core.materials import PRESETS
from dynaclast.store import library, materials, shots
from dynaclast.store.database import Store
from dynaclast.store.names import Taken
from dynaclast.store.shots import NotFound

ALIKE = ["Straße", "STRASSE", "Strasse", "strasse", "Strasse ", "Stra\u00dfe\u0301", "a/b", "a/B", "..", "ａ/b"]


def test_materials_whose_names_are_nearly_the_same_are_kept_beside_each_other(store: Store) -> None:
    for k, name in enumerate(ALIKE):
        preset = PRESETS[0].model_copy(update={"name": name})
        preset = preset.model_copy(update={"material": preset.material.model_copy(update={"density": 1000.0 + k})})
        with store.session() as session:
            materials.save(session, preset)
    with store.session() as session:
        kept = {p.name: p.material.density for p in materials.listing(session)}
    assert {name: kept[name] for name in ALIKE} == {name: 1000.0 + k for k, name in enumerate(ALIKE)}
    for name in ALIKE:
        with store.session() as session:
            materials.remove(session, name)
            assert name not in {p.name for p in materials.listing(session)}
            with pytest.raises(NotFound):
                materials.remove(session, name)


def test_what_has_the_name_is_replaced_only_when_that_is_said(store: Store) -> None:
    with store.session() as session:
        library.save(session, "field", "gale", {"a": 1})
    with pytest.raises(Taken, match="'gale' is there already"), store.session() as session:
        library.save(session, "field", "gale", {"a": 2})
    with store.session() as session:
        library.save(session, "falloff", "gale", {"a": 3})  # another kind, another name
        library.save(session, "field", "gale", {"a": 4}, replace=True)
        found = {row.kind: row.item for row in library.listing(session) if row.name == "gale"}
    assert found == {"field": {"a": 4}, "falloff": {"a": 3}}
    with store.session() as session:
        for kind in found:
            library.remove(session, kind, "gale")


def test_a_shot_is_asked_for_by_its_very_id(store: Store) -> None:
    from shots import box, shot

    with store.session() as session:
        made = shots.create(session, shot(box("a", (0, 1, 0))))
    other = made.id.upper() if made.id != made.id.upper() else made.id + " "
    with pytest.raises(NotFound), store.session() as session:
        shots.get(session, other)
