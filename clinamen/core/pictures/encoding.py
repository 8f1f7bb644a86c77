"""Picture files out: PNG, WebP and JPEG."""

import io

from PIL import Image

from clinamen.core.arrays import Pixels

LOSSLESS_TRIED = 4_000_000  # bytes of pixels: larger art is never smaller lossless, and trying takes long


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
