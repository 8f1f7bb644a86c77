"""Assisted cut: a box and some marks, a graph cut at a modest size, then alpha and colour of the edge worked out fine.

Sources: Rother, Kolmogorov and Blake, GrabCut, SIGGRAPH 2004 (OpenCV's); the edge by the matting equation
C = αF + (1 − α)B with F and B from the nearest sure pixels (as in Gastal and Oliveira, Shared Sampling, 2010, with one
sample a side), then smoothed along the picture by a guided filter (He, Sun and Tang, ECCV 2010).
"""

import hashlib
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Pixels
from clinamen.core.bounded import Bounded
from clinamen.core.prep.base import Around, Mask, with_alpha
from clinamen.core.prep.colour import nearest
from clinamen.core.prep.edges import blurred, signed_distance
from clinamen.core.prep.shapes import Mark

if TYPE_CHECKING:
    from clinamen.core.prep.steps import AssistedCut


WORKING, WORKING_PREVIEW = 720, 240  # longest side in px of what the graph cut looks at
MARGIN = 0.25  # of the box: how much of its surroundings is looked at
ROUNDS = 2
BIN_BITS = 4  # of each colour channel, when colours inside and outside the box are counted
TILE = 1024  # px: the edge is worked out tile by tile, so that floats of a large picture never stand in memory at once
COLOUR_NOISE = 18.0**2  # squared distance of two colours (0…255) below which they cannot be told apart
SAMPLE_BLUR = 2.0  # px: colours sampled beside the edge are averaged this far
GUIDE_NOISE = 1e-4  # regularisation of the guided filter, of squared alpha
COMPONENTS, TRIES, MIXTURE_SAMPLES, LEAST_SAMPLES = 5, 24, 2_500, 16
FOUND_BYTES = 300_000_000  # of found edges kept
SEEDS = (11, 12, 13)  # one start in ten or so leads a graph cut quite wrong: of three cuts the majority counts

_found: Bounded[tuple[Mask, NDArray[np.uint8]]] = Bounded(FOUND_BYTES, lambda found: sum(part.nbytes for part in found))


def assisted(pixels: Pixels, step: "AssistedCut", around: Around) -> Pixels:
    """Cut the subject out of the box."""
    height, width = pixels.shape[:2]
    window = _window(step, around.scale, width, height)
    part = np.ascontiguousarray(pixels[window])
    alpha, colour = _found.get(_name_of(part, step, around), lambda: _find(part, step, around, window))
    keep = np.zeros((height, width), np.float32)
    keep[window] = alpha
    for mark in step.marks:  # what was marked is sure, whatever the edge's colours say
        _draw(keep, mark, around.scale, (0, 0), 1.0 if mark.belongs else 0.0)
    keep = blurred(keep, step.soften * around.scale)
    if step.invert:
        return with_alpha(pixels, 1 - keep)
    out = pixels.copy()
    out[window][..., :3] = colour
    return with_alpha(out, keep)


def _name_of(part: Pixels, step: "AssistedCut", around: Around) -> tuple[object, ...]:
    """What the found edge follows from; a piece and what remains behind it have it in common."""
    words = step.model_dump_json(exclude={"invert", "soften", "on"})
    return hashlib.blake2b(part.tobytes(), digest_size=16).digest(), part.shape, words, around.scale, around.draft


def _find(
    part: Pixels, step: "AssistedCut", around: Around, window: tuple[slice, slice]
) -> tuple[Mask, NDArray[np.uint8]]:
    """Alpha [h, w] of the subject in the window and its own colours [h, w, 3]."""
    around.tick(0.05)
    rough, ratio = rough_cut(part, step, around, (window[1].start, window[0].start))
    around.tick(0.5)
    # half a working pixel is how well the rough edge is known
    band = max(step.matting * around.scale, 0.75 / ratio) if step.matting > 0 else 0.0
    found = refine(part, rough, band, lambda share: around.tick(0.5 + 0.4 * share))
    around.tick(0.9)
    return found


def _window(step: "AssistedCut", scale: float, width: int, height: int) -> tuple[slice, slice]:
    box = step.box
    margin_x, margin_y = box.width * MARGIN + 8, box.height * MARGIN + 8
    x0, x1 = (box.x - margin_x) * scale, (box.x + box.width + margin_x) * scale
    y0, y1 = (box.y - margin_y) * scale, (box.y + box.height + margin_y) * scale
    left, top = min(max(0, int(x0)), width - 1), min(max(0, int(y0)), height - 1)
    return slice(top, max(top + 1, min(height, int(np.ceil(y1))))), slice(
        left, max(left + 1, min(width, int(np.ceil(x1))))
    )


def rough_cut(part: Pixels, step: "AssistedCut", around: Around, at: tuple[int, int]) -> tuple[Mask, float]:
    """The subject's mask [h, w] by graph cut, enlarged to the part, and the size it was worked at as a share."""
    longest = max(part.shape[:2])
    ratio = min(1.0, (WORKING_PREVIEW if around.draft else WORKING) / longest)
    size = (max(2, round(part.shape[1] * ratio)), max(2, round(part.shape[0] * ratio)))
    small = cv2.resize(np.ascontiguousarray(part[..., :3]), size, interpolation=cv2.INTER_AREA)
    grid = _grid(step, around.scale, at, ratio, size)
    _guessed(grid, small)
    fore = (grid == cv2.GC_FGD) | (grid == cv2.GC_PR_FGD)
    found = fore.astype(np.float32)
    if min(fore.sum(), (~fore).sum()) >= LEAST_SAMPLES:
        votes = np.zeros(grid.shape, np.uint8)
        # a preview has no time for more than one start
        seeds, tries = (SEEDS[:1], TRIES // 3) if around.draft else (SEEDS, TRIES)
        for number, seed in enumerate(seeds):
            around.tick(0.05 + 0.4 * number / len(seeds))
            labels = grid.copy()
            back, front = _mixture(small[~fore], seed, tries), _mixture(small[fore], seed, tries)
            cv2.grabCut(small, labels, None, back, front, ROUNDS, cv2.GC_EVAL)
            votes += (labels == cv2.GC_FGD) | (labels == cv2.GC_PR_FGD)
        found = (2 * votes > len(seeds)).astype(np.float32)
    large = cv2.resize(found, (part.shape[1], part.shape[0]), interpolation=cv2.INTER_LINEAR)
    return large, ratio


def _grid(
    step: "AssistedCut", scale: float, at: tuple[int, int], ratio: float, size: tuple[int, int]
) -> NDArray[np.uint8]:
    """What is known before the cut: outside the box nothing belongs, inside it may, marks are sure."""
    grid = np.full((size[1], size[0]), cv2.GC_BGD, np.uint8)
    x, y = (step.box.x * scale - at[0]) * ratio, (step.box.y * scale - at[1]) * ratio
    right, bottom = x + step.box.width * scale * ratio, y + step.box.height * scale * ratio
    grid[max(0, round(y)) : max(0, round(bottom)), max(0, round(x)) : max(0, round(right))] = cv2.GC_PR_FGD
    for mark in step.marks:
        _draw(grid, mark, scale * ratio, (at[0] * ratio, at[1] * ratio), cv2.GC_FGD if mark.belongs else cv2.GC_BGD)
    return grid


def _mixture(colours: NDArray[np.uint8], seed: int, tries: int) -> NDArray[np.float64]:
    """A Gaussian mixture of colours [N, 3] as OpenCV lays it out: 5 weights, 15 means, 45 covariances."""
    some = colours[:: max(1, len(colours) // MIXTURE_SAMPLES)].astype(np.float32)
    cv2.setRNGSeed(seed)
    stop = (cv2.TERM_CRITERIA_MAX_ITER | cv2.TERM_CRITERIA_EPS, 30, 0.5)
    _, labels, _ = cv2.kmeans(some, COMPONENTS, None, stop, tries, cv2.KMEANS_PP_CENTERS)
    weights, means, spreads = [], [], []
    for component in range(COMPONENTS):
        mine = some[labels.ravel() == component]
        weights.append(len(mine) / len(some))
        means.append(mine.mean(axis=0) if len(mine) else some.mean(axis=0))
        spread = np.cov(mine.T) if len(mine) > 3 else np.zeros((3, 3))
        spreads.append(spread + 0.5 * np.eye(3))  # a flat colour has no spread, and no inverse of it
    return np.concatenate([np.ravel(part) for part in (weights, means, spreads)])[None].astype(np.float64)


def _guessed(grid: NDArray[np.uint8], small: NDArray[np.uint8]) -> None:
    """Inside the box, colours that are commoner outside it probably do not belong: a start from which the cut finds the
    subject, where the box alone may lead it to the box's own background."""
    bins = (small >> (8 - BIN_BITS)).astype(np.intp)
    index = (bins[..., 0] << 2 * BIN_BITS) | (bins[..., 1] << BIN_BITS) | bins[..., 2]
    outside, inside = grid == cv2.GC_BGD, (grid == cv2.GC_PR_FGD) | (grid == cv2.GC_FGD)
    if not outside.any() or not inside.any():
        return
    side = 1 << BIN_BITS
    common = []
    for where in (outside, inside):
        counts = np.bincount(index[where], minlength=side**3).astype(np.float32).reshape(side, side, side)
        for axis in range(3):  # neighbouring colours count too
            counts = counts + 0.5 * (np.roll(counts, 1, axis) + np.roll(counts, -1, axis))
        common.append(counts.ravel() / where.sum())
    grid[(grid == cv2.GC_PR_FGD) & (common[0] > common[1])[index]] = cv2.GC_PR_BGD


def _draw(grid: NDArray[Any], mark: Mark, scale: float, at: tuple[float, float], value: float) -> None:
    """Draw a mark's stroke into a grid of `scale` cells a pixel whose corner lies at `at`."""
    line = np.round(np.array([[point.x, point.y] for point in mark.points]) * scale - at).astype(np.int32)
    thick = max(1, round(2 * mark.radius * scale))
    if len(line) == 1:
        cv2.circle(grid, [int(v) for v in line[0]], max(1, thick // 2), value, -1)
    else:
        cv2.polylines(grid, [line], False, value, thick)


def refine(
    part: Pixels, rough: Mask, band: float, tick: Callable[[float], None] = lambda share: None
) -> tuple[Mask, NDArray[np.uint8]]:
    """Alpha [h, w] and the subject's own colours [h, w, 3] within `band` px of a rough edge."""
    inside = rough >= 0.5
    colour = part[..., :3].copy()
    hard = inside.astype(np.float32)
    if band <= 0 or not inside.any() or inside.all():
        return hard, colour
    distance = signed_distance(inside)
    unsure = np.abs(distance) < band
    alpha, seen = hard.copy(), part[..., :3]
    margin = int(2 * band) + 16  # a tile has to see the sure pixels that its own unsure ones are compared with
    height, width = unsure.shape
    for top in range(0, height, TILE):
        tick(top / height)
        for left in range(0, width, TILE):
            tile = slice(top, top + TILE), slice(left, left + TILE)
            if not unsure[tile].any():
                continue
            y0, x0 = max(0, top - margin), max(0, left - margin)
            wide = slice(y0, top + TILE + margin), slice(x0, left + TILE + margin)
            made, own = _matted(np.ascontiguousarray(seen[wide]), distance[wide], band)
            rows, columns = slice(top - y0, top - y0 + TILE), slice(left - x0, left - x0 + TILE)
            alpha[tile], colour[tile] = made[rows, columns], own[rows, columns]
    return alpha, colour


def _matted(seen: NDArray[np.uint8], distance: NDArray[np.float32], band: float) -> tuple[Mask, NDArray[np.uint8]]:
    fore = _beside(seen, distance <= -band)
    back = _beside(seen, distance >= band)
    unsure = np.abs(distance) < band
    c, f, b = (values[unsure].astype(np.float32) for values in (seen, fore, back))
    apart = f - b
    gap = (apart**2).sum(axis=1)
    share = np.clip(((c - b) * apart).sum(axis=1) / np.maximum(gap, 1.0), 0, 1)
    trust = gap / (gap + COLOUR_NOISE)
    ramp = np.clip(0.5 - distance[unsure], 0, 1)
    mask = (distance < 0).astype(np.float32)
    mask[unsure] = trust * share + (1 - trust) * ramp
    guide = cv2.ximgproc.guidedFilter(seen, mask, max(1, round(band / 2)), GUIDE_NOISE * 255**2)
    out = (distance < 0).astype(np.float32)
    out[unsure] = np.clip(0.5 * guide[unsure] + 0.5 * mask[unsure], 0, 1)
    out[out < 0.02], out[out > 0.98] = 0, 1
    own = seen.copy()
    a = out[unsure][:, None]
    pure = np.where(a > 0.1, (c - (1 - a) * b) / np.maximum(a, 0.1), f)
    own[unsure] = np.rint(np.clip(pure, 0, 255))
    return out, own


def _beside(seen: NDArray[np.uint8], sure: "NDArray[np.bool_]") -> NDArray[np.uint8]:
    """Every pixel the averaged colour of the sure pixel nearest to it."""
    weight = sure.astype(np.float32)
    near = cv2.GaussianBlur(weight, (0, 0), SAMPLE_BLUR, borderType=cv2.BORDER_REPLICATE)
    total = cv2.GaussianBlur(seen.astype(np.float32) * weight[..., None], (0, 0), SAMPLE_BLUR,
                             borderType=cv2.BORDER_REPLICATE)  # fmt: skip
    mean = np.rint(np.clip(total / np.maximum(near, 1e-3)[..., None], 0, 255)).astype(np.uint8)
    return nearest(mean, sure)
