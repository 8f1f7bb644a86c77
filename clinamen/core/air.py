"""Air: what stands between eye and sheet takes part of its colour away and puts its own in its place, in linear light.

The share kept is t = exp(−3.912 · d / visibility) over a distance d: Koschmieder's law, the visibility being where 2 % of the
contrast is left (ln 0.02 = −3.912). d is the distance at rest, D/k, so that the share does not change while the scene moves.
"""

import math
from dataclasses import dataclass

from clinamen.core.document.carrying import resting_depth
from clinamen.core.document.layer import Layer
from clinamen.core.document.look import Air
from clinamen.core.document.scene import Scene
from clinamen.core.optics import rate_of

EXTINCTION = 3.912  # −ln 0.02: Koschmieder's contrast threshold


def kept_share(scene: Scene, layer: Layer) -> float:
    """The share of its own colour that a layer keeps: 1 in clear air, 0 infinitely far."""
    visibility = scene.air.visibility
    if visibility is None or not layer.takes.air:
        return 1.0
    return share_at(rate_of(resting_depth(scene, layer), scene.lens_distance), scene.lens_distance, visibility)


def share_at(rate: float, distance: float, visibility: float) -> float:
    """The share kept at a rate, over lens distance `distance`; both in scene pixels."""
    return math.exp(-EXTINCTION * distance / rate / visibility) if rate > 0 else 0.0


def visibility_for(share: float, rate: float, distance: float) -> float:
    """The visibility that leaves this share, 0 < share < 1, at a rate above 0."""
    return EXTINCTION * distance / rate / -math.log(share)


@dataclass(frozen=True)
class AirKind:
    """A preset: its colour, and the share of its own colour that the farthest finite sheet keeps in it (None: clear)."""

    name: str
    colour: str
    share: float | None

    def air(self, scene: Scene) -> Air:
        """The air of this kind that suits a scene."""
        rates = [rate_of(resting_depth(scene, layer), scene.lens_distance) for layer in scene.layers]
        far = min([rate for rate in rates if rate > 0], default=0.5)
        assert self.share is not None
        return Air(colour=self.colour, visibility=float(f"{visibility_for(self.share, far, scene.lens_distance):.4g}"))


# common practice, no source: far sheets palest by day and in mist, darkest where there is no light behind them
AIRS = {
    "clear": AirKind("Clear", "#c9d6df", None),
    "haze": AirKind("Haze by day", "#c9d6df", 0.55),
    "mist": AirKind("Morning mist", "#e6e3da", 0.25),
    "dark": AirKind("Into the dark", "#0b1420", 0.35),
}
