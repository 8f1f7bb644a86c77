"""Extend: more art on a side by repeating it, flipping it, stretching its edge or filling; and how well the joint fits.

Every side is worked as if it were the right one, the picture turned so that it is. With an overlap the last pixels of
the old art run softly into the new, which then begins that much earlier.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from clinamen.core.arrays import Pixels
from clinamen.core.prep.base import Around
from clinamen.core.prep.colour import delta_e, lab
from clinamen.core.prep.fill import diffused
from clinamen.core.prep.texture import fill_texture

if TYPE_CHECKING:
    from clinamen.core.prep.steps import Extend

SIDES = ("left", "right", "top", "bottom")
LONGEST_OVERLAP = 400  # px tried for the best joint
OWN_REACH = 24  # px beside the joint whose own variation it is compared with
CONTEXT = 256  # px of old art that a filled side looks at
SAMPLES = 4000  # pixels along a joint that are looked at


def _turned(pixels: Pixels, side: str) -> Pixels:
    """The picture with `side` on the right."""
    if side == "left":
        return pixels[:, ::-1]
    if side == "bottom":
        return pixels.transpose(1, 0, 2)
    return pixels[::-1].transpose(1, 0, 2) if side == "top" else pixels


def _back(pixels: Pixels, side: str) -> Pixels:
    if side == "left":
        return pixels[:, ::-1]
    if side == "bottom":
        return pixels.transpose(1, 0, 2)
    return pixels.transpose(1, 0, 2)[::-1] if side == "top" else pixels


def extend(pixels: Pixels, step: "Extend", around: Around) -> Pixels:
    """More art on every side that asks for it."""
    out = pixels
    for side in SIDES:
        count = getattr(step, side)
        if count and round(count * around.scale):
            turned = np.ascontiguousarray(_turned(out, side))
            overlap = min(round(step.overlap * around.scale), turned.shape[1] - 1)
            out = _back(_extended(turned, round(count * around.scale), step.method, overlap, around.tick), side)
    return np.ascontiguousarray(out)


def _extended(pixels: Pixels, count: int, method: str, overlap: int, tick: Callable[[float], None]) -> Pixels:
    if method == "fill":
        return _filled(pixels, count, tick)
    if method == "stretch":
        return np.pad(pixels, ((0, 0), (0, count), (0, 0)), mode="edge")
    new = continued(pixels, count + overlap, method)
    if overlap == 0:
        return np.concatenate([pixels, new], axis=1)
    share = ((np.arange(overlap) + 0.5) / overlap)[None, :, None]
    joint = pixels[:, -overlap:] * (1 - share) + new[:, :overlap] * share
    kept = pixels[:, : pixels.shape[1] - overlap]
    return np.concatenate([kept, np.rint(joint).astype(np.uint8), new[:, overlap:]], axis=1)


def continued(pixels: Pixels, count: int, method: str) -> Pixels:
    """What follows on the right [h, count, 4]: the picture again ("repeat") or its mirror image ("flip")."""
    unit = pixels if method == "repeat" else np.concatenate([pixels[:, ::-1], pixels], axis=1)
    return np.tile(unit, (1, -(-count // unit.shape[1]), 1))[:, :count]


def _filled(pixels: Pixels, count: int, tick: Callable[[float], None]) -> Pixels:
    context = min(CONTEXT, pixels.shape[1])
    wide = np.pad(pixels[:, -context:], ((0, 0), (0, count), (0, 0)), mode="edge")
    known = wide[..., 3] >= 250
    known[:, context:] = False
    band = np.zeros(known.shape, bool)
    band[:, context:] = True
    work = fill_texture if min(context, known.shape[0]) >= 2 * 32 and known.any() else None
    colour = (
        work(wide[..., :3], known, band, tick) if work else diffused(np.ascontiguousarray(wide[..., :3]), known, band)
    )
    wide[:, context:, :3] = colour[:, context:]
    return np.concatenate([pixels[:, :-context], wide], axis=1)


@dataclass(frozen=True)
class Seam:
    """Mean colour difference (CIE76) across a joint, and between neighbouring pixels beside it: a joint is unseen
    where the first is no larger than the second."""

    across: float
    own: float

    @property
    def seen(self) -> bool:
        return self.across > 1.5 * self.own + 1.0


def seam_at(pixels: Pixels, side: str, count: int) -> Seam:
    """The joint of a picture that was extended by `count` px on `side`."""
    turned = _turned(pixels, side)
    at = turned.shape[1] - count
    near = np.ascontiguousarray(turned[:, max(0, at - OWN_REACH) : at + OWN_REACH])
    near = near[:: max(1, near.shape[0] // SAMPLES)]
    steps = delta_e(lab(near[:, 1:, :3]), lab(near[:, :-1, :3]))
    both = (near[:, 1:, 3] > 0) & (near[:, :-1, 3] > 0)
    joint = min(at, OWN_REACH) - 1
    others = np.ones(steps.shape[1], bool)
    others[joint] = False
    across = float(steps[:, joint][both[:, joint]].mean()) if both[:, joint].any() else 0.0
    own = float(steps[:, others][both[:, others]].mean()) if both[:, others].any() else 0.0
    return Seam(across, own)


def best_overlap(pixels: Pixels, side: str, method: str) -> int:
    """The overlap in px at which the old art and what follows it differ least where they run into each other."""
    turned = np.ascontiguousarray(_turned(pixels, side))
    width = turned.shape[1]
    longest = min(LONGEST_OVERLAP, width // 3)
    if method not in ("repeat", "flip") or longest < 8:
        return 0
    rows = max(1, turned.shape[0] // 400)
    old = lab(np.ascontiguousarray(turned[::rows, width - longest :, :3]))
    new = lab(np.ascontiguousarray(continued(turned[::rows], longest, method)[..., :3]))
    costs = {n: float(delta_e(old[:, longest - n :], new[:, :n]).mean()) for n in range(8, longest + 1, 4)}
    return min(costs, key=lambda n: (costs[n], n))
