"""Brightness: keep what is as bright as `low` to `high` (CIE L* from 0 to 1), fading over `softness` outside."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Share
from clinamen.core.prep.shapes import Frame, Other
from clinamen.core.prep.steps.base import Cut

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class BrightnessCut(Cut):
    """Keep what is as bright as `low` to `high` (CIE L* from 0 to 1), fading over `softness` outside."""

    title: ClassVar[str] = "Cut by brightness"

    step: Literal["brightness"] = "brightness"
    low: Share = Field(default=0.5, title="from")
    high: Share = Field(default=1.0, title="to")
    softness: Share = Field(default=0.1, title="softness")

    def waits(self, frame: Frame, others: Mapping[str, Other]) -> str:
        if self.low <= self.high:
            return ""
        return f"Waits: nothing is brighter than {self.low:g} and darker than {self.high:g} at once. Make “from” the smaller one."

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.cuts import brightness

        if self.low > self.high:
            return pixels.copy()
        return brightness(pixels, self, around)
