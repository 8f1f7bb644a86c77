"""Grow: move the edge outwards by `by` px, inwards where it is negative."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Place
from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Grow(Step):
    """Move the edge outwards by `by` px, inwards where it is negative."""

    title: ClassVar[str] = "Grow or shrink"
    group: ClassVar[Group] = "Edge"

    step: Literal["grow"] = "grow"
    by: Place = Field(default=1.0, title="by")

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.edges import grow

        return grow(pixels, self, around)
