"""Curve: tones through points, by a monotone cubic (Fritsch and Carlson 1980, as SciPy's PCHIP): no overshoot between them."""

from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field, model_validator

from clinamen.core.look.steps.base import Group, TableStep
from clinamen.core.parts import Part, Share

if TYPE_CHECKING:
    from clinamen.core.arrays import Floats

CLOSEST = 1 / 255  # points stand at least so far apart
MOST = 16


class Tone(Part):
    """A tone `x` becomes `y`."""

    x: Share
    y: Share


class ToneCurve(TableStep):
    """Points by rising x; level before the first and after the last. For all channels, or one."""

    title: ClassVar[str] = "Curve"
    group: ClassVar[Group] = "Tone"

    step: Literal["curve"] = "curve"
    channel: Literal["all", "red", "green", "blue"] = Field(default="all", title="of")
    points: tuple[Tone, ...] = Field(
        default=(Tone(x=0, y=0), Tone(x=0.5, y=0.5), Tone(x=1, y=1)), min_length=2, max_length=MOST
    )

    @model_validator(mode="after")
    def points_rise(self) -> "ToneCurve":
        for one, two in zip(self.points, self.points[1:], strict=False):
            if two.x - one.x < CLOSEST:
                raise ValueError(f"points: {two.x:g} does not lie after {one.x:g}; put the points in order, apart")
        return self

    def tables(self) -> "Floats":
        import numpy as np

        from clinamen.core.look.working import ramp
        from clinamen.core.monotone import monotone

        x, y = (np.array([getattr(point, axis) for point in self.points]) for axis in "xy")
        bent = np.clip(monotone(x, y, ramp()), 0, 1)
        chosen: dict[str, Any] = {"all": (0, 1, 2), "red": (0,), "green": (1,), "blue": (2,)}
        return np.stack([bent if channel in chosen[self.channel] else ramp() for channel in range(3)])
