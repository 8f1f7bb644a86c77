"""A font that is brought in: checked where files are read, noted with its licence, and found again by its content.

A font is a TTF, OTF or WOFF2 with outlines. A document names it by the SHA-256 of its bytes, so that the same words are the
same letters everywhere; who holds font files registers a finder.
"""

import hashlib
import io
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from clinamen.core.errors import BadArt
from clinamen.core.parts import FileName, Part, without_controls

if TYPE_CHECKING:
    from fontTools.ttLib import TTFont

MAX_FONT = 20 * 1024 * 1024  # bytes, also unpacked
KNOWN_FONTS = "TTF, OTF or WOFF2"
BEGINS = {b"\0\1\0\0": ".ttf", b"true": ".ttf", b"OTTO": ".otf", b"wOF2": ".woff2"}
EMBEDDING, NO_EMBEDDING = 0x000F, 0x0002  # OpenType, OS/2 fsType: the permissions' bits, and "restricted licence"
LICENCE, LICENCE_AT, COPYRIGHT, FAMILY, TYPOGRAPHIC = 13, 14, 0, 1, 16  # OpenType, name IDs

Finder = Callable[[str], bytes | None]
FINDERS: list[Finder] = []


class FontFile(Part):
    """A font of one's own: its `file` beside the scene, its content, the family's `name`, and the `licence` that was noted."""

    file: FileName
    sha256: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    name: Annotated[str, Field(min_length=1, max_length=200)]
    licence: Annotated[str, Field(max_length=2000)] = ""


@dataclass(frozen=True)
class Told:
    """What a font file says of itself: its family, its licence, and sentences on what to look at."""

    name: str
    licence: str
    ending: str
    notes: tuple[str, ...]


def begins(data: bytes, name: str) -> str:
    """The ending that a font file of this content has; BadArt for what is no font, too large, or several fonts in one."""
    if data[:4] == b"ttcf":
        raise BadArt(f"{name}: holds several fonts; save the one that is wanted as a file of its own")
    if data[:4] not in BEGINS:
        raise BadArt(f"{name}: is no {KNOWN_FONTS} font; choose another file")
    unpacked = int.from_bytes(data[16:20], "big") if data[:4] == b"wOF2" else 0
    if max(len(data), unpacked) > MAX_FONT:
        raise BadArt(f"{name}: is larger than 20 MB; leave out letters that are not needed and save it again")
    return BEGINS[data[:4]]


def checked(data: bytes, name: str) -> Told:
    """Read all that setting words needs, every outline included; BadArt says what is wrong. For the process in which files are
    read."""
    ending = begins(data, name)
    try:
        _, font = unpacked(data)
        tables = {"cmap", "head", "hhea", "hmtx", "maxp"} - set(font.keys())
        if tables or not {"glyf", "CFF ", "CFF2"} & set(font.keys()):
            raise BadArt(f"{name}: has no outlines that letters can be drawn from; bring an outline font")
        _draw_all(font)
        says = {n: font["name"].getDebugName(n) for n in (LICENCE, LICENCE_AT, COPYRIGHT, FAMILY, TYPOGRAPHIC)}
    except BadArt:
        raise
    except Exception:
        raise BadArt(f"{name}: is a font that cannot be read whole; export it again as {KNOWN_FONTS}") from None
    family = (says[TYPOGRAPHIC] or says[FAMILY] or name.rsplit(".", 1)[0]).strip()[:200] or "Font"
    licence = " · ".join(text.strip() for text in (says[LICENCE], says[LICENCE_AT]) if text) or says[COPYRIGHT] or ""
    family, licence = without_controls(family) or "Font", without_controls(licence.replace("\n", " "))
    return Told(family, licence.strip()[:2000], ending, tuple(_notes(font, family, licence)))


def _draw_all(font: "TTFont") -> None:
    from fontTools.pens.boundsPen import ControlBoundsPen

    glyphs = font.getGlyphSet()
    for glyph in font.getBestCmap().values():
        glyphs[glyph].draw(ControlBoundsPen(glyphs))


def _notes(font: "TTFont", family: str, licence: str) -> list[str]:
    notes = []
    if "OS/2" in font and font["OS/2"].fsType & EMBEDDING == NO_EMBEDDING:
        notes.append(f"{family} says that it may not be embedded: ask its maker before a scene with it is passed on")
    if not licence:
        notes.append(f"{family} says nothing of a licence; note it beside the font")
    return notes


def unpacked(data: bytes) -> "tuple[bytes, TTFont]":
    """A font file's bytes as no compression holds them, and the font."""
    from fontTools.ttLib import TTFont

    font, plain = TTFont(io.BytesIO(data)), io.BytesIO()
    font.flavor = None
    font.save(plain)
    return plain.getvalue(), font


def content(font: FontFile) -> bytes:
    """A font's bytes from whoever holds them; BadArt where nobody does."""
    for find in FINDERS:
        data = find(font.sha256)
        if data is not None and hashlib.sha256(data).hexdigest() == font.sha256:
            return data
    raise BadArt(f"{font.file}: the font {font.name} is not at hand; bring it in again")
