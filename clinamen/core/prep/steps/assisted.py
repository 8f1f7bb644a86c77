"""Assisted: cut a subject out of a box, helped by marks. `matting`: px on both sides of the edge whose alpha is refined."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Length
from clinamen.core.prep.shapes import Frame, Mark
from clinamen.core.prep.steps.base import BoxCut, Tool

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


GRAPH_CUT, GRAPH_CUT_SIZE = 3.0, 0.4  # s, and the megapixels from which it takes no longer: it works at a modest size
EDGE = 0.4  # s a megapixel


class AssistedCut(BoxCut):
    """Cut a subject out of a box, helped by marks. `matting`: px on both sides of the edge whose alpha is refined."""

    title: ClassVar[str] = "Cut with help"
    tool: ClassVar[Tool] = "assisted"
    heavy: ClassVar[bool] = True

    step: Literal["assisted"] = "assisted"
    soften: Length = Field(default=0.0, title="edge softened")
    marks: tuple[Mark, ...] = Field(default=(), max_length=500)
    matting: Length = Field(default=6.0, title="edge refined within")

    def seconds(self, frame: Frame) -> float:
        return GRAPH_CUT * min(1.0, frame.megapixels / GRAPH_CUT_SIZE) + EDGE * frame.megapixels

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.assisted import assisted

        return assisted(pixels, self, around)
