"""Gradient: from one colour over a second to a third, along a line or round a point, each with its opacity."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.kinds.base import Group, Made, amount
from clinamen.core.parts import Colour, Share

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources


class Gradient(Made):
    """`angle`: 90° goes down; `middle` says where the second colour lies."""

    title: ClassVar[str] = "Gradient"
    group: ClassVar[Group] = "Plain"

    kind: Literal["gradient"] = "gradient"
    shape: Literal["line", "round"] = Field(
        default="line", title="goes", json_schema_extra={"words": {"line": "along a line", "round": "round the middle"}}
    )
    angle: float = amount("towards", 90.0, -360, 360, 1, "°")
    first: Colour = Field(default="#20304a", title="first")
    first_opacity: Share = Field(default=1.0, title="its opacity")
    second: Colour = Field(default="#b0705c", title="second")
    second_opacity: Share = Field(default=1.0, title="its opacity")
    third: Colour = Field(default="#f2c48a", title="third")
    third_opacity: Share = Field(default=1.0, title="its opacity")
    middle: Share = Field(default=0.6, title="second lies at")

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        import numpy as np

        from clinamen.core.made.painting import along, coloured

        share = along(width, height, scale, self.angle, self.shape)
        places = (0.0, min(max(self.middle, 1e-3), 1 - 1e-3), 1.0)
        opacities = (self.first_opacity, self.second_opacity, self.third_opacity)
        return coloured(np.asarray(share), places, (self.first, self.second, self.third), opacities)
