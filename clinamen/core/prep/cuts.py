"""Cuts by shape and by colour: outline, rectangle, key colour, brightness, difference of two pictures."""

import io
from typing import TYPE_CHECKING

import cv2
import numpy as np
import resvg_py
from numpy.typing import NDArray
from PIL import Image

from clinamen.core.arrays import Pixels
from clinamen.core.prep.base import Around, Mask, with_alpha
from clinamen.core.prep.colour import by_strips, delta_e, lab, lab_of, rgb_of
from clinamen.core.prep.edges import blurred
from clinamen.core.prep.shapes import Node, same_shape

if TYPE_CHECKING:
    from clinamen.core.prep.steps import BrightnessCut, Cut, DifferenceCut, KeyCut, OutlineCut, RectangleCut


LEAST_SHARE = 0.02  # of a pixel: with less of the subject in it, its colour cannot be told
HUE_REACH = 0.5  # cosine of the largest angle of chroma that still counts as the key's cast (60°)


def finished(pixels: Pixels, keep: Mask, step: "Cut", around: Around) -> Pixels:
    """The cut made: the mask softened, turned round where asked, and multiplied into alpha."""
    keep = blurred(keep, step.soften * around.scale)
    return with_alpha(pixels, 1 - keep if step.invert else keep.copy())


def outline_path(nodes: tuple[Node, ...]) -> str:
    """A closed outline of lines and cubic Béziers as SVG path data."""
    parts = [f"M{nodes[0].x} {nodes[0].y}"]
    for node, after in zip(nodes, (*nodes[1:], nodes[0]), strict=True):
        handles = (node.x + node.out_x, node.y + node.out_y, after.x + after.in_x, after.y + after.in_y)
        parts.append(f"C{' '.join(map(str, handles))} {after.x} {after.y}")
    return "".join(parts) + "Z"


def path_mask(path: str, width: int, height: int, scale: float) -> Mask:
    """Share [h, w] of every pixel that lies inside a path (even-odd), drawn by resvg at `scale`."""
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}">'
        f'<path transform="scale({scale})" fill-rule="evenodd" d="{path}"/></svg>'
    )
    with Image.open(io.BytesIO(bytes(resvg_py.svg_to_bytes(svg_string=svg)))) as drawn:
        return np.asarray(drawn.getchannel("A")).astype(np.float32) / np.float32(255)


def outline(pixels: Pixels, step: "OutlineCut", around: Around) -> Pixels:
    """Keep what lies inside the outline."""
    mask = path_mask(outline_path(step.nodes), pixels.shape[1], pixels.shape[0], around.scale)
    return finished(pixels, mask, step, around)


def rectangle(pixels: Pixels, step: "RectangleCut", around: Around) -> Pixels:
    """Keep what lies inside the rectangle: coverage by distance to its outline."""
    box, scale = step.box, around.scale
    height, width = pixels.shape[:2]
    half = np.array([box.width, box.height]) * scale / 2
    radius = min(step.radius * scale, *half)
    x = np.abs(np.arange(width) + 0.5 - (box.x * scale + half[0])) - (half[0] - radius)
    y = np.abs(np.arange(height) + 0.5 - (box.y * scale + half[1])) - (half[1] - radius)
    inside = np.minimum(np.maximum(x[None, :], y[:, None]), 0)
    distance = np.hypot(np.maximum(x, 0)[None, :], np.maximum(y, 0)[:, None]) + inside - radius
    return finished(pixels, np.clip(0.5 - distance, 0, 1).astype(np.float32), step, around)


def fade(value: NDArray[np.float32], full: float, softness: float) -> NDArray[np.float32]:
    """0 up to `full`, 1 from `full` + `softness`, a straight ramp between."""
    if softness <= 0:
        return (value > full).astype(np.float32)
    return np.clip((value - np.float32(full)) / np.float32(softness), 0, 1).astype(np.float32)


def key(pixels: Pixels, step: "KeyCut", around: Around) -> Pixels:
    """Take the key colour away, and its share and cast out of what is left of it."""
    colour = lab_of(step.colour)
    keep = by_strips(pixels, lambda rows, _: fade(delta_e(lab(rows[..., :3]), colour), step.tolerance, step.softness))
    keep = blurred(keep, step.soften * around.scale)
    if step.invert:
        return with_alpha(pixels, 1 - keep)
    clean = _without_key(pixels, keep, step)
    return with_alpha(clean, keep)


def _without_key(pixels: Pixels, keep: Mask, step: "KeyCut") -> Pixels:
    """Colours unmixed: C = αF + (1 − α)K gives F; then the strongest channel of a coloured key is held down to the
    larger of the others, as far as a pixel's hue is the key's (common practice, no source)."""
    if step.spill == 0:
        return pixels
    key_rgb = np.array(rgb_of(step.colour), np.float32)
    out = pixels.copy()
    strongest = int(key_rgb.argmax())
    others = [channel for channel in range(3) if channel != strongest]
    coloured = key_rgb[strongest] > 1.15 * key_rgb[others].max() + 8
    key_ab, spill = lab_of(step.colour)[1:], np.float32(step.spill)
    rows = max(1, 1_000_000 // pixels.shape[1])
    for start in range(0, len(pixels), rows):
        part = slice(start, start + rows)
        colour, share = out[part][..., :3].astype(np.float32), keep[part]
        mixed = (share > LEAST_SHARE) & (share < 1)
        left = share[mixed][:, None]
        colour[mixed] += spill * (np.clip((colour[mixed] - (1 - left) * key_rgb) / left, 0, 255) - colour[mixed])
        over = colour[..., strongest] - np.maximum(colour[..., others[0]], colour[..., others[1]])
        cast = (over > 0) & (share > 0) if coloured else np.zeros(share.shape, bool)
        if cast.any():
            ab = lab(np.rint(colour[cast])[None].astype(np.uint8))[0, :, 1:]
            length = np.hypot(ab[:, 0], ab[:, 1]) * np.hypot(*key_ab)
            along = (ab @ key_ab) / (length + np.float32(1e-3))
            like = np.minimum(2 * np.clip((along - HUE_REACH) / (1 - HUE_REACH), 0, 1), 1)
            colour[..., strongest][cast] -= spill * over[cast] * like
        out[part][..., :3] = np.rint(np.clip(colour, 0, 255))
    return out


def brightness(pixels: Pixels, step: "BrightnessCut", around: Around) -> Pixels:
    """Keep what lies between two lightnesses."""

    def work(rows: Pixels, _: slice) -> NDArray[np.float32]:
        light = lab(rows[..., :3])[..., 0] / np.float32(100)
        under, over = np.float32(step.low) - light, light - np.float32(step.high)
        return 1 - np.maximum(fade(under, 0, step.softness), fade(over, 0, step.softness))

    return finished(pixels, by_strips(pixels, work), step, around)


def difference(pixels: Pixels, step: "DifferenceCut", around: Around) -> Pixels:
    """Keep what is not the same in the other layer's picture, which is fitted where it is larger or smaller. Pictures of
    different shapes have nothing to compare: all stays."""
    other = around.art(step.layer)
    if not same_shape(pixels.shape[1], pixels.shape[0], other.shape[1], other.shape[0]):
        return pixels.copy()
    if other.shape != pixels.shape:
        other = cv2.resize(other, (pixels.shape[1], pixels.shape[0]), interpolation=cv2.INTER_AREA).astype(np.uint8)

    def work(rows: Pixels, part: slice) -> NDArray[np.float32]:
        apart = delta_e(lab(rows[..., :3]), lab(other[part][..., :3]))
        return fade(cv2.medianBlur(apart, 5), step.tolerance, step.softness)  # single grains are noise, no subject

    return finished(pixels, by_strips(pixels, work), step, around)
