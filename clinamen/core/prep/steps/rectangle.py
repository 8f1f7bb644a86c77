"""Rectangle: cut out a rectangle, its corners rounded by `radius`."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Length
from clinamen.core.prep.steps.base import BoxCut, Tool

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class RectangleCut(BoxCut):
    """Cut out a rectangle, its corners rounded by `radius`."""

    title: ClassVar[str] = "Cut out a rectangle"
    tool: ClassVar[Tool] = "box"

    step: Literal["rectangle"] = "rectangle"
    radius: Length = Field(default=0.0, title="radius")

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.cuts import rectangle

        return rectangle(pixels, self, around)
