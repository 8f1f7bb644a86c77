"""Turn: by quarters, clockwise."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.prep.shapes import Frame
from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Turn(Step):
    """By quarters, clockwise."""

    title: ClassVar[str] = "Turn"
    group: ClassVar[Group] = "Shape"

    step: Literal["turn"] = "turn"
    quarters: Literal[1, 2, 3] = Field(
        default=1, title="quarter turns",
        json_schema_extra={"words": {"1": "to the right", "2": "half round", "3": "to the left"}},
    )  # fmt: skip

    def frame(self, before: Frame) -> Frame:
        return before._replace(width=before.height, height=before.width) if self.quarters != 2 else before

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.shape import turn

        return turn(pixels, self, around)
