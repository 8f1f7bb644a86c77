"""Why nothing is seen of a layer at rest: it is empty, it falls outside the view, or others lie over it."""

import numpy as np
from numpy.typing import NDArray

from clinamen.core.bounds.opaque import OpaqueSet, opaque_set
from clinamen.core.bounds.region import hiding, lying
from clinamen.core.document import Layer, Scene, is_seen
from clinamen.core.motion.states import State
from clinamen.core.stage import stage_at

SHOWS = 13  # of 255: alpha that is seen at all
SIDE = 240  # cells along the view's longer side


def why_unseen(scene: Scene, layer: Layer, alpha: NDArray[np.uint8], sets: dict[str, OpaqueSet]) -> str:
    """The reason in words, of a layer's alpha [h, w] and the opaque sets of those drawn after it: the one that covers most by
    itself. Empty where something shows."""
    shows = (alpha >= SHOWS).astype(np.uint8) * 255
    if not shows.any():
        return "nothing of it is drawn"
    if not is_seen(scene, layer):
        return "it is hidden"
    scale = SIDE / max(scene.view.width, scene.view.height)
    sheets = {sheet.layer.id: sheet for sheet in stage_at(scene, State()).sheets}
    own = opaque_set(shows, layer.art.width, layer.art.height)
    whole = left = lying(scene, layer, own, sheets[layer.id].matrix[0], scale)
    if not left.any():
        return "it falls outside the view"
    order = [each.id for each in scene.layers]
    over: dict[str, int] = {}
    for other in scene.layers[order.index(layer.id) + 1 :]:
        if is_seen(scene, other):
            hidden = hiding(sheets[other.id], sets[other.id], scene, scale)[0]
            over[other.label], left = int((whole & hidden).sum()), left & ~hidden
    return "" if left.any() else f"{max(over, key=lambda label: over[label])} lies over it"
