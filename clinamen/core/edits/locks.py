"""Locks: a layer that is locked, by itself or with its group, is left as it is by edits; it may be hidden, shown and unlocked."""

from typing import Any

from clinamen.core.document import Layer, Scene, groups_of
from clinamen.core.errors import BadEdit

FREE = {"locked", "visible"}  # what a lock does not hold


def locked(scene: Scene, layer: Layer) -> bool:
    """True of a layer that is locked, by itself or by a group that it is in."""
    return layer.locked or any(group.locked for group in groups_of(scene, layer))


def heeded(before: Scene, after: Scene) -> None:
    """BadEdit where an edit changes a locked layer, its motion, or takes it away."""
    kept = {layer.id: layer for layer in after.layers}
    for layer in before.layers:
        if not locked(before, layer):
            continue
        now = kept.get(layer.id)
        if now is None or _held(now) != _held(layer) or _motion(before, layer) != _motion(after, layer):
            raise BadEdit(f"{layer.label} is locked; unlock it first")


def _held(layer: Layer) -> dict[str, Any]:
    return layer.model_dump(exclude=FREE)


def _motion(scene: Scene, layer: Layer) -> list[Any]:
    return [track for track in scene.tracks if track.target == layer.id]
