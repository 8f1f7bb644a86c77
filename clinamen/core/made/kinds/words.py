"""Words: text set in one of the families that ship; it stays text for who cannot see it, and is sharp at every size."""

from typing import TYPE_CHECKING, Annotated, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.families import FAMILIES
from clinamen.core.made.fontfile import FontFile
from clinamen.core.made.kinds.base import Group, Made, amount
from clinamen.core.parts import Colour, Finite

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources

Family = Literal["archivo", "oswald", "alfa-slab-one", "fraunces", "cinzel", "caveat", "pacifico", "courier-prime"]


class Words(Made):
    """`spacing` between letters and the `outline` in px, `leading` in sizes; `font`: one that was brought in, in the family's
    place; `apart`: how far each letter is moved."""

    title: ClassVar[str] = "Words"
    group: ClassVar[Group] = "Words"

    kind: Literal["text"] = "text"
    text: Annotated[str, Field(min_length=1, max_length=2000, title="text", json_schema_extra={"long": True})] = "Words"
    family: Family = Field(
        default="fraunces",
        title="family",
        json_schema_extra={"words": {word: name for word, (name, _) in FAMILIES.items()}},
    )
    font: FontFile | None = None
    weight: Literal[400, 700] = Field(
        default=700, title="weight", json_schema_extra={"words": {"400": "plain", "700": "bold"}}
    )
    size: float = amount("size", 160.0, 2, 4000, 2, "px", 600)
    spacing: float = amount("letter spacing", 0.0, -500, 2000, 1, "px", 100)
    leading: float = amount("line height", 1.2, 0.2, 10, 0.05, "×", 3)
    align: Literal["left", "middle", "right"] = Field(default="middle", title="aligned")
    colour: Colour = Field(default="#fff4dc", title="colour")
    outline: float = amount("outline", 0.0, 0, 500, 0.5, "px", 30)
    outline_colour: Colour = Field(default="#1b2530", title="its colour")
    apart: tuple[Finite, ...] = Field(default=(), max_length=2000)

    def fitted(self) -> tuple[int, int]:
        """Width and height of art that holds all of it, with room for letters that reach out of their line."""
        import math

        from clinamen.core.made.lettering import set_words

        block, room = set_words(self), self.size * 0.3 + self.outline
        return max(1, math.ceil(block.width + 2 * room)), max(1, math.ceil(block.height + 2 * room))

    def usual_size(self, view: tuple[int, int]) -> tuple[int, int]:
        return self.fitted()

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        from clinamen.core.made.lettering import svg_of
        from clinamen.core.made.painting import rastered

        return rastered(svg_of(self, width, height), width, height, scale)
