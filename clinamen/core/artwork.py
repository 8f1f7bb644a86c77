"""Pictures in: decoded within limits, turned into sRGB with straight alpha, refused in one sentence otherwise."""

import io
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps

from clinamen.core.errors import BadArt

Pixels = NDArray[np.uint8]

MAX_FILE = 200 * 1024 * 1024
MAX_PIXELS = 64_000_000
MAX_SIDE = 60_000
FORMATS = ("PNG", "WEBP")
LOSSLESS_TRIED = 4_000_000  # bytes of pixels: larger art is never smaller lossless, and trying takes long
SUFFIXES = (".png", ".webp")

Image.MAX_IMAGE_PIXELS = None  # the limit below names the file and the size; Pillow's own would not


@dataclass(frozen=True)
class Picture:
    """Size, file format and whether there is an alpha channel, read from the file's head alone."""

    width: int
    height: int
    format: str
    has_alpha: bool


def inspect(data: bytes, name: str) -> Picture:
    """Head of a picture file; BadArt names the file and what is wrong with it."""
    if len(data) > MAX_FILE:
        raise BadArt(f"{name}: is {len(data) / 1048576:.0f} MB large; at most 200 MB can be read, save it smaller")
    if not data:
        raise BadArt(f"{name}: is empty; export it again")
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as image:
            picture = Picture(image.width, image.height, image.format or "", _has_alpha(image))
    except Exception:
        raise BadArt(f"{name}: is not a PNG or WebP picture that can be read; save it as PNG and try again") from None
    if picture.width * picture.height > MAX_PIXELS or max(picture.width, picture.height) > MAX_SIDE:
        size = f"{picture.width} × {picture.height} px"
        raise BadArt(f"{name}: is {size}; at most 64 megapixels can be read, make it smaller")
    return picture


def _has_alpha(image: Image.Image) -> bool:
    return "A" in image.getbands() or "transparency" in image.info


def decode(data: bytes, name: str) -> Pixels:
    """Pixels [h, w, 4] uint8, RGB with straight alpha, of a picture file."""
    inspect(data, name)
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as image:
            image.load()
            upright = ImageOps.exif_transpose(image)
            return np.asarray(_eight_bit(upright).convert("RGBA"))
    except Exception:
        raise BadArt(f"{name}: is damaged or cut short; export it again") from None


def _eight_bit(image: Image.Image) -> Image.Image:
    if image.mode.startswith("I"):  # 16-bit grey: Pillow would clip it rather than scale it
        return Image.fromarray((np.asarray(image).astype(np.uint32) >> 8).astype(np.uint8))
    return image


def decode_file(path: Path) -> Pixels:
    """As `decode`, from a file."""
    return decode(read_file(path), path.name)


def read_file(path: Path) -> bytes:
    """A file's bytes; BadArt when it cannot be read."""
    try:
        return path.read_bytes()
    except OSError as error:
        raise BadArt(f"{path}: cannot be read ({error.strerror}); check that it stands beside the scene") from None


def encode_png(pixels: Pixels, level: int = 6) -> bytes:
    """A PNG file of RGB or RGBA pixels [h, w, 3 or 4]."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=level)
    return out.getvalue()


def encode_webp(pixels: Pixels, quality: int = 88) -> bytes:
    """A WebP file of RGB or RGBA pixels [h, w, 3 or 4], alpha lossless; all of it lossless where that is smaller."""
    lossy, lossless = io.BytesIO(), io.BytesIO()
    image = Image.fromarray(pixels)
    image.save(lossy, "WEBP", quality=quality, method=4, alpha_quality=100)
    if pixels.size > LOSSLESS_TRIED:
        return lossy.getvalue()
    image.save(lossless, "WEBP", lossless=True, quality=40, method=2)
    return min(lossy.getvalue(), lossless.getvalue(), key=len)


def trim_box(pixels: Pixels) -> tuple[int, int, int, int]:
    """Box (left, top, right, bottom) that holds every pixel with alpha; (0, 0, 1, 1) of an empty picture."""
    rows, columns = np.flatnonzero(pixels[..., 3].any(axis=1)), np.flatnonzero(pixels[..., 3].any(axis=0))
    if not len(rows):
        return 0, 0, 1, 1
    return int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1


def premultiply(pixels: Pixels) -> NDArray[np.float32]:
    """Premultiplied RGBA [h, w, 4] float32 within 0…1."""
    out = pixels.astype(np.float32) * np.float32(1 / 255)
    out[..., :3] *= out[..., 3:]
    return out


def straighten(premultiplied: NDArray[np.float32]) -> Pixels:
    """Straight-alpha RGBA uint8 of premultiplied float pixels."""
    alpha = premultiplied[..., 3:]
    colour = np.divide(premultiplied[..., :3], alpha, out=np.zeros_like(premultiplied[..., :3]), where=alpha > 0)
    return np.round(np.clip(np.concatenate([colour, alpha], axis=2), 0, 1) * 255).astype(np.uint8)


def shrink(pixels: Pixels, width: int, height: int) -> Pixels:
    """Area-averaged smaller picture, averaged premultiplied so that clear pixels lend no colour."""
    if (width, height) == (pixels.shape[1], pixels.shape[0]):
        return pixels
    return straighten(cv2.resize(premultiply(pixels), (width, height), interpolation=cv2.INTER_AREA))


@lru_cache(maxsize=64)
def _decoded(path: Path, stamp: int) -> Pixels:
    return decode_file(path)


def cached_pixels(path: Path) -> Pixels:
    """Pixels of a file, kept in memory while they are asked for again."""
    try:
        return _decoded(path, path.stat().st_mtime_ns)
    except OSError as error:
        raise BadArt(f"{path}: cannot be read ({error.strerror}); check that it stands beside the scene") from None
