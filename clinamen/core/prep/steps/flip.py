"""Flip: mirror across ("x") or upside down ("y")."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around


class Flip(Step):
    """Mirror across ("x") or upside down ("y")."""

    title: ClassVar[str] = "Flip"
    group: ClassVar[Group] = "Shape"

    step: Literal["flip"] = "flip"
    axis: Literal["x", "y"] = Field(
        default="x", title="direction", json_schema_extra={"words": {"x": "left to right", "y": "upside down"}}
    )

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.shape import flip

        return flip(pixels, self, around)
