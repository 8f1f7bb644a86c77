"""Light leak: warm light that comes in from an edge, laid as a screen."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.kinds.base import Group, Made, Seed, amount
from clinamen.core.parts import Colour, Share

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources


class Leak(Made):
    """Warm light that comes in from an edge, to be laid as a screen."""

    title: ClassVar[str] = "Light leak"
    group: ClassVar[Group] = "Film"
    blend: ClassVar[str] = "screen"

    kind: Literal["leak"] = "leak"
    colour: Colour = Field(default="#ff8a3c", title="colour")
    inner: Colour = Field(default="#ffe2a8", title="its heart")
    angle: float = amount("from", 0.0, -360, 360, 1, "°")
    spread: float = amount("spread", 0.5, 0.05, 2, 0.01, "")
    opacity: Share = Field(default=0.7, title="opacity")
    seed: Seed = Field(default=1, title="seed")

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        from clinamen.core.made.painting import leak

        return leak(width, height, scale, (self.colour, self.inner), self.angle, self.spread, self.opacity, self.seed)
