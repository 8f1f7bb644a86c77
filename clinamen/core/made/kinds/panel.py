"""Panel: a rounded rectangle with a gradient and a border."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.kinds.base import Group, Made, amount
from clinamen.core.parts import Colour, Share

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources


class Panel(Made):
    """Filled from `top` to `bottom`; the border lies inside."""

    title: ClassVar[str] = "Panel"
    group: ClassVar[Group] = "Words"

    kind: Literal["panel"] = "panel"
    radius: float = amount("corners", 28.0, 0, 5000, 1, "px", 200)
    top: Colour = Field(default="#f4efe2", title="top")
    bottom: Colour = Field(default="#d9cfb8", title="bottom")
    opacity: Share = Field(default=0.35, title="opacity")
    border: float = amount("border", 3.0, 0, 1000, 0.5, "px", 40)
    border_colour: Colour = Field(default="#fffaf0", title="border's colour")

    def usual_size(self, view: tuple[int, int]) -> tuple[int, int]:
        return max(1, view[0] // 3), max(1, view[1] // 3)

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        import numpy as np

        from clinamen.core.made.painting import along, coloured, rounded

        fill = coloured(along(width, height, scale, 90.0, "line"), (0, 1), (self.top, self.bottom), (1, 1)).astype(
            np.float32
        )
        whole = rounded(width, height, scale, self.radius, 0.0)
        inside = rounded(width, height, scale, self.radius, self.border) if self.border else whole
        edge = coloured(np.zeros(whole.shape), (0, 1), (self.border_colour,) * 2, (1, 1))
        share = np.clip(whole - inside, 0, 1)[..., None]
        alpha = share[..., 0] + inside * self.opacity
        total = np.maximum(alpha, 1e-6)[..., None]
        colour = (edge[..., :3] * share + fill[..., :3] * (inside * self.opacity)[..., None]) / total
        return np.dstack([np.rint(colour), np.rint(255 * np.clip(alpha, 0, 1))]).astype(np.uint8)
