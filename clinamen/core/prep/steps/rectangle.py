"""Rectangle: cut out a rectangle, its corners rounded by `radius`."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Length
from clinamen.core.prep.shapes import Box
from clinamen.core.prep.steps.base import Cut, Edges, Tool

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class RectangleCut(Cut):
    """Cut out a rectangle, its corners rounded by `radius`."""

    title: ClassVar[str] = "Cut out a rectangle"
    tool: ClassVar[Tool] = "box"

    step: Literal["rectangle"] = "rectangle"
    box: Box
    radius: Length = Field(default=0.0, title="radius")

    def kept_box(self) -> Edges | None:
        box = self.box
        return None if self.invert else (box.x, box.y, box.x + box.width, box.y + box.height)

    @classmethod
    def start(cls, width: int, height: int, others: Sequence[str]) -> dict[str, Any]:
        return {"box": {"x": 0, "y": 0, "width": width, "height": height}}

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.cuts import rectangle

        return rectangle(pixels, self, around)
