"""Guides burned into a frame: its number and time, action and title safe areas."""

import io
from functools import cache

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from clinamen.core.arrays import Pixels
from clinamen.core.document import Frame, Scene
from clinamen.core.film.course import Course
from clinamen.core.made.families import FONTS
from clinamen.core.made.fontfile import unpacked

SAFE = (0.93, 0.9)  # of width and height: action and title safe areas (SMPTE ST 2046-1, from memory)
INK, EDGE = (255, 255, 255, 255), (0, 0, 0, 160)


def safe_areas(frame: Frame, width: float, height: float) -> list[tuple[float, float, float, float]]:
    """Left, top, width and height of the action and the title safe area within what of a view the frame leaves open."""
    left, top, wide, high = frame.opening(width, height)
    return [(left + wide * (1 - s) / 2, top + high * (1 - s) / 2, wide * s, high * s) for s in SAFE]


def burned(scene: Scene, picture: Pixels, number: int, course: Course) -> Pixels:
    """A frame with its number and safe areas on it."""
    height, width = picture.shape[:2]
    finer = width / scene.view.width
    image = Image.fromarray(picture)
    draw = ImageDraw.Draw(image)
    line = max(1, round(height / 540))
    for left, top, wide, high in safe_areas(scene.frame, scene.view.width, scene.view.height):
        box = [left * finer, top * finer, (left + wide) * finer - 1, (top + high) * finer - 1]
        draw.rectangle([box[0] - line, box[1] - line, box[2] + line, box[3] + line], outline=EDGE, width=line)
        draw.rectangle(box, outline=INK, width=line)
    seconds = float(course.start + number / course.rate)
    says = f"{number:05d}  {seconds:8.3f} s"
    font, pad = _font(max(10, height // 36)), max(4, height // 90)
    left, top, right, bottom = font.getbbox(says)
    at = (pad * 2, height - (bottom - top) - pad * 3)
    draw.rectangle(
        [at[0] - pad, at[1] - pad, at[0] + right - left + pad, at[1] + bottom - top + pad], fill=(0, 0, 0, 255)
    )
    draw.text((at[0] - left, at[1] - top), says, font=font, fill=INK)
    return np.asarray(image)


@cache
def _font(size: int) -> ImageFont.FreeTypeFont:
    data, _ = unpacked((FONTS / "courier-prime-latin-700-normal.woff2").read_bytes())
    return ImageFont.truetype(io.BytesIO(data), size)
