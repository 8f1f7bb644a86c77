"""Crop: keep a window of whole pixels."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Side, WholePlace
from clinamen.core.prep.shapes import Frame
from clinamen.core.prep.steps.base import Group, Step, Tool

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Crop(Step):
    """Keep a window of whole pixels."""

    title: ClassVar[str] = "Crop"
    group: ClassVar[Group] = "Shape"
    tool: ClassVar[Tool] = "crop"

    step: Literal["crop"] = "crop"
    x: WholePlace = Field(title="from the left")
    y: WholePlace = Field(title="from the top")
    width: Side = Field(title="width")
    height: Side = Field(title="height")

    def frame(self, before: Frame) -> Frame:
        left, top = max(0, min(self.x, before.width - 1)), max(0, min(self.y, before.height - 1))
        right = max(left + 1, min(before.width, self.x + self.width))
        bottom = max(top + 1, min(before.height, self.y + self.height))
        return before.cropped(left, top, right - left, bottom - top)

    @classmethod
    def start(cls, width: int, height: int, others: Sequence[str]) -> dict[str, Any]:
        return {"x": 0, "y": 0, "width": width, "height": height}

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.shape import crop

        return crop(pixels, self, around)
