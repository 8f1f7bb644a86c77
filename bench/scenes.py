"""Scenes to measure with: 24 layers of made-up art, three drivers."""

import cv2
import numpy as np

from clinamen.core import document
from clinamen.core.document import Scene

LAYERS, WIDTH, HEIGHT = 24, 2400, 1300


def art(index: int, width: int = WIDTH, height: int = HEIGHT) -> np.ndarray:
    """Layer `index`'s art [h, w, 4]: the first is opaque, the others hills that stand ever lower."""
    rng = np.random.default_rng(index)
    small = rng.integers(20, 236, (height // 60 + 2, width // 60 + 2, 3)).astype(np.uint8)
    colour = cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC)
    line = height * (0.15 + 0.7 * index / LAYERS) + 60 * np.sin(np.arange(width) / (40 + 9 * index))
    shown = (np.arange(height)[:, None] > line[None]) if index else np.ones((height, width), bool)
    return np.dstack([colour, (shown * 255).astype(np.uint8)])


def organic(index: int, width: int = WIDTH, height: int = HEIGHT) -> np.ndarray:
    """Layer `index`'s art [h, w, 4]: the first is opaque, the others leaves and mist with soft edges, about a third filled."""
    rng = np.random.default_rng(100 + index)

    def noise(step: int, low: float, high: float, channels: int) -> np.ndarray:
        small = rng.uniform(low, high, (height // step + 2, width // step + 2, channels)).astype(np.float32)
        return cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC).reshape(height, width, channels)

    colour = noise(60, 20, 236, 3) + noise(6, -30, 30, 3)
    cover = noise(180, 0, 1, 1) * 0.7 + noise(40, 0, 1, 1) * 0.3
    alpha = np.clip((cover - 0.56) * 14, 0, 1) * 255 if index else np.full((height, width, 1), 255)
    return np.clip(np.dstack([colour, alpha]), 0, 255).astype(np.uint8)


def turned() -> Scene:
    """The same 24 layers under a camera that pans, tilts and rolls, so that all of them recede and stand askew."""
    made = scene().to_json()
    made["camera"] = {"yaw": 4, "pitch": -2, "roll": 3}
    return document.parse(made)


def scene(gap: bool = False) -> Scene:
    """24 layers from far to near under a travelling camera, a pointer and a clock; `gap`: the move goes too far."""
    layers = [
        {
            "id": f"layer-{i:02d}",
            "art": {"file": f"art/{i:02d}.png", "width": WIDTH, "height": HEIGHT},
            "depth": 12000 - i * 520,
        }
        for i in range(LAYERS)
    ]
    reach = 2200 if gap else 500
    return document.parse(
        {
            "title": "Bench", "layers": layers,
            "drivers": {"scroll": {}, "pointer": {}, "time": {"duration": 12}},
            "tracks": [
                {"target": "camera", "channel": "x", "driver": "scroll", "keys": [
                    {"at": 0, "value": 0, "ease": "ease-in-out"}, {"at": 0.6, "value": reach, "ease": "smooth"}, {"at": 1, "value": 120}]},
                {"target": "camera", "channel": "y", "driver": "time", "keys": [
                    {"at": 0, "value": 0, "ease": "ease-in-out"}, {"at": 6, "value": 70, "ease": "ease-in-out"}, {"at": 12, "value": 0}]},
            ],
        }
    )  # fmt: skip
