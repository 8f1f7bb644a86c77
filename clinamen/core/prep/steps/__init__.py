"""The prep steps, in the order in which they are offered: one module each. `STEPS` is their registry, `AnyStep` any of them.

Quick to import: no NumPy here.
"""

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from clinamen.core.prep.steps.assisted import AssistedCut
from clinamen.core.prep.steps.base import Cut, Step, kind_of
from clinamen.core.prep.steps.bleed import Bleed
from clinamen.core.prep.steps.brightness import BrightnessCut
from clinamen.core.prep.steps.canvas import Canvas
from clinamen.core.prep.steps.crop import Crop
from clinamen.core.prep.steps.difference import DifferenceCut
from clinamen.core.prep.steps.extend import Extend
from clinamen.core.prep.steps.fill import Fill
from clinamen.core.prep.steps.flip import Flip
from clinamen.core.prep.steps.fringe import Fringe
from clinamen.core.prep.steps.grow import Grow
from clinamen.core.prep.steps.key import KeyCut
from clinamen.core.prep.steps.match import Match
from clinamen.core.prep.steps.outline import OutlineCut
from clinamen.core.prep.steps.rectangle import RectangleCut
from clinamen.core.prep.steps.resize import Resize
from clinamen.core.prep.steps.retouch import Retouch
from clinamen.core.prep.steps.smooth import Smooth
from clinamen.core.prep.steps.soften import Soften
from clinamen.core.prep.steps.solid import Solid
from clinamen.core.prep.steps.tidy import Tidy
from clinamen.core.prep.steps.turn import Turn
from clinamen.core.registry import Registry

STEPS: Registry[type[Step]] = Registry("prep steps")
for _step in (
    AssistedCut, OutlineCut, RectangleCut, KeyCut, BrightnessCut, DifferenceCut, Soften, Grow, Smooth, Solid, Tidy, Fringe, Bleed,
    Fill, Retouch, Extend, Crop, Flip, Turn, Resize, Canvas, Match,
):  # fmt: skip
    STEPS.add(kind_of(_step), _step)

if TYPE_CHECKING:
    AnyStep = Step
else:
    AnyStep = Annotated[reduce(or_, STEPS.values()), Field(discriminator="step")]

__all__ = [
    "STEPS", "AnyStep", "AssistedCut", "Bleed", "BrightnessCut", "Canvas", "Crop", "Cut", "DifferenceCut",
    "Extend", "Fill", "Flip", "Fringe", "Grow", "KeyCut", "Match", "OutlineCut", "RectangleCut", "Resize",
    "Retouch", "Smooth", "Soften", "Solid", "Step", "Tidy", "Turn", "kind_of",
]  # fmt: skip
