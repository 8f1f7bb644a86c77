"""Vignette: dark towards the corners."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.kinds.base import Group, Made
from clinamen.core.parts import Colour, Share

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources


class Vignette(Made):
    """Dark towards the corners."""

    title: ClassVar[str] = "Vignette"
    group: ClassVar[Group] = "Film"

    kind: Literal["vignette"] = "vignette"
    colour: Colour = Field(default="#000000", title="colour")
    begins: Share = Field(default=0.45, title="begins at")
    opacity: Share = Field(default=0.6, title="opacity")
    roundness: Share = Field(default=0.5, title="roundness")

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        import numpy as np

        from clinamen.core.made.painting import centres, flat

        x, y = centres(width, height, scale)
        across, down = (np.abs(2 * x / width))[None, :], (np.abs(2 * y / height))[:, None]
        power = 2 + 6 * (1 - self.roundness)  # of the superellipse that it follows
        away = (across**power + down**power) ** (1 / power) / 2 ** (1 / power)
        gone = np.clip((away - self.begins) / max(1 - self.begins, 1e-3), 0, 1)
        return flat(self.colour, gone * gone * (3 - 2 * gone) * self.opacity)
