"""Stride: how much ground one cycle of an actor's feet covers, and how far they slide where the ground passes otherwise.

Feet hold the ground when stride = ground speed · time of a cycle. The stride is measured on the cells themselves: what touches
the ground goes back from cell to cell, and most cells agree by how much.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core.arrays import Floats, Pixels
from clinamen.core.document import Layer, Scene
from clinamen.core.motion.cells import period
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import States
from clinamen.core.stage import stage

SOLID = 200  # of 255: fainter is a shadow, not a foot
CONTACT = 0.05  # of the height: what is so near the lowest point touches the ground
MEASURED = 0.01  # of a stride: how closely cells tell it
FARTHEST = 0.3  # of the width: no foot goes farther from one cell to the next


@dataclass(frozen=True)
class Slide:
    """Over one cycle, in view pixels: what the feet cover, what the ground does, and how far they slide; the speed at which the
    ground would have to pass, view pixels a second, and the cells a second at which the feet would hold it as it passes now."""

    stride: float
    ground: float
    slides: float
    speed: float
    fps: float | None

    @property
    def holds(self) -> bool:
        """True where the feet slide by no more than a stride can be measured to."""
        return self.slides <= max(0.5, MEASURED * self.stride)


def measured(cells: Pixels) -> float:
    """The stride in art pixels of an actor's cells [n, h, w, 4]; 0 where nothing touches the ground or goes back."""
    solid = cells[..., 3] >= SOLID
    rows = np.flatnonzero(solid.any(axis=(0, 2)))
    if len(rows) == 0 or len(cells) < 2:
        return 0.0
    high = max(2, round((rows[-1] - rows[0] + 1) * CONTACT))
    profiles = solid[:, rows[-1] - high + 1 : rows[-1] + 1].sum(axis=1).astype(float)
    profiles -= profiles.min(axis=0)  # what touches the ground in every cell, as a cart's wheels, is no foot
    most = max(2, int(FARTHEST * cells.shape[2]))
    steps = [_shift(one, two, most) for one, two in zip(profiles, np.roll(profiles, -1, axis=0), strict=True)]
    return abs(float(np.median(steps))) * len(cells)


def _shift(one: Floats, two: Floats, most: int) -> float:
    """By how many pixels a profile has gone along, to a fraction by a parabola through the best three."""
    if not one.any() or not two.any():
        return 0.0
    ways = np.arange(-most, most + 1)
    alike = np.array([float((np.roll(one, way) * two).sum()) for way in ways])
    best = int(alike.argmax())
    if 0 < best < len(ways) - 1:
        before, at, after = alike[best - 1 : best + 2]
        bend = before - 2 * at + after
        return float(ways[best] + (0.5 * (before - after) / bend if bend else 0.0))
    return float(ways[best])


def slide_of(scene: Scene, actor: Layer, ground: Layer, stride: float) -> Slide:
    """How an actor's feet, covering `stride` art pixels a cycle, meet the ground as both are seen, on average over the scene's
    time."""
    assert actor.frames is not None and scene.drivers.time is not None
    cycle, end = period(actor.frames), scene.drivers.time.duration
    staged = stage(scene, States.still(2, time=np.array([0.0, end])), Motion(scene), (actor, ground))
    (at, scale), (under, _) = (sheet.centre() for sheet in staged.sheets)
    passes = abs(float((under[1] - under[0] - at[1] + at[0])[0])) * cycle / end
    covered = stride * float(scale.mean())
    fps = actor.frames.fps * passes / covered if covered > 0 and passes > 0 else None
    return Slide(covered, passes, abs(passes - covered), covered / cycle, fps)
