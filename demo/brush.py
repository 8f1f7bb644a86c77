"""Drawing tools for the demo art: organic outlines, light and texture on premultiplied canvases.

OpenCV's antialiased polygons on a clear canvas leave premultiplied colours, so a canvas is premultiplied until `finish`.
"""

import cv2
import numpy as np

SHIFT = 4


def canvas(width, height):
    """A clear canvas [height, width, 4] uint8, premultiplied."""
    return np.zeros((height, width, 4), np.uint8)


def polygon(image, points, colour):
    """Fill a polygon given as [N, 2] points with an (r, g, b) colour."""
    whole = np.round(np.asarray(points) * (1 << SHIFT)).astype(np.int32)
    cv2.fillPoly(image, [whole], (*(int(c) for c in colour), 255), lineType=cv2.LINE_AA, shift=SHIFT)


def noise(width, height, size, seed, octaves=4):
    """Smooth noise [height, width] within 0…1 with features of about `size` pixels."""
    rng = np.random.default_rng(seed)
    total, weight = np.zeros((height, width), np.float32), 0.0
    for octave in range(octaves):
        cell = max(size / 2**octave, 2)
        grid = rng.random((int(height / cell) + 3, int(width / cell) + 3)).astype(np.float32)
        layer = cv2.resize(grid, (width, height), interpolation=cv2.INTER_CUBIC)
        total += layer / 2**octave
        weight += 1 / 2**octave
    total /= weight
    return np.clip((total - 0.5) * 1.4 + 0.5, 0, 1)


def wavy(length, count, amount, seed, rough=1.0):
    """A line of `count` heights made of a few sines, within ±amount."""
    rng = np.random.default_rng(seed)
    at = np.linspace(0, 2 * np.pi, count)
    line = sum(np.sin(at * rng.uniform(0.6, 1.4) * k + rng.uniform(0, 7)) / k**rough for k in range(1, max(2, length)))
    return line / np.abs(line).max() * amount


def shade(image, field):
    """Multiply the colours by a field [h, w] or [h, w, 3] (1: unchanged)."""
    field = field if field.ndim == 3 else field[..., None]
    image[..., :3] = np.clip(image[..., :3] * field, 0, image[..., 3:]).astype(np.uint8)


def tint(image, colour, amount):
    """Mix a colour in by `amount` [h, w] or a number."""
    amount = np.asarray(amount, np.float32)
    amount = amount[..., None] if amount.ndim == 2 else amount
    alpha = image[..., 3:].astype(np.float32) / 255
    mixed = image[..., :3] * (1 - amount) + np.array(colour, np.float32) * alpha * amount
    image[..., :3] = np.clip(mixed, 0, image[..., 3:]).astype(np.uint8)


def over(below, above):
    """Lay one canvas over another."""
    clear = 1 - above[..., 3:].astype(np.float32) / 255
    below[...] = np.clip(above + below * clear + 0.5, 0, 255).astype(np.uint8)


def soften(image, sigma):
    """Blur, premultiplied."""
    return cv2.GaussianBlur(image, (0, 0), sigma)


def finish(image):
    """Straight-alpha pixels of a canvas."""
    alpha = image[..., 3:].astype(np.float32)
    colour = np.divide(image[..., :3] * 255.0, alpha, out=np.zeros_like(alpha.repeat(3, 2)), where=alpha > 0)
    return np.concatenate([np.clip(colour + 0.5, 0, 255), alpha], axis=2).astype(np.uint8)


def leaf(image, base, angle, length, width, colour, bend=0.0, rib=None):
    """A leaf from its base point: two bent edges to a tip, a lighter upper half and a rib."""
    t = np.linspace(0, 1, 22)
    along = length * t
    side = width * np.sin(np.pi * t**0.72) * (1 - 0.25 * t)
    ripple = 1 + 0.07 * np.sin(t * 26 + base[0])
    bow = bend * length * t**2
    spine = np.stack([along * np.cos(angle) - bow * np.sin(angle), along * np.sin(angle) + bow * np.cos(angle)], 1)
    normal = np.array([-np.sin(angle), np.cos(angle)])
    upper, lower = spine - normal * (side * ripple)[:, None] / 2, spine + normal * (side * ripple)[:, None] / 2
    base = np.asarray(base, float)
    polygon(image, base + np.concatenate([upper, lower[::-1]]), colour)
    light = np.clip(np.array(colour) * 1.13 + 5, 0, 255)
    polygon(image, base + np.concatenate([upper, (spine * 0.99)[::-1]]), light)
    if rib is not None:
        polygon(image, base + np.concatenate([spine - normal * 0.8, (spine + normal * 0.8)[::-1]]), rib)


def stalk(image, x, top, bottom, seed, colours, leaf_length, thickness, sway=60, spacing=0.55):
    """A stem of kelp from `bottom` up to `top`, with leaves left and right and small floats at their feet."""
    rng = np.random.default_rng(seed)
    count = max(40, int((bottom - top) / 12))
    y = np.linspace(bottom, top, count)
    line = x + wavy(5, count, sway, seed, 1.2) + sway * 0.4 * np.sin(y / 260 + seed)
    width = thickness * np.linspace(1.15, 0.35, count)
    step = int(max(2, leaf_length * spacing / ((bottom - top) / count)))
    places = np.arange(3, count - 1, step)
    dark, middle, light = (np.array(c, float) for c in colours)
    for number, index in enumerate(places):
        side = 1 if number % 2 else -1
        rise = rng.uniform(0.15, 0.62)
        angle = -rise if side > 0 else np.pi + rise
        size = leaf_length * rng.uniform(0.75, 1.2) * (0.62 + 0.38 * np.sin(np.pi * index / count))
        colour = dark + (middle - dark) * rng.random()
        leaf(image, (line[index], y[index]), angle, size, size * rng.uniform(0.24, 0.34), colour,
             bend=side * rng.uniform(0.05, 0.32), rib=light)  # fmt: skip
        float_size = max(1.5, thickness * 0.75)
        centre = np.array([line[index] + side * float_size * 1.6, y[index]])
        ring = np.linspace(0, 2 * np.pi, 14)
        drop = np.stack([np.cos(ring) * 1.25, np.sin(ring) * 0.8], 1) * float_size
        polygon(image, centre + drop, middle * 0.6 + light * 0.4)
    left, right = np.stack([line - width / 2, y], 1), np.stack([line + width / 2, y], 1)
    polygon(image, np.concatenate([left, right[::-1]]), dark * 0.85)
    inner = np.stack([line, y], 1)
    polygon(image, np.concatenate([left, inner[::-1]]), middle)
