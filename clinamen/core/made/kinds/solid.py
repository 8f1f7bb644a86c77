"""Solid: one colour."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.kinds.base import Group, Made
from clinamen.core.parts import Colour

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources


class Solid(Made):
    title: ClassVar[str] = "Solid"
    group: ClassVar[Group] = "Plain"

    kind: Literal["solid"] = "solid"
    colour: Colour = Field(default="#31424c", title="colour")

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        from clinamen.core.made.painting import canvas

        return canvas(width, height, scale, self.colour)
