"""Picture files out: PNG, WebP, AVIF and JPEG."""

import io
from collections.abc import Sequence
from typing import Literal

from PIL import Image

from clinamen.core.arrays import Pixels

WebpWay = Literal["lossy", "lossless"]
WEBP_WAYS: tuple[WebpWay, ...] = ("lossy", "lossless")
LOSSLESS_TRIED = 4_000_000  # bytes of pixels: larger art is never smaller lossless, and trying takes long


def encode_png(pixels: Pixels, level: int = 6) -> bytes:
    """A PNG file of RGB or RGBA pixels [h, w, 3 or 4]."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=level)
    return out.getvalue()


def encode_webp(pixels: Pixels, quality: int = 88, ways: Sequence[WebpWay] | None = None, hasty: bool = False) -> bytes:
    """A WebP file of RGB or RGBA pixels [h, w, 3 or 4], alpha lossless; all of it lossless where that is smaller, or as `ways`
    allows. `hasty`: five times as quickly, somewhat larger."""
    tried = ways or (WEBP_WAYS[:1] if pixels.size > LOSSLESS_TRIED else WEBP_WAYS)
    return min((_webp(pixels, quality, way, hasty) for way in tried), key=len)


def _webp(pixels: Pixels, quality: int, way: WebpWay, hasty: bool) -> bytes:
    out = io.BytesIO()
    how: dict[str, int | bool] = {"quality": quality, "method": 0 if hasty else 4, "alpha_quality": 100}
    if way == "lossless":
        how = {"lossless": True, "quality": 0 if hasty else 40, "method": 0 if hasty else 2}
    Image.fromarray(pixels).save(out, "WEBP", **how)
    return out.getvalue()


def encode_avif(pixels: Pixels, quality: int = 75, speed: int = 6) -> bytes:
    """An AVIF file of RGB pixels [h, w, 3], colours at full resolution; `speed` 0 to 10, the quicker the larger."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "AVIF", quality=quality, speed=speed, subsampling="4:4:4")
    return out.getvalue()


def exact_webp(pixels: Pixels) -> bytes:
    """A WebP file for the editor, where colours and edges are judged: lossless, made as fast as can be."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "WEBP", lossless=True, quality=0, method=0, exact=True)
    return out.getvalue()


def encode_jpeg(pixels: Pixels, quality: int = 85) -> bytes:
    """A JPEG file of RGB pixels [h, w, 3]."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "JPEG", quality=quality, optimize=True, progressive=True)
    return out.getvalue()
