"""Rest: the resting value of a channel, which every other term is added to or multiplies."""

from collections.abc import Iterable, Sequence

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import CAMERA_CHANNELS, CARRIER_CHANNELS, Bearer, Carrier, Layer, Scene, Track
from clinamen.core.interval import Interval
from clinamen.core.motion.states import Cells, States
from clinamen.core.motion.terms.base import Names, Term
from clinamen.core.quantities import plain


class Rest(Term):
    kind = "rest"

    def __init__(self, number: float) -> None:
        self.number = number
        self.everywhere = Interval.point(number)  # asked for thousands of times

    def value(self, states: States) -> Floats:
        return np.full(len(states), self.number)

    def range(self, cells: Cells) -> Interval:
        return self.everywhere

    def css(self, names: Names) -> str:
        return plain(self.number)


def terms_of(scene: Scene, target: str, own: Bearer | None, tracks: Sequence[Track]) -> Iterable[tuple[str, Term]]:
    """One for every channel: the document's own number."""
    if own is None:
        values = resting_camera(scene)
    elif isinstance(own, Carrier):
        values = {channel: float(getattr(own, channel)) for channel in CARRIER_CHANNELS}
    else:
        values = resting_layer(own)
    for channel, number in values.items():
        yield channel, Rest(number)


def resting_camera(scene: Scene) -> dict[str, float]:
    """The camera at rest as channel values. Rest is where framings hold, so its position adds on top of them."""
    # a pinhole has no aperture to say: its channel is what tracks multiply
    of_lens = {"aperture": 1.0 if scene.lens.aperture is None else scene.lens.aperture}
    return {channel: float(of_lens.get(channel, getattr(scene.camera, channel, 1.0))) for channel in CAMERA_CHANNELS}


def resting_layer(layer: Layer) -> dict[str, float]:
    """The layer's own channel values; an infinite depth is inf."""
    framing, tilt = layer.framing, layer.tilt
    return {
        "x": framing.x, "y": framing.y, "scale": framing.scale, "rotation": framing.rotation, "lean": tilt.lean,
        "turn": tilt.turn, "opacity": layer.opacity, "blur": 0.0,
        "depth": float("inf") if layer.depth == "infinite" else float(layer.depth),
    }  # fmt: skip
