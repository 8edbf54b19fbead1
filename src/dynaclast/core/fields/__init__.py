"""Effects: what a field does to the pieces and bonds in its reach.

One file per effect. An effect is an object with any of the hooks in ``base.Effect``; ``EFFECTS`` finds it by the
document's kind, so a new effect is a document class, a file, and a row in the table.
"""

from .anchor import Anchor
from .base import Effect, Setting, Targets
from .burst import Burst
from .strain import Strain

EFFECTS: dict[str, Effect] = {"anchor": Anchor(), "strain": Strain(), "burst": Burst()}

__all__ = ["EFFECTS", "Effect", "Setting", "Targets"]
