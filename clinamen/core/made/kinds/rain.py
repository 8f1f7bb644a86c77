"""Rain: streaks along the way that they fall."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.kinds.base import Seed, amount
from clinamen.core.made.kinds.falling import Falling
from clinamen.core.parts import Colour, Share

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources


class Rain(Falling):
    """Streaks along the way that they fall."""

    title: ClassVar[str] = "Rain"
    blend: ClassVar[str] = "screen"

    kind: Literal["rain"] = "rain"
    count: int = Field(default=220, ge=1, le=4000, title="streaks")
    length: float = amount("length", 60.0, 1, 4000, 1, "px", 300)
    width: float = amount("width", 2.0, 0.3, 200, 0.25, "px", 12)
    opacity: Share = Field(default=0.45, title="opacity")
    colour: Colour = Field(default="#cfe0f0", title="colour")
    fall: float = amount("falls", 1400.0, 1, 20000, 20, "px/s", 4000)
    wind: float = amount("wind", -180.0, -20000, 20000, 10, "px/s", 1500)
    seed: Seed = Field(default=1, title="seed")

    def falls(self) -> tuple[float, float]:
        return self.wind, self.fall

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        from clinamen.core.made.painting import flat
        from clinamen.core.made.strewn import streaks

        along = (self.wind, self.fall)
        return flat(
            self.colour,
            streaks(width, height, scale, self.count, self.length, self.width, along, self.seed) * self.opacity,
        )
