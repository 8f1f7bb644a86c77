"""Drop shadow: the silhouette behind, moved, softened, coloured; as `drop-shadow()` of Filter Effects Level 1."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.look.steps.base import Group, LookStep, amount
from clinamen.core.parts import Colour

if TYPE_CHECKING:
    from clinamen.core.arrays import Planes
    from clinamen.core.look.filters import Filter


class DropShadow(LookStep):
    """`angle`: where it falls, 0° to the right, 90° down; `blur` the standard deviation."""

    title: ClassVar[str] = "Drop shadow"
    group: ClassVar[Group] = "Edge"

    step: Literal["drop"] = "drop"
    angle: float = amount("falls to", 60.0, -360, 360, 1, "°")
    distance: float = amount("distance", 14.0, 0, 2000, 1, "px", 120)
    blur: float = amount("softness", 8.0, 0, 500, 0.5, "px", 60)
    opacity: float = amount("opacity", 0.5, 0, 1)
    colour: Colour = Field(default="#000000", title="colour")

    def reach(self) -> float:
        return self.distance + 3 * self.blur

    def work(self, planes: "Planes", scale: float) -> "Planes":
        from clinamen.core.look.working import blurred, colour_of, flat, moved, off, over

        dx, dy = off(self.angle, self.distance * scale)
        alpha = moved(blurred(planes[..., 3], self.blur * scale), dx, dy) * self.opacity
        return over(planes, flat(colour_of(self.colour), alpha))

    def filter(self, made: "Filter", scale: float) -> None:
        from clinamen.core.look.working import off

        art = made.last
        made.blur(self.blur * scale)
        shape = made.offset(*off(self.angle, self.distance * scale))
        shadow = made.composite(made.flood(self.colour, self.opacity), shape, "in")
        made.composite(art, shadow, "over")
