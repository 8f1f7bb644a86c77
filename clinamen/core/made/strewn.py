"""Discs and streaks strewn over a tile by chance, wherever the tile goes on."""

import math

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.made.painting import Shares, size


def discs(
    width: int, height: int, scale: float, count: int, sizes: tuple[float, float], softness: float, seed: int,
    faint: bool = False,
) -> Shares:  # fmt: skip
    """Soft discs strewn over a tile of which 1000 × 1000 px hold `count`; `faint`: each as strong as chance has it."""
    wide, high = size(width, height, scale)
    out = np.zeros((high, wide), np.float32)
    random = np.random.default_rng(seed)
    number = max(1, round(count * width * height / 1e6))
    for _ in range(number):
        x, y, pick, bent, turn, strong = random.uniform(size=6)
        radius = (sizes[0] + (sizes[1] - sizes[0]) * pick**2) / 2
        _disc(
            out,
            (x * width, y * height),
            radius,
            1 + 0.3 * (bent - 0.5),
            180 * turn,
            softness,
            scale,
            0.25 + 0.75 * strong if faint else 1.0,
        )
    return out


def _disc(
    out: Shares, at: tuple[float, float], radius: float, bent: float, turn: float, softness: float, scale: float, strong: float,
) -> None:  # fmt: skip
    """One disc, whole at its middle, gone at its edge, wherever the tile goes on."""
    high, wide = out.shape
    reach = math.ceil(radius * scale * 1.3 + 1)
    cx, cy = at[0] * scale, at[1] * scale
    columns = np.arange(math.floor(cx) - reach, math.floor(cx) + reach + 1)
    rows = np.arange(math.floor(cy) - reach, math.floor(cy) + reach + 1)
    x, y = (columns + 0.5 - cx)[None, :], (rows + 0.5 - cy)[:, None]
    cos, sin = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    away = np.hypot((x * cos + y * sin) * bent, (y * cos - x * sin) / bent) / max(radius * scale, 1e-6)
    edge = max(softness, min(1.0, 1 / max(radius * scale, 1e-6)))
    share = np.clip((1 - away) / edge + (0.5 if softness < edge else 0), 0, 1)
    share = (share * share * (3 - 2 * share) * strong * min(1.0, (2 * radius * scale) ** 2)).astype(np.float32)
    where = np.ix_(rows % high, columns % wide)
    out[where] = 1 - (1 - out[where]) * (1 - share)


def streaks(
    width: int,
    height: int,
    scale: float,
    count: int,
    length: float,
    thick: float,
    along_: tuple[float, float],
    seed: int,
) -> Shares:
    """Streaks strewn over a tile, thin at both ends, along a direction."""
    wide, high = size(width, height, scale)
    out = np.zeros((high, wide), np.float32)
    random = np.random.default_rng(seed)
    way = np.array(along_) / max(math.hypot(*along_), 1e-6)
    for _ in range(max(1, round(count * width * height / 1e6))):
        x, y, pick, strong = random.uniform(size=4)
        half = length * (0.5 + 0.5 * pick) / 2
        _streak(out, (x * width * scale, y * height * scale), way, half * scale, thick * scale, 0.35 + 0.65 * strong)
    return out


def _streak(out: Shares, at: tuple[float, float], way: Floats, half: float, thick: float, strong: float) -> None:
    high, wide = out.shape
    reach_x, reach_y = (math.ceil(abs(part) * half + thick + 1) for part in way)
    columns = np.arange(math.floor(at[0]) - reach_x, math.floor(at[0]) + reach_x + 1)
    rows = np.arange(math.floor(at[1]) - reach_y, math.floor(at[1]) + reach_y + 1)
    x, y = (columns + 0.5 - at[0])[None, :], (rows + 0.5 - at[1])[:, None]
    on, off = x * way[0] + y * way[1], np.abs(y * way[0] - x * way[1])
    body = np.clip(1 - (on / max(half, 1e-6)) ** 2, 0, 1)
    share = np.clip((thick / 2 - off) + 0.5, 0, 1) * min(1.0, thick) * body * strong
    where = np.ix_(rows % high, columns % wide)
    out[where] = 1 - (1 - out[where]) * (1 - share.astype(np.float32))
