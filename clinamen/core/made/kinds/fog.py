"""Fog: cloud without a joint, from seeded noise whose power falls with frequency; it drifts by whole tiles over a loop."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.kinds.base import Group, Made, Seed, amount
from clinamen.core.parts import Colour, Share

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources


class Fog(Made):
    """`size_` of its billows; `cover`: how much of it there is; `band`: how much of the height it fills before it fades above and
    below."""

    title: ClassVar[str] = "Fog"
    group: ClassVar[Group] = "Weather"
    sharp: ClassVar[bool] = False
    tiles: ClassVar[tuple[bool, bool]] = (True, False)

    kind: Literal["fog"] = "fog"
    billow: float = amount("billows", 420.0, 8, 8000, 10, "px", 1500)
    cover: Share = Field(default=0.55, title="cover")
    softness: Share = Field(default=0.7, title="softness")
    band: Share = Field(default=0.7, title="fills")
    opacity: Share = Field(default=0.8, title="opacity")
    colour: Colour = Field(default="#dfe6e8", title="colour")
    wind: float = amount("drifts", 30.0, -5000, 5000, 1, "px/s", 200)
    seed: Seed = Field(default=1, title="seed")

    def usual_size(self, view: tuple[int, int]) -> tuple[int, int]:
        return max(64, round(view[0] * 1.25)), max(32, view[1] // 2)

    def falls(self) -> tuple[float, float]:
        return self.wind, 0.0

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        from clinamen.core.made.noise import billows
        from clinamen.core.made.painting import flat

        share = billows(width, height, scale, self.billow, self.cover, self.softness, self.seed)
        if self.band < 1:
            import numpy as np

            y = np.abs((np.arange(share.shape[0]) + 0.5) / share.shape[0] * 2 - 1)
            gone = np.clip((y - self.band) / max(1 - self.band, 1e-3), 0, 1)
            share = share * (1 - gone * gone * (3 - 2 * gone))[:, None]
        return flat(self.colour, share * self.opacity)
