"""A picture of the view with a finding marked on it: its place outlined and hatched."""

import cv2
import numpy as np

from clinamen.core.arrays import Pixels
from clinamen.core.checks.base import Finding

COLOURS = {"error": (200, 68, 27), "warning": (154, 106, 0), "note": (46, 125, 107)}


def marked(picture: Pixels, finding: Finding, scale: float) -> Pixels:
    """The picture [h, w, 3], `scale` px of it to a view px, with the finding's place on it."""
    picture, colour, where = picture.copy(), COLOURS[finding.severity], finding.where
    x0, y0 = int(where.x * scale), int(where.y * scale)
    x1 = max(x0 + 3, round((where.x + where.width) * scale))
    y1 = max(y0 + 3, round((where.y + where.height) * scale))
    box = picture[max(y0, 0) : y1, max(x0, 0) : x1]
    y, x = np.mgrid[0 : box.shape[0], 0 : box.shape[1]]
    box[(x + y) % 8 < 2] = colour
    cv2.rectangle(picture, (x0, y0), (x1 - 1, y1 - 1), (255, 255, 255), 3)
    cv2.rectangle(picture, (x0, y0), (x1 - 1, y1 - 1), colour, 2)
    return picture
