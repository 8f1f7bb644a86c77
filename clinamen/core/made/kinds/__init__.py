"""The kinds of made art, in the order in which they are offered: one module each. `KINDS` is their registry, `AnyMade` any
of them.

Quick to import: no NumPy here.
"""

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from clinamen.core.made.kinds.base import Made, word_of
from clinamen.core.made.kinds.dust import Dust
from clinamen.core.made.kinds.fog import Fog
from clinamen.core.made.kinds.gradient import Gradient
from clinamen.core.made.kinds.grain import Grain
from clinamen.core.made.kinds.grid import Grid
from clinamen.core.made.kinds.leak import Leak
from clinamen.core.made.kinds.panel import Panel
from clinamen.core.made.kinds.rain import Rain
from clinamen.core.made.kinds.shadow import Shadow
from clinamen.core.made.kinds.snow import Snow
from clinamen.core.made.kinds.solid import Solid
from clinamen.core.made.kinds.vignette import Vignette
from clinamen.core.made.kinds.words import Words
from clinamen.core.registry import Registry

KINDS: Registry[type[Made]] = Registry("kinds of made art")
for _kind in (Words, Panel, Solid, Gradient, Grid, Fog, Snow, Rain, Dust, Grain, Leak, Vignette, Shadow):
    KINDS.add(word_of(_kind), _kind)

if TYPE_CHECKING:
    AnyMade = Made
else:
    AnyMade = Annotated[reduce(or_, KINDS.values()), Field(discriminator="kind")]

__all__ = ["KINDS", "AnyMade", "Made", "Panel", "Shadow", "Words", "word_of"]
