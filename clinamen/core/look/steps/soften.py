"""Softness: the layer out of focus by so much, whatever the lens does."""

from typing import ClassVar, Literal

from clinamen.core.look.steps.base import Group, LookStep, amount


class Soft(LookStep):
    """`radius` is a standard deviation. It joins what tracks and the lens leave soft, after all other steps."""

    title: ClassVar[str] = "Softness"
    group: ClassVar[Group] = "Softness"

    step: Literal["soft"] = "soft"
    radius: float = amount("softness", 4.0, 0, 500, 0.25, "px", 40)
