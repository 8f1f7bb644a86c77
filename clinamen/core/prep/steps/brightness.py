"""Brightness: keep what is as bright as `low` to `high` (CIE L* from 0 to 1), fading over `softness` outside."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Share
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

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.cuts import brightness

        return brightness(pixels, self, around)
