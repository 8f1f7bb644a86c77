"""Snow: soft discs, each a little out of round."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.kinds.base import Seed, amount
from clinamen.core.made.kinds.falling import Falling
from clinamen.core.parts import Colour, Share

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources


class Snow(Falling):
    """Flakes: soft discs, each a little out of round."""

    title: ClassVar[str] = "Snow"

    kind: Literal["snow"] = "snow"
    count: int = Field(default=160, ge=1, le=4000, title="flakes")
    least: float = amount("smallest", 3.0, 0.5, 400, 0.5, "px", 40)
    most: float = amount("largest", 9.0, 0.5, 400, 0.5, "px", 60)
    softness: Share = Field(default=0.6, title="softness")
    opacity: Share = Field(default=0.9, title="opacity")
    colour: Colour = Field(default="#ffffff", title="colour")
    fall: float = amount("falls", 90.0, -5000, 5000, 5, "px/s", 600)
    wind: float = amount("wind", 20.0, -5000, 5000, 5, "px/s", 300)
    seed: Seed = Field(default=1, title="seed")

    def falls(self) -> tuple[float, float]:
        return self.wind, self.fall

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        from clinamen.core.made.painting import flat
        from clinamen.core.made.strewn import discs

        sizes = (self.least, max(self.least, self.most))
        return flat(
            self.colour, discs(width, height, scale, self.count, sizes, self.softness, self.seed) * self.opacity
        )
