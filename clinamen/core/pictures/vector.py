"""SVG: checked for what must not be in it, sized, drawn at any zoom. It is taken apart in `svggroups`.

It stays a vector picture: layers keep their part of the document and are rastered at the size they are shown at. Drawn
by resvg. Sizes follow SVG 2, "Sizing properties": width and height in px, or the view box where they are missing.
"""

import io
import math
import re
from xml.etree import ElementTree as Tree

import defusedxml.ElementTree as SafeTree
import numpy as np
import resvg_py
from PIL import Image

from clinamen.core.arrays import Pixels
from clinamen.core.errors import BadArt
from clinamen.core.pictures import lettering
from clinamen.core.pictures.limits import check_size

SVG = "{http://www.w3.org/2000/svg}"
HREFS = ("href", "{http://www.w3.org/1999/xlink}href")
UNITS = {"": 1.0, "px": 1.0, "pt": 4 / 3, "pc": 16.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0}  # CSS Values 4
LONGEST = 200  # characters of a size that are looked at
REFUSED = ("script", "foreignObject", "iframe", "audio", "video", "animate", "set", "animateTransform", "animateMotion")
OUTSIDE = re.compile(r"url\((?!\s*+['\"]?+\s*+(?:#|data:image/|\)|$))|@import", re.IGNORECASE)
for _prefix, _address in (("", SVG[1:-1]), ("xlink", HREFS[1][1:].split("}")[0])):
    Tree.register_namespace(_prefix, _address)


def parse(data: bytes, name: str) -> "Tree.Element":
    """The checked root element; BadArt names what cannot be used."""
    try:
        root: Tree.Element = SafeTree.fromstring(data, forbid_dtd=False, forbid_entities=True, forbid_external=True)
    except Exception:
        raise BadArt(f"{name}: is not XML that can be read safely; save it as plain SVG and try again") from None
    if root.tag != f"{SVG}svg":
        raise BadArt(f"{name}: is XML but no SVG picture; save it as plain SVG and try again")
    for element in root.iter():
        _check(element, name)
    return root


def _check(element: "Tree.Element", name: str) -> None:
    tag = str(element.tag).split("}")[-1]
    if tag in REFUSED:
        raise BadArt(f"{name}: holds <{tag}>, which is not allowed; save it without scripts and animation")
    for key, value in element.attrib.items():
        plain = key.split("}")[-1].lower()
        if plain.startswith("on"):
            raise BadArt(f"{name}: holds a script ({plain}); save it without scripts")
        if key in HREFS and not re.match(r"^\s*(#|data:image/(png|jpeg|webp|gif);)", value, re.IGNORECASE):
            raise BadArt(f"{name}: refers to {value[:60]!r} outside itself; embed it and save again")
        if OUTSIDE.search(value):
            raise BadArt(f"{name}: refers to something outside itself in {plain}; embed it and save again")
    if tag == "style" and OUTSIDE.search(element.text or ""):
        raise BadArt(f"{name}: its style refers to something outside itself; embed it and save again")


def size(data: bytes, name: str) -> tuple[int, int]:
    """Width and height in whole px."""
    return _size(parse(data, name), name)


def _size(root: "Tree.Element", name: str) -> tuple[int, int]:
    view = [number for part in root.get("viewBox", "")[:LONGEST].replace(",", " ").split() if (number := _plain(part))
            is not None]  # fmt: skip
    width, height = (_length(root.get(side)) for side in ("width", "height"))
    if len(view) == 4 and view[2] > 0 and view[3] > 0:
        if width is None and height is None:
            width, height = view[2], view[3]
        elif width is None:
            width = (height or 0) * view[2] / view[3]
        elif height is None:
            height = width * view[3] / view[2]
    if not width or not height:
        raise BadArt(f"{name}: says neither width and height nor a view box; give it a size and save again")
    if width < 0 or height < 0:
        raise BadArt(f"{name}: says a size of {width:g} × {height:g} px; give it one above zero and save again")
    whole = (max(1, round(width)), max(1, round(height)))
    check_size(*whole, name)
    return whole


def _plain(text: str) -> float | None:
    try:
        number = float(text)
    except ValueError:
        return None
    return number if math.isfinite(number) else None


def _length(text: str | None) -> float | None:
    """A length in px; None for a share of something, or what is no length."""
    plain = (text or "").strip()[:LONGEST].strip().lower()
    for unit in sorted(UNITS, key=len, reverse=True):
        if plain.endswith(unit) and (number := _plain(plain[: len(plain) - len(unit)])) is not None:
            return number * UNITS[unit]
    return None


def draw(data: bytes, name: str, width: int, height: int, zoom: float = 1.0) -> Pixels:
    """Pixels [h, w, 4] at `zoom` times the picture's own size."""
    wide, high = max(1, round(width * zoom)), max(1, round(height * zoom))
    check_size(wide, high, name)
    root = parse(data, name)
    if not root.get("viewBox"):  # without one resvg would enlarge the canvas and not what is on it
        root.set("viewBox", f"0 0 {width} {height}")
    root.set("width", str(wide))
    root.set("height", str(high))
    root.set("preserveAspectRatio", "none" if zoom != 1 else root.get("preserveAspectRatio", "xMidYMid"))
    worded = lettering.has_text(data)
    if worded:
        lettering.settle(root)
    fonts = lettering.options() if worded else {"skip_system_fonts": True}
    try:
        png = resvg_py.svg_to_bytes(svg_string=Tree.tostring(root, encoding="unicode"), **fonts)
        with Image.open(io.BytesIO(bytes(png)), formats=["PNG"]) as image:
            pixels = np.asarray(image.convert("RGBA"))
    except Exception:
        raise BadArt(f"{name}: cannot be drawn; save it as plain SVG and try again") from None
    if pixels.shape[:2] != (high, wide):
        raise BadArt(f"{name}: was drawn at {pixels.shape[1]} × {pixels.shape[0]} px; give it a plain width and height")
    return pixels


def notes(data: bytes, name: str) -> list[str]:
    """Sentences about what will look otherwise here than where the picture was made."""
    root = parse(data, name)
    return [f"{name}: {sentence}" for sentence in (*lettering.unknown(root), *lettering.substitutes(root))]
