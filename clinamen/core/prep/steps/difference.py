"""Difference: keep what differs from another layer's picture of the same place, by more than `tolerance` (ΔE).

A picture of another size but the same shape is fitted; one of another shape shows another place, so the step waits.
"""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import LayerName
from clinamen.core.prep.shapes import Frame, Other, same_shape
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

    def waits(self, frame: Frame, others: Mapping[str, Other]) -> str:
        other = others.get(self.layer)
        if other is None or same_shape(frame.width, frame.height, other.width, other.height):
            return ""
        sizes = f"{other.label} is {other.width} × {other.height} px, this picture is {frame.width} × {frame.height} px here"
        return f"Waits: {sizes}, so they do not show one place. Crop one of them, or choose another layer."

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.cuts import difference

        return difference(pixels, self, around)
