"""Bleed: edge colours carried `reach` px out under clear pixels, so that filtering never darkens an edge."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Length
from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Bleed(Step):
    """Edge colours carried `reach` px out under clear pixels, so that filtering never darkens an edge."""

    title: ClassVar[str] = "Bleed colour out"
    group: ClassVar[Group] = "Edge"

    step: Literal["bleed"] = "bleed"
    reach: Length = Field(default=16.0, title="reach")

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.fringe import bleed

        return bleed(pixels, self, around)
