"""Fade: the layer goes clear along a line, or round a point. Fades come after all other steps, whatever their place."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.look.steps.base import Group, LookStep, amount

if TYPE_CHECKING:
    from clinamen.core.arrays import Planes


class Fade(LookStep):
    """Whole at (`x`, `y`), gone at (`to_x`, `to_y`), scene pixels from the layer's middle: along the line between
    them, or round the first as far as the second."""

    title: ClassVar[str] = "Fade"
    group: ClassVar[Group] = "Softness"

    step: Literal["fade"] = "fade"
    shape: Literal["line", "round"] = Field(
        default="line", title="goes", json_schema_extra={"words": {"line": "along a line", "round": "round a point"}}
    )
    x: float = amount("whole at x", 0.0, -60000, 60000, 5, "px")
    y: float = amount("whole at y", 0.0, -60000, 60000, 5, "px")
    to_x: float = amount("gone at x", 0.0, -60000, 60000, 5, "px")
    to_y: float = amount("gone at y", 200.0, -60000, 60000, 5, "px")

    def shares(self, x: "Planes", y: "Planes") -> "Planes":
        """What is left at places in scene pixels from the layer's middle."""
        import numpy as np

        across, down = self.to_x - self.x, self.to_y - self.y
        length = max(across * across + down * down, 1e-6)
        if self.shape == "round":
            gone = np.hypot(x - self.x, y - self.y) / length**0.5
        else:
            gone = ((x - self.x) * across + (y - self.y) * down) / length
        return (1 - np.clip(gone, 0, 1)).astype(np.float32)

    def mask(self, width: float, height: float, scale: float) -> str:
        """The same as an image of CSS on a box of this size (CSS Images Level 3), whose middle is the layer's."""
        from clinamen.core.quantities import plain

        x, y = self.x * scale, self.y * scale
        across, down = (self.to_x - self.x) * scale, (self.to_y - self.y) * scale
        length = max((across * across + down * down) ** 0.5, 1e-3)
        if self.shape == "round":
            at = f"{plain(width / 2 + x)}px {plain(height / 2 + y)}px"
            return f"radial-gradient(circle {plain(length)}px at {at},#000,#0000)"
        import math

        angle = math.degrees(math.atan2(across, -down))
        one = (across / length, down / length)
        whole = abs(width * one[0]) + abs(height * one[1])  # of the gradient line
        first = x * one[0] + y * one[1] + whole / 2
        return f"linear-gradient({plain(angle)}deg,#000 {plain(first)}px,#0000 {plain(first + length)}px)"
