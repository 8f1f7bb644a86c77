"""White balance: temperature and tint, as gains of linear light that leave grey as bright as it was.

Gains of 2^(±temperature/2) for red and blue and 2^(−tint/2) for green are scaled to keep Rec. 709 luminance (ITU-R BT.709).
"""

from typing import TYPE_CHECKING, ClassVar, Literal

from clinamen.core.look.steps.base import Group, TableStep, amount

if TYPE_CHECKING:
    from clinamen.core.arrays import Floats


class White(TableStep):
    """`temperature` above 0 is warmer, `tint` above 0 towards magenta; in stops between the channels."""

    title: ClassVar[str] = "Temperature and tint"
    group: ClassVar[Group] = "Colour"

    step: Literal["white"] = "white"
    temperature: float = amount("temperature", 0.0, -2, 2)
    tint: float = amount("tint", 0.0, -2, 2)

    def tables(self) -> "Floats":
        import numpy as np

        from clinamen.core.look.working import coded, linear, ramp

        gains = 2.0 ** np.array([self.temperature / 2, -self.tint / 2, -self.temperature / 2])
        gains /= gains @ np.array([0.2126, 0.7152, 0.0722])
        return coded(gains[:, None] * linear(ramp()))
