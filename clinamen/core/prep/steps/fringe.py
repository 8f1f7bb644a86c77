"""Fringe: colours within `reach` px of the edge computed anew from the inside, so that no old background shows."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Length
from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Fringe(Step):
    """Colours within `reach` px of the edge computed anew from the inside, so that no old background shows."""

    title: ClassVar[str] = "Take the fringe off"
    group: ClassVar[Group] = "Edge"

    step: Literal["fringe"] = "fringe"
    reach: Length = Field(default=4.0, title="reach")

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.fringe import fringe

        return fringe(pixels, self, around)
