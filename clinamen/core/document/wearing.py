"""Which look steps a layer wears: its own, then its groups'."""

import math
from collections.abc import Iterable
from typing import TYPE_CHECKING

from clinamen.core.document.carrying import groups_of
from clinamen.core.document.layer import Layer
from clinamen.core.look.steps import LookStep, Soft

if TYPE_CHECKING:
    from clinamen.core.document.scene import Scene


def steps_of(scene: "Scene", layer: Layer) -> list[LookStep]:
    """The look steps that are on, the layer's own first, then its groups', the innermost first."""
    looks: list[Iterable[LookStep]] = [layer.look]
    if scene.groups:
        looks += [group.look for group in groups_of(scene, layer)]
    return [step for look in looks for step in look if step.on]


def own_softness(scene: "Scene", layer: Layer) -> float:
    """Standard deviation in view pixels of the look's softness: of independent ones, the root of the sum of squares."""
    if not layer.look and not scene.groups:
        return 0.0
    return math.hypot(0.0, *(step.radius for step in steps_of(scene, layer) if isinstance(step, Soft)))
