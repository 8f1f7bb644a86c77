"""Smooth: round off the edge's corners and notches smaller than `radius` px."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Length
from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Smooth(Step):
    """Round off the edge's corners and notches smaller than `radius` px."""

    title: ClassVar[str] = "Smooth the edge"
    group: ClassVar[Group] = "Edge"

    step: Literal["smooth"] = "smooth"
    radius: Length = Field(default=4.0, title="radius")

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.edges import smooth

        return smooth(pixels, self, around)
