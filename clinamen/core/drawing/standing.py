"""Sheets as they stand, in the space of view place and rate: where the resting camera sees a point, and at what rate it moves.

In that space planes stay planes and infinity is at hand, so a sheet is four corners with straight edges however it leans
or turns; plan, section and turntable are views of it. The rate of a point is k·D / q.z, q.z being what its homography divides by.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Layer, Scene
from clinamen.core.stage import Sheet, corners, framed


@dataclass(frozen=True)
class Standing:
    """A layer at rest. `into` [4, 3] takes an art point (a, b, 1) from the art's centre to (x·w, y·w, rate·w, w): view pixels
    from the view's centre and rate, w positive before the camera."""

    layer: Layer
    rate: float
    into: Floats

    @property
    def upright(self) -> bool:
        return self.layer.tilt.lean == self.layer.tilt.turn == 0

    def points(self, art: Floats) -> Floats:
        """Places [P, 3] of art points [P, 2]; those behind the camera are not finite."""
        found = np.column_stack([art, np.ones(len(art))]) @ self.into.T
        with np.errstate(divide="ignore", invalid="ignore"):
            placed: Floats = np.where(found[:, 3:] > 0, found[:, :3] / found[:, 3:], np.nan)
            return placed

    def outline(self, near: float) -> Floats:
        """The art's outline [P, 3], cut off where it comes nearer than the rate `near`."""
        return self.points(_cut(corners(self.layer), self.into[3] * near - self.into[2]))

    def line(self, side: int, near: float) -> Floats:
        """The line [2, 3] through the art's middle across (side 0) or down (1), cut off in the same way."""
        half = np.array([self.layer.art.width, self.layer.art.height]) / 2
        ends = np.zeros((2, 2))
        ends[:, side] = -half[side], half[side]
        inside = ends @ (self.into[3] * near - self.into[2])[:2] + (self.into[3] * near - self.into[2])[2]
        if inside.min() < 0 < inside.max():
            share = inside[0] / (inside[0] - inside[1])
            ends[0 if inside[0] < 0 else 1] = ends[0] + share * (ends[1] - ends[0])
        return self.points(ends)


def standing(scene: Scene, layers: tuple[Layer, ...] | None = None) -> list[Standing]:
    """Every layer as it stands at rest, in drawing order."""
    chosen = scene.layers if layers is None else layers
    return [_standing(scene, sheet) for sheet in framed(scene, chosen).sheets]


def _standing(scene: Scene, sheet: Sheet) -> Standing:
    matrix, rate = sheet.matrix[0], float(sheet.rate[0])
    into = np.zeros((4, 3))
    into[0] = matrix[0] - scene.view.width / 2 * matrix[2]
    into[1] = matrix[1] - scene.view.height / 2 * matrix[2]
    into[2, 2] = rate * scene.lens_distance
    into[3] = matrix[2]
    return Standing(sheet.layer, rate, into)


def _cut(outline: Floats, by: Floats) -> Floats:
    """The part of a convex outline [P, 2] where by · (a, b, 1) ≥ 0 (Sutherland and Hodgman 1974)."""
    inside = outline @ by[:2] + by[2]
    kept = []
    for one, other in zip(range(len(outline)), [*range(1, len(outline)), 0], strict=True):
        if inside[one] >= 0:
            kept.append(outline[one])
        if (inside[one] >= 0) != (inside[other] >= 0):
            share = inside[one] / (inside[one] - inside[other])
            kept.append(outline[one] + share * (outline[other] - outline[one]))
    return np.array(kept) if kept else np.zeros((0, 2))
