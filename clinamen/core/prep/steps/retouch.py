"""Retouch: strokes by hand over what a fill got wrong, in the order they were made."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.prep.shapes import Frame, Stroke
from clinamen.core.prep.steps.base import Group, Step, Tool

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


STROKE = 0.04  # s


class Retouch(Step):
    """Strokes by hand over what a fill got wrong, in the order they were made."""

    title: ClassVar[str] = "Retouch"
    group: ClassVar[Group] = "Behind"
    tool: ClassVar[Tool] = "retouch"

    step: Literal["retouch"] = "retouch"
    strokes: tuple[Stroke, ...] = Field(default=(), max_length=500)

    def seconds(self, frame: Frame) -> float:
        return super().seconds(frame) + STROKE * len(self.strokes)

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.retouch import retouch

        return retouch(pixels, self, around)
