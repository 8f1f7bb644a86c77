"""The look steps, in the order in which they are offered: one module each. `LOOKS` is their registry, `AnyLook` any of them.

Quick to import: no NumPy here.
"""

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from clinamen.core.look.steps.base import LookStep, kind_of
from clinamen.core.look.steps.brightness import Brightness
from clinamen.core.look.steps.contrast import Contrast
from clinamen.core.look.steps.curve import ToneCurve
from clinamen.core.look.steps.drop import DropShadow
from clinamen.core.look.steps.fade import Fade
from clinamen.core.look.steps.glow import Glow
from clinamen.core.look.steps.hue import Hue
from clinamen.core.look.steps.invert import Invert
from clinamen.core.look.steps.levels import Levels
from clinamen.core.look.steps.posterise import Posterise
from clinamen.core.look.steps.rim import Rim
from clinamen.core.look.steps.saturation import Saturation
from clinamen.core.look.steps.soften import Soft
from clinamen.core.look.steps.together import Together
from clinamen.core.look.steps.toned import Toned
from clinamen.core.look.steps.white import White
from clinamen.core.registry import Registry

LOOKS: Registry[type[LookStep]] = Registry("look steps")
for _step in (
    Saturation, Hue, White, Toned, Together, Brightness, Contrast, Levels, ToneCurve, Posterise, Invert, DropShadow, Rim, Glow,
    Soft, Fade,
):  # fmt: skip
    LOOKS.add(kind_of(_step), _step)

if TYPE_CHECKING:
    AnyLook = LookStep
else:
    AnyLook = Annotated[reduce(or_, LOOKS.values()), Field(discriminator="step")]

__all__ = ["LOOKS", "AnyLook", "Fade", "LookStep", "Soft", "Together", "kind_of"]
