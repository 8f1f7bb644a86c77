"""The families that words are set in: eight of differing character, all under the SIL Open Font License, shipped in `fonts/`.

A family's letters stand in two files a weight, Latin and what Latin scripts have beyond it.
"""

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

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


def faces(family: str, weight: int) -> tuple[Face, ...]:
    """The files of a family nearest to a weight, Latin first."""
    weights = FAMILIES[family][1]
    nearest = min(weights, key=lambda each: abs(each - weight))
    return tuple(_face(f"{family}-{script}-{nearest}-normal.woff2") for script in ("latin", "latin-ext"))


@lru_cache(maxsize=64)
def _face(file: str) -> Face:
    import io

    import uharfbuzz as hb
    from fontTools.ttLib import TTFont

    font = TTFont(FONTS / file)
    font.flavor = None
    plain = io.BytesIO()
    font.save(plain)
    units = font["head"].unitsPerEm
    return Face(
        hb.Font(hb.Face(plain.getvalue())), font.getGlyphSet(), font.getGlyphOrder(), units,
        font["hhea"].ascent / units, font["hhea"].descent / units, frozenset(font.getBestCmap()),
    )  # fmt: skip
