"""Difference: keep what differs from another layer's picture of the same place, by more than `tolerance` (ΔE)."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import LayerName
from clinamen.core.prep.steps.base import Cut

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class DifferenceCut(Cut):
    """Keep what differs from another layer's picture of the same place, by more than `tolerance` (ΔE)."""

    title: ClassVar[str] = "Cut by difference"

    step: Literal["difference"] = "difference"
    layer: LayerName = Field(title="other layer")
    tolerance: float = Field(default=12.0, ge=0, le=200, title="tolerance")
    softness: float = Field(default=12.0, ge=0, le=200, title="softness")

    def layers(self) -> tuple[str, ...]:
        return (self.layer,)

    @classmethod
    def start(cls, width: int, height: int, others: Sequence[str]) -> dict[str, Any]:
        return {"layer": others[0] if others else ""}

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.cuts import difference

        return difference(pixels, self, around)
