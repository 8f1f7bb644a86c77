"""A kit's pages as each layer's art: its sprites laid together, premultiplied."""

from pathlib import Path
from typing import Any

import numpy as np
import pygame

Art = tuple[np.ndarray, float, float, float, float]  # pixels [h, w, 4], and left, top, width and height in art pixels


def art_of(folder: Path, data: dict[str, Any]) -> dict[tuple[str, int | None], Art]:
    """By the layer's id and, of an actor, the cell; layers that show nothing are left out."""
    pages = [pygame.image.load(str(folder / page["file"])) for page in data["pages"]]
    stored = [pygame.surfarray.pixels3d(page).swapaxes(0, 1) for page in pages]
    alphas = [pygame.surfarray.array_alpha(page).swapaxes(0, 1) for page in pages]
    found: dict[tuple[str, int | None], Art] = {}
    for layer in data["layers"]:
        for cell in dict.fromkeys(sprite.get("cell") for sprite in layer["sprites"]):
            sprites = [sprite for sprite in layer["sprites"] if sprite.get("cell") == cell]
            found[layer["id"], cell] = _together(sprites, stored, alphas, data["premultiplied"])
    return found


def _together(
    sprites: list[dict[str, Any]], pages: list[np.ndarray], alphas: list[np.ndarray], premultiplied: bool
) -> Art:
    parts, first = [sprite["part"] for sprite in sprites], sprites[0]
    x0, y0 = min(part["x"] for part in parts), min(part["y"] for part in parts)
    wide, high = (
        max(p[at] + p[side] for p in parts) - least for at, side, least in (("x", "width", x0), ("y", "height", y0))
    )
    across, down = first["width"] / first["part"]["width"], first["height"] / first["part"]["height"]
    art = np.zeros((round(high * down), round(wide * across), 4), np.float32)
    for sprite, part in zip(sprites, parts, strict=True):
        x, y, page = sprite["x"], sprite["y"], sprite["page"]
        left, top = round((part["x"] - x0) * across), round((part["y"] - y0) * down)
        there = slice(y, y + sprite["height"]), slice(x, x + sprite["width"])
        alpha = alphas[page][there][..., None] / 255
        here = art[top : top + sprite["height"], left : left + sprite["width"]]
        here[..., :3], here[..., 3:] = pages[page][there] / 255, alpha
        if not premultiplied:
            here[..., :3] *= alpha
    return art, x0, y0, wide, high
