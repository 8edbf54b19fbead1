"""Material presets: density, friction, bounce, bond strength and look together. docs/materials.md names the sources."""

from __future__ import annotations

from .document import Bonds, Look, Material, Part
from .document.base import Name


class Preset(Part):
    """A named material: what it sets on a body, and the strength of bonds in it."""

    name: Name
    material: Material
    bonds: Bonds


def _preset(
    name: str,
    density: float,
    friction: float,
    bounce: float,
    strength: float,
    color: str,
    roughness: float,
    opacity: float = 1.0,
) -> Preset:
    look = Look(color=color, roughness=roughness, opacity=opacity)
    return Preset(
        name=name,
        material=Material(preset=name, density=density, friction=friction, bounce=bounce, look=look),
        bonds=Bonds(strength=strength),
    )


PRESETS: list[Preset] = [
    _preset("stone", 2650, 0.65, 0.10, 5000, "#a9a699", 0.90),
    _preset("brick", 1900, 0.60, 0.08, 300, "#a2614a", 0.92),
    _preset("concrete", 2400, 0.60, 0.10, 2900, "#b3b2ac", 0.90),
    _preset("wood", 420, 0.45, 0.25, 4000, "#a67c4f", 0.75),
    _preset("glass", 2500, 0.40, 0.20, 45000, "#9fc4c0", 0.12, 0.35),
    _preset("ice", 917, 0.05, 0.15, 1400, "#cfe4ea", 0.20, 0.8),
    _preset("steel", 7850, 0.50, 0.45, 235000, "#7d868c", 0.35),
    _preset("rubber", 925, 0.90, 0.75, 25000, "#2f3234", 0.80),
    _preset("canvas", 550, 0.50, 0.05, 20000, "#cdbf9c", 0.95),
    _preset("hemp", 900, 0.55, 0.05, 60000, "#b49a63", 0.95),
]
