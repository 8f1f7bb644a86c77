"""Glow: softened light added over the art, of its bright parts or of all of it."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.look.steps.base import Group, LookStep, amount

if TYPE_CHECKING:
    from clinamen.core.arrays import Planes
    from clinamen.core.look.filters import Filter

LEAST = 0.02  # of luminance between where it begins and where it is whole


class Glow(LookStep):
    """What is brighter than `from_` glows, fully at 1; `radius` the standard deviation. Added premultiplied, so it reaches
    beyond the art."""

    title: ClassVar[str] = "Glow"
    group: ClassVar[Group] = "Light"

    step: Literal["glow"] = "glow"
    of: Literal["bright", "whole"] = Field(
        default="bright", title="of", json_schema_extra={"words": {"bright": "bright parts", "whole": "all of it"}}
    )
    above: float = amount("brighter than", 0.6, 0, 1)
    radius: float = amount("radius", 20.0, 0, 500, 1, "px", 120)
    strength: float = amount("strength", 0.8, 0, 4, usual=2)

    def reach(self) -> float:
        return 3 * self.radius

    def work(self, planes: "Planes", scale: float) -> "Planes":
        import numpy as np

        from clinamen.core.look.working import blurred, luminance

        art = planes.copy()
        art[..., :3] *= planes[..., 3:]
        bright = art
        if self.of == "bright":
            gain, shift = self._gate()
            bright = art * np.clip(gain * luminance(planes) + shift, 0, 1)[..., None]
        lit = np.clip(art + np.float32(self.strength) * blurred(bright, self.radius * scale), 0, 1)
        alpha = lit[..., 3:]
        lit[..., :3] = np.divide(
            np.minimum(lit[..., :3], alpha), alpha, out=np.zeros_like(lit[..., :3]), where=alpha > 1e-6
        )
        return lit

    def _gate(self) -> tuple[float, float]:
        gain = 1 / max(1 - self.above, LEAST)
        return gain, -self.above * gain

    def filter(self, made: "Filter", scale: float) -> None:
        art = bright = made.last
        if self.of == "bright":
            gate = made.luminance_mask(*self._gate(), art)
            bright = made.composite(art, gate, "in")
        lit = made.blur(self.radius * scale, bright)
        made.sum(art, lit, self.strength)
