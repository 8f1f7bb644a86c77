"""Dust: motes that float, small, faint, of many sizes."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.kinds.base import Seed, amount
from clinamen.core.made.kinds.falling import Falling
from clinamen.core.parts import Colour, Share

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources


class Dust(Falling):
    """Motes that float: small, faint, of many sizes."""

    title: ClassVar[str] = "Dust"
    blend: ClassVar[str] = "screen"

    kind: Literal["dust"] = "dust"
    count: int = Field(default=90, ge=1, le=4000, title="motes")
    least: float = amount("smallest", 1.5, 0.5, 400, 0.5, "px", 40)
    most: float = amount("largest", 7.0, 0.5, 400, 0.5, "px", 60)
    softness: Share = Field(default=0.9, title="softness")
    opacity: Share = Field(default=0.5, title="opacity")
    colour: Colour = Field(default="#fff1d0", title="colour")
    fall: float = amount("sinks", 8.0, -5000, 5000, 1, "px/s", 100)
    wind: float = amount("wind", 14.0, -5000, 5000, 1, "px/s", 100)
    seed: Seed = Field(default=1, title="seed")

    def falls(self) -> tuple[float, float]:
        return self.wind, self.fall

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        from clinamen.core.made.painting import flat
        from clinamen.core.made.strewn import discs

        sizes = (self.least, max(self.least, self.most))
        share = discs(width, height, scale, self.count, sizes, self.softness, self.seed, faint=True)
        return flat(self.colour, share * self.opacity)
