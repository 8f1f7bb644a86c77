"""Tones: a layer's histograms before and after its finish, and its main colours with what becomes of each.

Pixels count by their alpha. The main colours are the means of clusters (k-means over L*a*b*, the same seed every time).
"""

from dataclasses import dataclass

import cv2
import numpy as np

from clinamen.core.arrays import Floats, Pixels
from clinamen.core.look.weights import LUMINANCE
from clinamen.core.prep.colour import lab

BINS = 64
MAIN = 7  # colours
SAMPLES = 6000  # pixels that clusters are sought in
SEEN = 24  # of alpha: fainter pixels say nothing
CHANNELS = ("red", "green", "blue", "luminance")
LEFT, RIGHT, TOP, BOTTOM, BETWEEN, SWATCH = 16.0, 16.0, 30.0, 22.0, 24.0, 30.0


@dataclass(frozen=True)
class Histogram:
    """One channel as points of a line, by page."""

    channel: str
    points: str


@dataclass(frozen=True)
class Swatch:
    """A main colour before and after, how much of the art it is, and where it stands on the page."""

    before: str
    after: str
    share: float
    x: float
    width: float


@dataclass(frozen=True)
class Tones:
    width: float
    height: float
    left: tuple[float, float]
    right: tuple[float, float]
    top: float
    floor: float
    before: tuple[Histogram, ...]
    after: tuple[Histogram, ...]
    swatches: tuple[Swatch, ...]


def draw(before: Pixels, after: Pixels, width: float = 688, height: float = 236) -> Tones:
    """Both pictures [h, w, 4] of one size on a page of width × height: before on the left, after on the right."""
    half = (width - LEFT - RIGHT - BETWEEN) / 2
    left, right = (LEFT, LEFT + half), (LEFT + half + BETWEEN, width - RIGHT)
    floor = height - BOTTOM - SWATCH
    counts = [_counts(picture) for picture in (before, after)]
    most = (
        max(float(np.max(each[:, 1:-1], initial=0)) for each in counts) or 1.0
    )  # black and white alone do not set the scale

    def lines(count: Floats, ends: tuple[float, float]) -> tuple[Histogram, ...]:
        x = np.linspace(*ends, BINS)
        y = floor - np.clip(count / most, 0, 1) * (floor - TOP)
        return tuple(
            Histogram(name, " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(x, row, strict=True)))
            for name, row in zip(CHANNELS, y, strict=True)
        )

    return Tones(
        width, height, left, right, TOP, floor, lines(counts[0], left), lines(counts[1], right), _swatches(before, after, width),
    )  # fmt: skip


def _counts(picture: Pixels) -> Floats:
    """Histograms [4, BINS], counted by alpha, as shares."""
    weight = picture[..., 3].astype(float).ravel()
    grey = picture[..., :3] @ np.array(LUMINANCE)
    planes = [*(picture[..., c].astype(float) for c in range(3)), grey]
    total = max(float(weight.sum()), 1e-9)
    return np.stack([np.histogram(p.ravel(), BINS, (0, 256), weights=weight)[0] / total for p in planes])


def _swatches(before: Pixels, after: Pixels, width: float) -> tuple[Swatch, ...]:
    seen = before[..., 3] >= SEEN
    if not seen.any():
        return ()
    one, two = before[seen], after[seen]
    step = max(1, len(one) // SAMPLES)
    one, two = one[::step], two[::step]
    values = lab(np.ascontiguousarray(one[None, :, :3]))[0]
    cv2.setRNGSeed(7)
    stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 20, 0.5)
    count = min(MAIN, len(values))
    _, labels, _ = cv2.kmeans(values, count, np.zeros((0, 1), np.int32), stop, 2, cv2.KMEANS_PP_CENTERS)
    groups = sorted(range(count), key=lambda g: -int((labels == g).sum()))
    found, x = [], LEFT
    for group in groups:
        member = labels[:, 0] == group
        share = float(member.mean())
        if share == 0:
            continue
        wide = share * (width - LEFT - RIGHT)
        found.append(Swatch(_code(one[member]), _code(two[member]), share, round(x, 2), round(wide, 2)))
        x += wide
    return tuple(found)


def _code(pixels: Pixels) -> str:
    return "#" + "".join(f"{round(float(value)):02x}" for value in pixels[:, :3].mean(axis=0))
