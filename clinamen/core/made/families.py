"""The families that words are set in: eight of differing character, all under the SIL Open Font License, shipped in `fonts/`.

A family's letters stand in two files a weight, Latin and what Latin scripts have beyond it. A font of one's own is one file.
"""

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from clinamen.core.made.fontfile import FontFile, content, unpacked

TYPOGRAPHIC_LINE = 0x80  # OpenType, OS/2 fsSelection
FONTS = Path(__file__).parent / "fonts"
FAMILIES: dict[str, tuple[str, tuple[int, ...]]] = {
    "archivo": ("Archivo, a plain sans", (400, 700)), "oswald": ("Oswald, narrow", (400, 700)),
    "alfa-slab-one": ("Alfa Slab One, a heavy slab", (400,)), "fraunces": ("Fraunces, a soft serif", (400, 700)),
    "cinzel": ("Cinzel, carved capitals", (400, 700)), "caveat": ("Caveat, by hand", (400, 700)),
    "pacifico": ("Pacifico, by brush", (400,)), "courier-prime": ("Courier Prime, typewritten", (400, 700)),
}  # fmt: skip


@dataclass(frozen=True)
class Face:
    """A font file made ready: what shapes it, its glyphs' outlines, their names, units an em, and its ascent and descent."""

    shaper: Any
    glyphs: Any
    names: list[str]
    units: int
    ascent: float
    descent: float
    has: frozenset[int]

    @property
    def middle(self) -> float:
        """How far the middle of a line lies above its baseline, in ems."""
        return (self.ascent + self.descent) / 2


def faces(family: str, weight: int, own: FontFile | None = None) -> tuple[Face, ...]:
    """The files of a family nearest to a weight, Latin first; or the font that is brought in, at that weight where it varies."""
    if own is not None:
        return (_own_face(own, weight),)
    weights = FAMILIES[family][1]
    nearest = min(weights, key=lambda each: abs(each - weight))
    return tuple(_face(f"{family}-{script}-{nearest}-normal.woff2") for script in ("latin", "latin-ext"))


@lru_cache(maxsize=64)
def _face(file: str) -> Face:
    return _made_face(*unpacked((FONTS / file).read_bytes()))


@lru_cache(maxsize=32)
def _own_face(own: FontFile, weight: int) -> Face:
    data, font = unpacked(content(own))
    axes = {axis.axisTag: axis for axis in font["fvar"].axes} if "fvar" in font else {}
    if "wght" not in axes:
        return _made_face(data, font)
    return _made_face(data, font, {"wght": min(max(weight, axes["wght"].minValue), axes["wght"].maxValue)})


def _made_face(data: bytes, font: Any, at: dict[str, float] | None = None) -> Face:
    import uharfbuzz as hb

    units, shaper = font["head"].unitsPerEm, hb.Font(hb.Face(data))
    if at:
        shaper.set_variations(at)
    ascent, descent = _line_of(font)
    return Face(
        shaper, font.getGlyphSet(location=at), font.getGlyphOrder(), units,
        ascent / units, descent / units, frozenset(font.getBestCmap()),
    )  # fmt: skip


def _line_of(font: Any) -> tuple[float, float]:
    """Ascent and descent: the typographic ones where the font asks for them, else those of hhea, else Windows'."""
    line, system = font["hhea"], font.get("OS/2")
    if system is not None and system.fsSelection & TYPOGRAPHIC_LINE:
        return system.sTypoAscender, system.sTypoDescender
    if line.ascent or line.descent or system is None:
        return line.ascent, line.descent
    return system.usWinAscent, -system.usWinDescent
