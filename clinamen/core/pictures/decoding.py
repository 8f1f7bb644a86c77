"""Decoders: picture files into 8-bit sRGB with straight alpha. Run in a child process (see `child`), never beside the site:
they hold the interpreter's lock, and a small file can ask for hours or gigabytes.

Any bit depth, palette, grey and CMYK; embedded colour profiles are converted; EXIF says which way is up.
"""

import io
from contextlib import suppress

import numpy as np
from PIL import Image, ImageCms, ImageOps

from clinamen.core.arrays import Pixels
from clinamen.core.errors import BadArt
from clinamen.core.pictures import vector
from clinamen.core.pictures.heads import Head
from clinamen.core.pictures.limits import AS_ART, FORMATS, KNOWN, VECTOR, check_size, is_tiff, is_vector

Image.MAX_IMAGE_PIXELS = None  # the limit names the file and the size; Pillow's own would not
_SRGB = ImageCms.createProfile("sRGB")
ORIENTATION = 0x0112
# what a PNG that is to be turned has somewhere: EXIF, or XMP's keyword
PNG_TURNS = (b"eXIf", b"Raw profile type", b"XML:com.")


def head_of(data: bytes, name: str) -> Head:
    """Head of a picture file; BadArt names the file and what is wrong with it."""
    if is_vector(data):
        return Head(*vector.size(data, name), VECTOR, True)
    with _opened(data, name) as image:
        return Head(*upright_size(image, data), image.format or "", _has_alpha(image))


def _opened(data: bytes, name: str) -> Image.Image:
    """A raster picture of which nothing is unpacked yet; one that is too large is refused before anything is."""
    if is_tiff(data):
        raise BadArt(f"{name}: is a TIFF, and a layer's own file must be {AS_ART}; save each of its pages as PNG")
    try:
        image = Image.open(io.BytesIO(data), formats=FORMATS)
    except Exception:
        raise BadArt(f"{name}: is not a {KNOWN} picture that can be read; save it as PNG and try again") from None
    check_size(*image.size, name)
    return image


def upright_size(image: Image.Image, data: bytes) -> tuple[int, int]:
    """Size of the picture of a file after the turn that EXIF asks for."""
    turned = False
    # what says it may stand behind a PNG's pixels, so all of them are unpacked to look for it: only where it can be there
    if image.format != "PNG" or any(mark in data for mark in PNG_TURNS):
        with suppress(Exception):  # reading it may need the whole file; that it is cut short is said when it is decoded
            turned = image.getexif().get(ORIENTATION, 1) in (5, 6, 7, 8)
    return (image.height, image.width) if turned else (image.width, image.height)


def _has_alpha(image: Image.Image) -> bool:
    return "A" in image.getbands() or "transparency" in image.info


def decoded(data: bytes, name: str, zoom: float = 1.0) -> Pixels:
    """Pixels [h, w, 4] of a picture file; `zoom` enlarges a vector picture."""
    if is_vector(data):
        return vector.draw(data, name, *vector.size(data, name), zoom)
    with _opened(data, name) as image:
        try:
            image.load()
            return to_srgb(ImageOps.exif_transpose(image))
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


def _eight_bit(image: Image.Image) -> Image.Image:
    """16-bit and float grey scaled to 8 bit: Pillow would clip it rather than scale it."""
    values = np.asarray(image)
    if image.mode == "F":
        return Image.fromarray(np.rint(np.clip(values, 0, 1) * 255).astype(np.uint8))
    return Image.fromarray(((values.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8))
