"""Outline: cut along a closed outline of straight lines and cubic Béziers."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.prep.shapes import MAX_POINTS, Node
from clinamen.core.prep.steps.base import Cut, Edges, Tool

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class OutlineCut(Cut):
    """Cut along a closed outline of straight lines and cubic Béziers."""

    title: ClassVar[str] = "Cut along an outline"
    tool: ClassVar[Tool] = "outline"

    step: Literal["outline"] = "outline"
    nodes: tuple[Node, ...] = Field(min_length=3, max_length=MAX_POINTS)

    def kept_box(self) -> Edges | None:
        if self.invert:
            return None
        ends = [(n.x + dx, n.y + dy) for n in self.nodes for dx, dy in ((n.in_x, n.in_y), (0, 0), (n.out_x, n.out_y))]
        x, y = [end[0] for end in ends], [end[1] for end in ends]
        return min(x), min(y), max(x), max(y)

    @classmethod
    def start(cls, width: int, height: int, others: Sequence[str]) -> dict[str, Any]:
        x, y, w, h = width * 0.15, height * 0.15, width * 0.7, height * 0.7
        return {"nodes": [{"x": x, "y": y}, {"x": x + w, "y": y}, {"x": x + w, "y": y + h}, {"x": x, "y": y + h}]}

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.cuts import outline

        return outline(pixels, self, around)
