"""Which look steps a layer wears: its own, then its groups'."""

import math
from collections.abc import Iterable
from typing import TYPE_CHECKING

from clinamen.core.document.carrying import groups_of
from clinamen.core.document.layer import Layer
from clinamen.core.document.look import Backdrop
from clinamen.core.look.steps import LookStep, Soft

if TYPE_CHECKING:
    from clinamen.core.document.scene import Scene


def steps_of(scene: "Scene", layer: Layer) -> list[LookStep]:
    """The look steps that are on, the layer's own first, then its groups', the innermost first."""
    looks: list[Iterable[LookStep]] = [layer.look]
    if scene.groups:
        looks += [group.look for group in groups_of(scene, layer)]
    return [step for look in looks for step in look if step.on]


def frost_of(scene: "Scene", layer: Layer) -> Backdrop | None:
    """What a layer does to all that is behind it, where it can: one that is laid normally and never soft."""
    if layer.backdrop is None or layer.backdrop == Backdrop() or layer.blend != "normal":
        return None
    focused = scene.lens.aperture is not None and layer.takes.focus
    softened = any(track.target == layer.id and track.channel == "blur" for track in scene.tracks)
    return None if focused or softened or own_softness(scene, layer) else layer.backdrop


def own_softness(scene: "Scene", layer: Layer) -> float:
    """Standard deviation in view pixels of the look's softness: of independent ones, the root of the sum of squares."""
    if not layer.look and not scene.groups:
        return 0.0
    return math.hypot(0.0, *(step.radius for step in steps_of(scene, layer) if isinstance(step, Soft)))
