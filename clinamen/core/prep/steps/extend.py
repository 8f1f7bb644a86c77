"""Extend: more art on each side. The last `overlap` px of the old art run softly into the new."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import WholeLength
from clinamen.core.prep.shapes import Frame
from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Extend(Step):
    """More art on each side. The last `overlap` px of the old art run softly into the new."""

    title: ClassVar[str] = "Extend"
    group: ClassVar[Group] = "Extend"

    step: Literal["extend"] = "extend"
    left: WholeLength = Field(default=0, title="left")
    right: WholeLength = Field(default=0, title="right")
    top: WholeLength = Field(default=0, title="top")
    bottom: WholeLength = Field(default=0, title="bottom")
    method: Literal["repeat", "flip", "stretch", "fill"] = Field(
        default="stretch", title="how", json_schema_extra={"words": {
            "stretch": "stretch the edge", "flip": "mirror it", "repeat": "repeat it", "fill": "fill by texture",
        }},
    )  # fmt: skip
    overlap: WholeLength = Field(default=0, le=4000, title="overlap")

    def frame(self, before: Frame) -> Frame:
        width, height = before.width + self.left + self.right, before.height + self.top + self.bottom
        return before.cropped(-self.left, -self.top, width, height)

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.extend import extend

        return extend(pixels, self, around)
