"""Soften: the edge softened, alpha blurred by a Gaussian of `radius` px (its standard deviation)."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Length
from clinamen.core.prep.steps.base import SOFT_CUT, Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Soften(Step):
    """The edge softened, alpha blurred by a Gaussian of `radius` px (its standard deviation)."""

    title: ClassVar[str] = "Soften the edge"
    group: ClassVar[Group] = "Edge"

    step: Literal["soften"] = "soften"
    radius: Length = Field(default=SOFT_CUT, title="radius")

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.edges import soften

        return soften(pixels, self, around)
