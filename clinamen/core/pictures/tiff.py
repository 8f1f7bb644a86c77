"""TIFF: each page a layer. Read page by page, so that a long file never stands in memory whole.

Pillow reads the usual kinds (8 and 16 bit, palette, CMYK, profiles); what it cannot, floating point among it, tifffile
does. Floating point is taken as sRGB from 0 to 1. TIFF 6.0, sections 8, 13 and 16.
"""

import io
from dataclasses import dataclass
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageOps

from clinamen.core.arrays import Pixels
from clinamen.core.errors import BadArt
from clinamen.core.pictures.decoding import to_srgb
from clinamen.core.pictures.limits import check_size

PAGE_NAME = 285
MOST_PAGES = 200


@dataclass(frozen=True)
class Page:
    name: str
    pixels: Pixels


def sizes(data: bytes, name: str) -> list[tuple[int, int]]:
    """Width and height of every page, from their heads alone."""
    with _opened(data, name) as file:
        found = []
        for index, page in enumerate(file.pages):
            where = name if len(file.pages) == 1 else f"{name}, page {index + 1}"
            found.append(_size_of(page, where))
    return found


def page(data: bytes, index: int, where: str) -> Page:
    """One page; BadArt names it as `where`."""
    with _opened(data, where) as file:
        return _page(file, data, index, where)


def _opened(data: bytes, name: str) -> tifffile.TiffFile:
    try:
        file = tifffile.TiffFile(io.BytesIO(data))
        count = len(file.pages)
    except Exception:
        raise BadArt(f"{name}: is not a TIFF that can be read; export it again") from None
    if not 0 < count <= MOST_PAGES:
        raise BadArt(f"{name}: holds {count} pages; 1 to {MOST_PAGES} can be read")
    return file


def _size_of(page: Any, where: str) -> tuple[int, int]:
    try:
        whole = page.aspage()
        size = (int(whole.imagewidth), int(whole.imagelength))
    except Exception:
        raise BadArt(f"{where}: is damaged or cut short; export it again") from None
    check_size(*size, where)
    return size


def _page(file: tifffile.TiffFile, data: bytes, index: int, where: str) -> Page:
    _size_of(file.pages[index], where)
    try:
        page = file.pages[index].aspage()
        tag = page.tags.get(PAGE_NAME)
        label = str(tag.value).strip() if tag else ""
    except Exception:
        raise BadArt(f"{where}: is damaged or cut short; export it again") from None
    try:
        pixels = (
            _float(page.asarray(), where) if page.dtype is not None and page.dtype.kind == "f" else _pillow(data, index)
        )
    except BadArt:
        raise
    except Exception:
        pixels = _other(page, where)
    return Page(label[:200], pixels)


def _pillow(data: bytes, index: int) -> Pixels:
    with Image.open(io.BytesIO(data), formats=["TIFF"]) as image:
        image.seek(index)
        image.load()
        return to_srgb(ImageOps.exif_transpose(image.copy()))


def _float(values: NDArray[np.float64], where: str) -> Pixels:
    if not np.isfinite(values).all():
        raise BadArt(f"{where}: holds values that are not numbers; export it again without them")
    return _channels(np.rint(np.clip(values, 0, 1) * 255).astype(np.uint8), where)


def _other(page: "tifffile.TiffPage", where: str) -> Pixels:
    try:
        values = page.asarray()
        if values.dtype == np.uint16:
            values = ((values.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)
        if values.dtype != np.uint8:
            raise ValueError(values.dtype)
    except Exception:
        raise BadArt(f"{where}: is damaged, or of a kind that cannot be read; export it as 8 or 16 bit RGB") from None
    return _channels(values, where)


def _channels(values: NDArray[np.uint8], where: str) -> Pixels:
    """RGBA of grey, grey with alpha, RGB or RGBA samples, whichever way round they are stored."""
    if values.ndim == 2:
        values = values[..., None]
    if values.ndim == 3 and values.shape[0] <= 4 < values.shape[2]:
        values = np.moveaxis(values, 0, -1)
    if values.ndim != 3 or not 1 <= values.shape[2] <= 4:
        raise BadArt(f"{where}: has {values.shape} samples, which is no picture; export it as RGB")
    count = values.shape[2]
    alpha = values[..., -1:] if count in (2, 4) else np.full_like(values[..., :1], 255)
    colour = values[..., :3] if count >= 3 else values[..., :1].repeat(3, axis=2)
    return np.ascontiguousarray(np.concatenate([colour, alpha], axis=2))
