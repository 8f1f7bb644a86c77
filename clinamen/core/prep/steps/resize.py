"""Resize: another size in pixels, averaged ("area") or by a Lanczos kernel; the framing keeps the size it is seen at."""

from collections.abc import Sequence, Set
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Side
from clinamen.core.prep.shapes import Frame
from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Resize(Step):
    """Another size in pixels, averaged ("area") or by a Lanczos kernel; the framing keeps the size it is seen at."""

    title: ClassVar[str] = "Resize"
    group: ClassVar[Group] = "Shape"

    step: Literal["resize"] = "resize"
    width: Side = Field(title="width")
    height: Side = Field(title="height")
    keep: bool = Field(default=True, title="keep the shape")
    filter: Literal["area", "lanczos"] = Field(
        default="area", title="filter", json_schema_extra={"words": {"area": "averaged", "lanczos": "sharp (Lanczos)"}}
    )

    def frame(self, before: Frame) -> Frame:
        return before._replace(width=self.width, height=self.height, zoom=before.zoom * self.width / before.width)

    def revised(self, changed: Set[str], before: Frame) -> "Resize":
        """The other side follows the one that was set, unless both were or the shape is not to be kept."""
        if not self.keep or {"width", "height"} <= changed or not changed & {"width", "height", "keep"}:
            return self
        if "height" in changed:
            return self.model_copy(update={"width": max(1, round(self.height * before.width / before.height))})
        return self.model_copy(update={"height": max(1, round(self.width * before.height / before.width))})

    @classmethod
    def start(cls, width: int, height: int, others: Sequence[str]) -> dict[str, Any]:
        return {"width": width, "height": height}

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.shape import resize

        return resize(pixels, self, around)
