"""Tracing: a silhouette as one closed outline, its holes and its parts joined by bridges of no width."""

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Floats

SHOWS = 26  # of 255: less is hardly seen
LEAST = 12.0  # square px: a smaller part or hole is left out
CLOSE = 0.7  # px: how far the outline may lie from the silhouette, as long as it takes few points
FEW = 400  # points


def traced(alpha: NDArray[np.uint8]) -> Floats:
    """The outline [N, 2] in px of what shows in an alpha [h, w]; empty where nothing does."""
    padded = np.pad((alpha >= SHOWS).astype(np.uint8), 1)
    found, _ = cv2.findContours(padded, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    rings = [ring for ring in found if cv2.contourArea(ring) >= LEAST]
    close = CLOSE
    while True:
        simple = [cv2.approxPolyDP(ring, close, True)[:, 0].astype(float) - 0.5 for ring in rings]
        simple = [ring for ring in simple if len(ring) >= 3]
        if sum(len(ring) + 2 for ring in simple) <= FEW or not simple:
            return _joined(sorted(simple, key=len, reverse=True))
        close *= 1.5


def _joined(rings: list[Floats]) -> Floats:
    """All rings as one, each entered and left at the point that lies nearest."""
    if not rings:
        return np.zeros((0, 2))
    whole = rings[0]
    for ring in rings[1:]:
        apart = np.linalg.norm(whole[:, None] - ring[None], axis=2)
        at, to = np.unravel_index(int(apart.argmin()), apart.shape)
        turned = np.roll(ring, -int(to), axis=0)
        whole = np.concatenate([whole[: at + 1], turned, turned[:1], whole[at:]])
    return whole
