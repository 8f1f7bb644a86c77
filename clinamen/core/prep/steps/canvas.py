"""Canvas: the picture in the middle of a canvas; larger ones leave clear pixels around, smaller ones cut."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Side
from clinamen.core.prep.shapes import Frame
from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Canvas(Step):
    """The picture in the middle of a canvas; larger ones leave clear pixels around, smaller ones cut."""

    title: ClassVar[str] = "Fit to a canvas"
    group: ClassVar[Group] = "Shape"

    step: Literal["canvas"] = "canvas"
    width: Side = Field(title="width")
    height: Side = Field(title="height")

    def frame(self, before: Frame) -> Frame:
        return before.cropped(
            (before.width - self.width) // 2, (before.height - self.height) // 2, self.width, self.height
        )

    @classmethod
    def start(cls, width: int, height: int, others: Sequence[str]) -> dict[str, Any]:
        return {"width": width, "height": height}

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.shape import canvas

        return canvas(pixels, self, around)
