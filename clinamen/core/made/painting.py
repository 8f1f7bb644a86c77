"""How made art is painted: shares [h, w] of a colour, on a raster of any scale, without a joint where it tiles."""

import math

import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Floats, Pixels

Shares = NDArray[np.float32]


def size(width: int, height: int, scale: float) -> tuple[int, int]:
    """Width and height of the raster."""
    return max(1, round(width * scale)), max(1, round(height * scale))


def rgb(code: str) -> tuple[int, int, int]:
    """(red, green, blue) of #rrggbb."""
    return int(code[1:3], 16), int(code[3:5], 16), int(code[5:7], 16)


def canvas(width: int, height: int, scale: float, colour: str) -> Pixels:
    """One opaque colour."""
    wide, high = size(width, height, scale)
    out = np.empty((high, wide, 4), np.uint8)
    out[:] = (*rgb(colour), 255)
    return out


def flat(colour: str, share: "Floats | Shares") -> Pixels:
    """One colour with these shares [h, w] as alpha."""
    out = np.empty((*share.shape, 4), np.uint8)
    out[..., :3] = rgb(colour)
    out[..., 3] = np.rint(255 * np.clip(share, 0, 1))
    return out


def centres(width: int, height: int, scale: float) -> tuple[Floats, Floats]:
    """Places of the pixels' middles in art pixels from the art's middle, across and down."""
    wide, high = size(width, height, scale)
    return ((np.arange(wide) + 0.5) / wide - 0.5) * width, ((np.arange(high) + 0.5) / high - 0.5) * height


def along(width: int, height: int, scale: float, angle: float, shape: str) -> Floats:
    """How far along a gradient each pixel is, 0…1: on a line from edge to edge, or from the middle to the corners."""
    x, y = centres(width, height, scale)
    if shape == "round":
        return np.hypot((2 * x / width)[None, :], (2 * y / height)[:, None]) / math.sqrt(2)
    one = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    length = abs(width * one[0]) + abs(height * one[1])
    return np.clip((x * one[0])[None, :] / length + (y * one[1])[:, None] / length + 0.5, 0, 1)


def coloured(
    share: Floats, places: tuple[float, ...], colours: tuple[str, ...], opacities: tuple[float, ...]
) -> Pixels:
    """Colours by a gradient's share [h, w], mixed premultiplied as CSS does."""
    alpha = np.interp(share, places, opacities)
    out = np.empty((*share.shape, 4))
    for channel in range(3):
        mixed = np.interp(share, places, [rgb(code)[channel] * a for code, a in zip(colours, opacities, strict=True)])
        out[..., channel] = mixed / np.maximum(alpha, 1e-6)
    out[..., 3] = 255 * alpha
    return np.rint(np.clip(out, 0, 255)).astype(np.uint8)


def rounded(width: int, height: int, scale: float, radius: float, inset: float) -> Floats:
    """Shares of a rounded rectangle `inset` pixels inside the art, by its signed distance."""
    x, y = centres(width, height, scale)
    half_x, half_y = width / 2 - inset, height / 2 - inset
    round_ = max(0.0, min(radius - inset, half_x, half_y))
    out_x = (np.abs(x) - half_x + round_)[None, :]
    out_y = (np.abs(y) - half_y + round_)[:, None]
    away = np.hypot(np.maximum(out_x, 0), np.maximum(out_y, 0)) + np.minimum(np.maximum(out_x, out_y), 0) - round_
    return np.clip(0.5 - away * scale, 0, 1)


def leak(
    width: int,
    height: int,
    scale: float,
    colours: tuple[str, str],
    angle: float,
    spread: float,
    opacity: float,
    seed: int,
) -> Pixels:
    """Three soft lobes of light at the edge that lies towards `angle`."""
    x, y = centres(width, height, scale)
    side = math.hypot(width, height) / 2
    random = np.random.default_rng(seed)
    one = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    total = np.zeros((len(y), len(x)))
    for _ in range(3):
        shift, far, wide = random.uniform(-0.7, 0.7), random.uniform(0.75, 1.1), spread * random.uniform(0.6, 1.2)
        at = (side * (far * one[0] - shift * one[1]), side * (far * one[1] + shift * one[0]))
        near = ((x - at[0]) ** 2)[None, :] + ((y - at[1]) ** 2)[:, None]
        total += random.uniform(0.5, 1) * np.exp(-near / (2 * (wide * side) ** 2))
    share = np.clip(total, 0, 1)
    heart = np.clip((share - 0.55) / 0.45, 0, 1)
    return coloured(heart, (0, 1), colours, (1, 1)) * np.array([1, 1, 1, 0], np.uint8) + np.dstack(
        [np.zeros((*share.shape, 3), np.uint8), np.rint(255 * share * opacity).astype(np.uint8)]
    )


def rastered(svg: str, width: int, height: int, scale: float) -> Pixels:
    """An SVG picture of our own, of this size, at a scale."""
    import io

    import resvg_py
    from PIL import Image

    wide, high = size(width, height, scale)
    sized = svg.replace(
        f'width="{width}" height="{height}"', f'width="{wide}" height="{high}" preserveAspectRatio="none"', 1
    )
    png = resvg_py.svg_to_bytes(svg_string=sized, skip_system_fonts=True)
    with Image.open(io.BytesIO(bytes(png)), formats=["PNG"]) as image:
        return np.asarray(image.convert("RGBA"))
