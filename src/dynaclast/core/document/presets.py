"""What cloth, soft bodies and ropes are made of: numbers for materials that people know, each with its source.

Sheets are given per area: stretch is Young's modulus times thickness, bending is E t^3 / 12 (1 - nu^2) where the sheet
is solid, and what was measured where it is woven. What tears costs more, so that a preset does not say whether it does;
at which load is here: of a strip, strength times thickness.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

PresetName = Literal["canvas", "silk", "leather", "paper", "sheet metal", "rubber", "gel", "hemp", "steel cable"]

ASHBY = "Ashby 2011, Materials Selection in Mechanical Design, 4th ed., appendix A (middle of the range)"
KAWABATA = "Kawabata 1980, The Standardization and Analysis of Hand Evaluation (bending, shear)"
ROPES = "McKenna, Hearle and O'Hear 2004, Handbook of Fibre Rope Technology"


@dataclass(frozen=True)
class Preset:
    """One material.

    density  : [kg/m3]; friction : Coulomb's coefficient
    matter   : by kind (cloth, soft, rope), the numbers it gives
    strength : by kind, at which it tears [kN/m], or breaks [kN], if it is to
    """

    density: float
    friction: float
    source: str
    matter: dict[str, dict[str, Any]] = field(default_factory=dict)
    strength: dict[str, float] = field(default_factory=dict)


PRESETS: dict[str, Preset] = {
    "canvas": Preset(
        500.0,
        0.5,
        f"cotton duck of 340 g/m2; {KAWABATA}; strip strength as ISO 13934-1 tests give for such cloth",
        {
            "cloth": {
                "weight": 0.34,
                "thickness": 0.0007,
                "stretch": 50.0,
                "shear": 5.0,
                "bending": 1e-4,
                "damping": 0.005,
            }
        },
        {"cloth": 20.0},
    ),
    "silk": Preset(
        500.0,
        0.3,
        f"habotai of 45 g/m2; {KAWABATA}",
        {
            "cloth": {
                "weight": 0.045,
                "thickness": 0.0001,
                "stretch": 20.0,
                "shear": 0.5,
                "bending": 3e-6,
                "damping": 0.002,
            }
        },
        {"cloth": 8.0},
    ),
    "leather": Preset(
        930.0,
        0.6,
        f"2 mm, E 0.3 GPa, strength 23 MPa; {ASHBY}",
        {
            "cloth": {
                "weight": 1.86,
                "thickness": 0.002,
                "stretch": 600.0,
                "shear": 200.0,
                "bending": 0.22,
                "damping": 0.01,
            }
        },
        {"cloth": 46.0},
    ),
    "paper": Preset(
        700.0,
        0.4,
        f"80 g/m2, 0.11 mm, E 5 GPa, strength 35 MPa; {ASHBY}",
        {
            "cloth": {
                "weight": 0.08,
                "thickness": 0.00011,
                "stretch": 550.0,
                "shear": 200.0,
                "bending": 6e-4,
                "damping": 0.002,
            }
        },
        {"cloth": 3.9},
    ),
    "sheet metal": Preset(
        7850.0,
        0.4,
        f"mild steel of 0.5 mm, E 210 GPa, nu 0.29, strength 400 MPa; {ASHBY}",
        {
            "cloth": {
                "weight": 3.9,
                "thickness": 0.0005,
                "stretch": 105000.0,
                "shear": 40000.0,
                "bending": 2.4,
                "damping": 0.0005,
            }
        },
        {"cloth": 200.0},
    ),
    "rubber": Preset(
        930.0,
        0.9,
        f"natural rubber, E 2 MPa, nearly keeps its volume, strength 25 MPa; {ASHBY}",
        {
            "cloth": {
                "weight": 0.93,
                "thickness": 0.001,
                "stretch": 2.0,
                "shear": 0.67,
                "bending": 2.2e-4,
                "damping": 0.01,
            },
            "soft": {"young": 2000.0, "poisson": 0.48, "damping": 0.01},
            "rope": {"radius": 0.01, "young": 2000.0, "damping": 0.01},
        },
        {"cloth": 25.0, "soft": 25000.0, "rope": 7.9},
    ),
    "gel": Preset(
        1020.0,
        0.3,
        "gelatine of 10 %, E 20 kPa, as Hall et al. 1997, Phantom materials for elastography, measured it",
        {"soft": {"young": 20.0, "poisson": 0.48, "damping": 0.02}},
        {},
    ),
    "hemp": Preset(
        900.0,
        0.5,
        f"three strands, E 0.6 GPa of the whole section, breaks at 70 MPa; {ROPES}",
        {"rope": {"radius": 0.01, "young": 6e5, "damping": 0.01}},
        {"rope": 22.0},
    ),
    "steel cable": Preset(
        5500.0,
        0.3,
        "6 x 19 strands, E 100 GPa and 1,770 MPa wires at 0.46 of the section; Feyrer 2015, Wire Ropes",
        {"rope": {"radius": 0.006, "young": 1e8, "bending": 3.0, "damping": 0.001}},
        {"rope": 80.0},
    ),
}
