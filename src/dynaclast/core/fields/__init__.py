"""Effects: what a field does to the pieces and bonds in its reach.

An effect is an object with any of the hooks in ``base.Effect``; ``EFFECTS`` finds it by the document's kind, so a new
effect is a document class, a class here, and a row in the table. Kill and displace keep memory between steps: the
solver does them.
"""

from .anchor import Anchor
from .base import Effect, EffectContext, Forcing
from .burst import Burst, Push, Spin
from .moving import Attractor, Drag, Gravity, Turbulence, Vortex, Wind
from .samples import BONDS, PIECES, SEAMS, VERTICES, Samples
from .strain import Strain

EFFECTS: dict[str, Effect] = {
    "anchor": Anchor(),
    "strain": Strain(),
    "burst": Burst(),
    "push": Push(),
    "spin": Spin(),
    "vortex": Vortex(),
    "wind": Wind(),
    "attractor": Attractor(),
    "turbulence": Turbulence(),
    "drag": Drag(),
    "gravity": Gravity(),
    "kill": Effect(),
    "displace": Effect(),
}

__all__ = ["BONDS", "EFFECTS", "PIECES", "SEAMS", "VERTICES", "Effect", "EffectContext", "Forcing", "Samples"]
