"""Grid: even lines, for floors and walls; they fade towards one edge, or all round."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.kinds.base import Group, Made, amount
from clinamen.core.parts import Colour, Share

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources


class Grid(Made):
    """A line every `cell` pixels both ways, counted from the middle."""

    title: ClassVar[str] = "Grid"
    group: ClassVar[Group] = "Plain"

    kind: Literal["grid"] = "grid"
    cell: float = amount("cell", 120.0, 2, 10000, 1, "px", 400)
    line: float = amount("line", 3.0, 0.2, 1000, 0.5, "px", 20)
    colour: Colour = Field(default="#cfe3f2", title="colour")
    opacity: Share = Field(default=0.8, title="opacity")
    fades: Literal["none", "top", "round"] = Field(
        default="top",
        title="fades",
        json_schema_extra={"words": {"none": "nowhere", "top": "towards the top", "round": "all round"}},
    )  # fmt: skip

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        import numpy as np

        from clinamen.core.made.painting import centres, flat

        x, y = centres(width, height, scale)

        def lines(at: np.ndarray) -> np.ndarray:
            near = np.abs(np.mod(at + self.cell / 2, self.cell) - self.cell / 2)
            return np.clip((self.line / 2 - near) * scale + 0.5, 0, 1) * min(1.0, self.line * scale)

        share = np.maximum(lines(x)[None, :], lines(y)[:, None])
        if self.fades == "top":
            share = share * np.clip(y / height + 0.5, 0, 1)[:, None]
        elif self.fades == "round":
            share = share * np.clip(1 - np.hypot((2 * x / width)[None, :], (2 * y / height)[:, None]), 0, 1)
        return flat(self.colour, share * self.opacity)
