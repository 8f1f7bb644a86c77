"""Match: take on the tone and colour of another layer, mean and spread in CIE L*a*b*, by `strength`."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import LayerName, Share
from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Match(Step):
    """Take on the tone and colour of another layer, mean and spread in CIE L*a*b*, by `strength`."""

    title: ClassVar[str] = "Match colour"
    group: ClassVar[Group] = "Colour"

    step: Literal["match"] = "match"
    layer: LayerName = Field(title="other layer")
    strength: Share = Field(default=1.0, title="strength")

    def layers(self) -> tuple[str, ...]:
        return (self.layer,)

    @classmethod
    def start(cls, width: int, height: int, others: Sequence[str]) -> dict[str, Any]:
        return {"layer": others[0] if others else ""}

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.match import match

        return match(pixels, self, around)
