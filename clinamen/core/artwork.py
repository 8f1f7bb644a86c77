"""Pictures in: decoded within limits, turned into 8-bit sRGB with straight alpha, refused in one sentence otherwise.

Any bit depth, palette, grey and CMYK; embedded colour profiles are converted; EXIF says which way is up. SVG stays what
it is and is rastered at the size asked for (see `exchange.svg`).
"""

import io
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms, ImageOps

from clinamen.core.errors import BadArt

Pixels = NDArray[np.uint8]

MAX_FILE = 200 * 1024 * 1024
MAX_PIXELS = 64_000_000
MAX_SIDE = 60_000
FORMATS = ("PNG", "WEBP", "JPEG", "AVIF")
VECTOR = "SVG"
KNOWN = "PNG, JPEG, WebP, AVIF, TIFF or SVG"
LOSSLESS_TRIED = 4_000_000  # bytes of pixels: larger art is never smaller lossless, and trying takes long
MEDIA_TYPES = {
    "PNG": "image/png",
    "WEBP": "image/webp",
    "JPEG": "image/jpeg",
    "AVIF": "image/avif",
    VECTOR: "image/svg+xml",
}

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
    if is_vector(data):
        from clinamen.core.exchange import svg

        width, height = svg.size(data, name)
        picture = Picture(width, height, VECTOR, True)
    else:
        try:
            with Image.open(io.BytesIO(data), formats=FORMATS) as image:
                picture = Picture(*upright_size(image), image.format or "", _has_alpha(image))
        except Exception:
            raise BadArt(f"{name}: is not a {KNOWN} picture that can be read; save it as PNG and try again") from None
    check_size(picture.width, picture.height, name)
    return picture


def is_vector(data: bytes) -> bool:
    """True for a file that begins like XML."""
    return data[:256].lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<"


def check_size(width: int, height: int, name: str) -> None:
    """BadArt for a picture that is too large, or empty."""
    if width < 1 or height < 1:
        raise BadArt(f"{name}: is {width} × {height} px, which is empty; export it again")
    if width * height > MAX_PIXELS or max(width, height) > MAX_SIDE:
        raise BadArt(f"{name}: is {width} × {height} px; at most 64 megapixels can be read, make it smaller")


def upright_size(image: Image.Image) -> tuple[int, int]:
    """Size after the turn that EXIF asks for."""
    try:
        turned = image.getexif().get(0x0112, 1) in (5, 6, 7, 8)
    except Exception:  # reading it may need the whole file; that it is cut short is said when it is decoded
        turned = False
    return (image.height, image.width) if turned else (image.width, image.height)


def _has_alpha(image: Image.Image) -> bool:
    return "A" in image.getbands() or "transparency" in image.info


def decode(data: bytes, name: str, zoom: float = 1.0) -> Pixels:
    """Pixels [h, w, 4] uint8, sRGB with straight alpha, of a picture file; `zoom` enlarges a vector picture."""
    picture = inspect(data, name)
    if picture.format == VECTOR:
        from clinamen.core.exchange import svg

        return svg.draw(data, name, picture.width, picture.height, zoom)
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as image:
            image.load()
            return to_srgb(ImageOps.exif_transpose(image))
    except BadArt:
        raise
    except Exception:
        raise BadArt(f"{name}: is damaged or cut short; export it again") from None


def to_srgb(image: Image.Image) -> Pixels:
    """Any Pillow picture as sRGB with straight alpha, [h, w, 4] uint8; an embedded profile is converted from."""
    profile = image.info.get("icc_profile")
    if image.mode.startswith("I") or image.mode == "F":
        image = _eight_bit(image)
    if image.mode in ("P", "PA") or "transparency" in image.info:
        image = image.convert("RGBA")
    alpha = image.getchannel("A") if "A" in image.getbands() else None
    colour = image if alpha is None else image.convert(image.mode.replace("A", "").replace("a", "") or "RGB")
    if profile:
        colour = _from_profile(colour, profile)
    colour = colour.convert("RGB")
    if alpha is not None:
        colour.putalpha(alpha)
    return np.asarray(colour.convert("RGBA"))


def _from_profile(image: Image.Image, profile: bytes) -> Image.Image:
    """Converted to sRGB, relative colorimetric with black point compensation; left alone where the profile is broken."""
    try:
        source = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        intent, flags = ImageCms.Intent.RELATIVE_COLORIMETRIC, ImageCms.Flags.BLACKPOINTCOMPENSATION
        made = ImageCms.profileToProfile(image, source, _SRGB, renderingIntent=intent, outputMode="RGB", flags=flags)
    except (ImageCms.PyCMSError, OSError, ValueError):
        return image
    return image if made is None else made


_SRGB = ImageCms.createProfile("sRGB")


def _eight_bit(image: Image.Image) -> Image.Image:
    """16-bit and float grey scaled to 8 bit: Pillow would clip it rather than scale it."""
    values = np.asarray(image)
    if image.mode == "F":
        return Image.fromarray(np.rint(np.clip(values, 0, 1) * 255).astype(np.uint8))
    return Image.fromarray(((values.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8))


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


def quick_webp(pixels: Pixels) -> bytes:
    """A WebP file for the screen, made as fast as can be."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "WEBP", quality=82, method=0, alpha_quality=80)
    return out.getvalue()


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
