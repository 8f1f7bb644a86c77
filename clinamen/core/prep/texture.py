"""Exemplar-based fill: from the outline inwards, each place takes the patch of known art that fits what is there.

After Criminisi, Pérez and Toyama, Region Filling and Object Removal by Exemplar-Based Inpainting, IEEE TIP 13 (2004),
with the order given by distance to the outline, patches laid on a grid and run into each other softly. The best patch
is the one with the least squared difference, found by OpenCV's masked template matching in a window around the place.
"""

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.prep.colour import nearest

Bools = NDArray[np.bool_]
Floats = NDArray[np.float32]

PATCH = 32  # px: side of a patch
NEW = 14  # px: side of what a patch newly brings; the rest overlaps what is there
SEARCH = 110  # px around a place that are searched, more where nothing is known
WIDEST = 700
FIT_REACH, FIT_BLUR = 24.0, 2.0  # px over which a fill is brought to the light of what it meets
NEAR = 3  # px around the best place of every second pixel that are looked at again
MOST_PATCHES, MOST_IN_PREVIEW = 2600, 40  # above this a band is filled at a smaller size, its fine grain lost


def fill_texture(
    colour: NDArray[np.uint8],
    known: Bools,
    band: Bools,
    tick: Callable[[float], None] = lambda share: None,
    preview: bool = False,
) -> NDArray[np.uint8]:
    """Colours [h, w, 3] with the band filled by patches of what is known; a `preview` is filled smaller."""
    places = _places(known, band)
    most = MOST_IN_PREVIEW if preview else MOST_PATCHES
    if len(places) > most and min(known.shape) > 2 * PATCH:
        return _smaller(colour, known, band, (0.9 * most / len(places)) ** 0.5, tick, preview)
    work = _Work(colour, known)
    for index, (y, x) in enumerate(places):
        work.lay(y, x)
        if index % 16 == 0:
            tick(0.05 + 0.85 * index / len(places))
    filled = np.where((~known & work.done)[..., None], work.pixels, nearest(work.pixels, work.done))
    return _fitted_in(colour, filled, known)


def _fitted_in(colour: NDArray[np.uint8], filled: NDArray[np.uint8], known: Bools) -> NDArray[np.uint8]:
    """The filled part brought to the light of the art it meets: what differs at the joint is taken off, less and less
    the farther in."""
    solid = known.astype(np.uint8)
    rim = known & (cv2.dilate(1 - solid, np.ones((3, 3), np.uint8)) > 0)
    met = nearest(filled, ~known)
    off = np.clip((colour.astype(np.int16) - met) // 2 + 128, 0, 255).astype(np.uint8)
    spread = cv2.GaussianBlur(nearest(off, rim), (0, 0), FIT_BLUR).astype(np.float32)
    away = cv2.distanceTransform(1 - solid, cv2.DIST_L2, cv2.DIST_MASK_5)[..., None]
    fitted = filled + 2 * (spread - 128) * np.exp(-away / np.float32(FIT_REACH))
    return np.where(known[..., None], colour, np.rint(np.clip(fitted, 0, 255)).astype(np.uint8))


def _places(known: Bools, band: Bools) -> list[tuple[int, int]]:
    """Middles of the grid cells that hold band pixels, nearest to the outline first."""
    distance = cv2.distanceTransform((~known).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5)
    found = []
    for y in range(0, band.shape[0], NEW):
        for x in range(0, band.shape[1], NEW):
            cell = band[y : y + NEW, x : x + NEW]
            if cell.any():
                found.append((float(distance[y : y + NEW, x : x + NEW][cell].min()), y, x))
    return [(y + NEW // 2, x + NEW // 2) for _, y, x in sorted(found)]


def _smaller(
    colour: NDArray[np.uint8], known: Bools, band: Bools, share: float, tick: Callable[[float], None], preview: bool
) -> NDArray[np.uint8]:
    height, width = known.shape
    size = (max(1, round(width * share)), max(1, round(height * share)))
    small = cv2.resize(nearest(colour, known), size, interpolation=cv2.INTER_AREA)
    small_known = cv2.resize(known.astype(np.uint8), size, interpolation=cv2.INTER_AREA) > 0
    small_band = cv2.resize(band.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    filled = fill_texture(small, small_known, small_band & ~small_known, tick, preview)
    large = cv2.resize(filled, (width, height), interpolation=cv2.INTER_CUBIC)
    return np.where(known[..., None], colour, large)


class _Work:
    """A picture being filled. `done` marks what has a colour; sources are taken from `known` only."""

    def __init__(self, colour: NDArray[np.uint8], known: Bools) -> None:
        self.pixels = nearest(colour, known)
        self.done = known.copy()
        self.known = known
        # a patch may be taken from where all of it is known
        kernel = np.ones((PATCH, PATCH), np.uint8)
        whole = cv2.erode(known.astype(np.uint8), kernel, anchor=(0, 0), borderType=cv2.BORDER_CONSTANT, borderValue=0)
        self.whole = whole > 0
        ramp = np.minimum(np.arange(PATCH) + 1, np.arange(PATCH)[::-1] + 1) / (PATCH / 2)
        self.weight = np.minimum.outer(ramp, ramp).astype(np.float32)

    def lay(self, y: int, x: int) -> None:
        """Fill what is open around a place with the patch that fits best."""
        height, width = self.done.shape
        top, left = (int(np.clip(at - PATCH // 2, 0, max(0, size - PATCH))) for at, size in ((y, height), (x, width)))
        here = slice(top, top + PATCH), slice(left, left + PATCH)
        there = self.done[here]
        if there.all():
            return
        source = self._best(top, left, there)
        if source is None:
            return
        patch = self.pixels[source[0] : source[0] + PATCH, source[1] : source[1] + PATCH][
            : there.shape[0], : there.shape[1]
        ]
        mine = self.pixels[here]
        filled_before = there & ~self.known[here]
        mine[~there] = patch[~there]
        # where earlier patches lie they are run into this one; known art stays as it is
        share = self.weight[: there.shape[0], : there.shape[1], None] * 0.5
        mixed = mine * (1 - share) + patch * share
        mine[filled_before] = np.rint(mixed[filled_before]).astype(np.uint8)
        self.done[here] = True

    def _best(self, top: int, left: int, there: Bools) -> tuple[int, int] | None:
        reach = SEARCH
        while True:
            y0, x0 = max(0, top - reach), max(0, left - reach)
            y1 = min(self.done.shape[0], top + PATCH + reach)
            x1 = min(self.done.shape[1], left + PATCH + reach)
            free = self.whole[y0 : y1 - PATCH + 1, x0 : x1 - PATCH + 1]
            if free.any():
                break
            if reach > max(WIDEST, *self.done.shape):
                return None
            reach *= 2
        template = self.pixels[top : top + PATCH, left : left + PATCH]
        # where nothing is there yet, the nearest colours are the guide
        mask = np.repeat((there if there.any() else ~there)[..., None].astype(np.float32), 3, axis=2)
        window = self.pixels[y0:y1, x0:x1]
        coarse = _fit(window[::2, ::2], template[::2, ::2], mask[::2, ::2], free[::2, ::2])
        if coarse is None:
            return (y0, x0) if free[0, 0] else None
        row, column = 2 * coarse[0], 2 * coarse[1]
        row0, column0 = max(0, row - NEAR), max(0, column - NEAR)
        near = free[row0 : row + NEAR + 1, column0 : column + NEAR + 1]
        around = window[row0 : row0 + near.shape[0] - 1 + PATCH, column0 : column0 + near.shape[1] - 1 + PATCH]
        fine = _fit(around, template, mask, near) or (row - row0, column - column0)
        return y0 + row0 + fine[0], x0 + column0 + fine[1]


def _fit(window: NDArray[np.uint8], template: NDArray[np.uint8], mask: Floats, free: Bools) -> tuple[int, int] | None:
    """Where in a window the template fits best, of the places that are free."""
    cost = cv2.matchTemplate(window.astype(np.float32), template.astype(np.float32), cv2.TM_SQDIFF, mask=mask)
    rows, columns = min(cost.shape[0], free.shape[0]), min(cost.shape[1], free.shape[1])
    allowed = np.where(free[:rows, :columns], cost[:rows, :columns], np.inf)
    row, column = np.unravel_index(int(allowed.argmin()), allowed.shape)
    return (int(row), int(column)) if np.isfinite(allowed[row, column]) else None
