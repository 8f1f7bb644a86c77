"""Solid: a solid edge, alpha at or above `threshold` becomes 1, the rest 0."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Share
from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Solid(Step):
    """A solid edge, alpha at or above `threshold` becomes 1, the rest 0."""

    title: ClassVar[str] = "Solid edge"
    group: ClassVar[Group] = "Edge"

    step: Literal["solid"] = "solid"
    threshold: Share = Field(default=0.5, title="threshold")

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.edges import solid

        return solid(pixels, self, around)
