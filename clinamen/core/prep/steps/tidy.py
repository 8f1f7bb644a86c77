"""Tidy: islands of a cut that are smaller than `islands` px across dropped, holes smaller than `holes` closed, and everything
deeper than `solid` px inside the edge made solid; 0 leaves each as it is.
"""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Length
from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around

SOLID_BEYOND = 3.0  # px: what "solid inside" means where nobody says; common practice, no source


class Tidy(Step):
    """Islands smaller than `islands` px across dropped, holes smaller than `holes` px closed, everything deeper than
    `solid` px inside the edge made solid; 0 leaves each as it is.
    """

    title: ClassVar[str] = "Tidy the cut"
    group: ClassVar[Group] = "Edge"

    step: Literal["tidy"] = "tidy"
    islands: Length = Field(default=0.0, title="drop islands below")
    holes: Length = Field(default=0.0, title="close holes below")
    solid: Length = Field(default=0.0, title="solid beyond")

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.tidy import tidy

        return tidy(pixels, self, around)
