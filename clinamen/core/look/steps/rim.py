"""Rim: the edge that faces a side is lit, as from behind."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.look.steps.base import Group, LookStep, amount
from clinamen.core.parts import Colour

if TYPE_CHECKING:
    from clinamen.core.arrays import Planes
    from clinamen.core.look.filters import Filter


class Rim(LookStep):
    """Light from the direction `angle` (0° from the right, 90° from below), as far in as `width`, softened by half of it."""

    title: ClassVar[str] = "Rim light"
    group: ClassVar[Group] = "Edge"

    step: Literal["rim"] = "rim"
    angle: float = amount("comes from", -45.0, -360, 360, 1, "°")
    width: float = amount("width", 8.0, 0, 300, 0.5, "px", 60)
    strength: float = amount("strength", 0.8, 0, 1)
    colour: Colour = Field(default="#ffe2b0", title="colour")

    def work(self, planes: "Planes", scale: float) -> "Planes":
        import numpy as np

        from clinamen.core.look.working import blurred, colour_of, moved, off

        dx, dy = off(self.angle + 180, self.width * scale)
        share = (np.float32(self.strength) * (1 - moved(blurred(planes[..., 3], self.width * scale / 2), dx, dy)))[
            ..., None
        ]
        out = planes.copy()
        out[..., :3] += share * (np.array(colour_of(self.colour), np.float32) - out[..., :3])
        return out

    def filter(self, made: "Filter", scale: float) -> None:
        from clinamen.core.look.working import off

        art = made.last
        made.blur(self.width * scale / 2)
        inside = made.offset(*off(self.angle + 180, self.width * scale))
        edge = made.composite(made.flood(self.colour, self.strength), inside, "out")
        made.composite(edge, art, "atop")
