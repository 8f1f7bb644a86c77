"""Key: take a flat colour away, within `tolerance` (CIE76 ΔE) wholly, fading over `softness` more; `spill` takes the
colour's cast off what stays."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Colour, Share
from clinamen.core.prep.steps.base import Cut, Tool

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class KeyCut(Cut):
    """Take a flat colour away, within `tolerance` (CIE76 ΔE) wholly, fading over `softness` more; `spill` takes the
    colour's cast off what stays.
    """

    title: ClassVar[str] = "Key a colour out"
    tool: ClassVar[Tool] = "pick"

    step: Literal["key"] = "key"
    colour: Colour = Field(title="colour")
    tolerance: float = Field(default=20.0, ge=0, le=200, title="tolerance")
    softness: float = Field(default=20.0, ge=0, le=200, title="softness")
    spill: Share = Field(default=1.0, title="spill off")

    @classmethod
    def start(cls, width: int, height: int, others: Sequence[str]) -> dict[str, Any]:
        return {"colour": "#00b140"}

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.cuts import key

        return key(pixels, self, around)
