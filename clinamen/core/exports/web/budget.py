"""The budget: what the page costs its visitors in usual windows, by layer: bytes, requests, and memory once it is decoded.

HTML leaves the choice of a file to the browser. Counted is Chromium's way: on a screen of one device pixel a pixel the smallest
file that is large enough, on finer ones the one that comes closest in ratio (a test holds it against the browser). Text is
counted as it stands in the folder; a server that compresses sends a quarter of it.
"""

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from clinamen.core.exports.web.pictures import FULL_DETAIL, Fit, Written


@dataclass(frozen=True)
class Window:
    """A window that is counted for; `ratio`: device pixels a pixel."""

    name: str
    width: int
    height: int
    ratio: float


WINDOWS = (
    Window("1280 × 800", 1280, 800, 1),
    Window("1920 × 1080", 1920, 1080, 1),
    Window("390 × 844, a phone", 390, 844, 3),
)


def budget(layers: dict[str, Written], names: dict[str, str], others: list[int], fit: Fit) -> list[dict[str, Any]]:
    """For each window its name, bytes, requests and decoded bytes, and the same by layer, the heaviest first; `others` are the
    bytes of all that is fetched beside the layers' art."""
    table = []
    for window in WINDOWS:
        rows: list[dict[str, Any]] = []
        for layer_id, written in layers.items():
            width, height, size = _taken(written, window, fit)
            rows.append({"layer": names[layer_id], "bytes": size, "decoded": 4 * width * height})
        rows.sort(key=lambda row: -row["decoded"])
        table.append(
            {
                "window": window.name,
                "bytes": sum(others) + sum(row["bytes"] for row in rows),
                "requests": len(others) + len(rows),
                "decoded": sum(row["decoded"] for row in rows),
                "layers": rows,
            }
        )
    return table


def _taken(written: Written, window: Window, fit: Fit) -> tuple[int, int, int]:
    """Width, height and bytes of the file that a window takes."""
    if written.shares is None:
        return written.sizes[-1] if window.ratio > 1 else written.sizes[0]
    across, down = written.shares[0] * window.width, written.shares[1] * window.height
    shown = (max if fit == "cover" else min)(across, down) * min(window.ratio, FULL_DETAIL)
    for smaller, larger in pairwise(written.sizes):
        if smaller[0] >= shown or (window.ratio > 1 and shown < math.sqrt(smaller[0] * larger[0])):
            return smaller
    return written.sizes[-1]
