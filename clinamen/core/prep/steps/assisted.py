"""Assisted: cut a subject out of a box, helped by marks. `matting`: px on both sides of the edge whose alpha is refined."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Length
from clinamen.core.prep.shapes import Box, Mark
from clinamen.core.prep.steps.base import Cut, Edges, Tool

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class AssistedCut(Cut):
    """Cut a subject out of a box, helped by marks. `matting`: px on both sides of the edge whose alpha is refined."""

    title: ClassVar[str] = "Cut with help"
    tool: ClassVar[Tool] = "assisted"

    step: Literal["assisted"] = "assisted"
    soften: Length = Field(default=0.0, title="edge softened")
    box: Box
    marks: tuple[Mark, ...] = Field(default=(), max_length=500)
    matting: Length = Field(default=6.0, title="edge refined within")

    def kept_box(self) -> Edges | None:
        box = self.box
        return None if self.invert else (box.x, box.y, box.x + box.width, box.y + box.height)

    @classmethod
    def start(cls, width: int, height: int, others: Sequence[str]) -> dict[str, Any]:
        return {"box": {"x": 0, "y": 0, "width": width, "height": height}}

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.assisted import assisted

        return assisted(pixels, self, around)
