"""Toned: colours by a gradient of the luminance, from dark over middle to light."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.look.steps.base import Group, LookStep, amount
from clinamen.core.look.weights import LUMINANCE
from clinamen.core.parts import Colour

if TYPE_CHECKING:
    from clinamen.core.arrays import Floats, Planes
    from clinamen.core.look.filters import Filter


class Toned(LookStep):
    """Each pixel takes the gradient's colour at its luminance, as far as `strength`."""

    title: ClassVar[str] = "Colour by luminance"
    group: ClassVar[Group] = "Colour"

    step: Literal["toned"] = "toned"
    dark: Colour = Field(default="#10223a", title="dark")
    middle: Colour = Field(default="#8a6a5c", title="middle")
    light: Colour = Field(default="#f6e7c8", title="light")
    strength: float = amount("strength", 1.0, 0, 1)

    def _gradient(self) -> "Floats":
        import numpy as np

        from clinamen.core.look.working import colour_of, ramp

        stops = np.array([colour_of(code) for code in (self.dark, self.middle, self.light)])
        return np.stack([np.interp(ramp(), (0, 0.5, 1), stops[:, channel]) for channel in range(3)])

    def work(self, planes: "Planes", scale: float) -> "Planes":
        import numpy as np

        from clinamen.core.look.working import looked_up, luminance

        grey = planes.copy()
        grey[..., :3] = luminance(planes)[..., None]
        toned = looked_up(grey, self._gradient())
        toned[..., :3] = planes[..., :3] + np.float32(self.strength) * (toned[..., :3] - planes[..., :3])
        return toned

    def filter(self, made: "Filter", scale: float) -> None:
        import numpy as np

        before = made.last
        made.matrix(np.array([[*LUMINANCE, 0.0]] * 3))
        toned = made.tables(self._gradient())
        if self.strength < 1:
            made.sum(before, toned, self.strength, k2=1 - self.strength)
