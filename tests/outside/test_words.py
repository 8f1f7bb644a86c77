"""Words against fontTools (advances and outlines of the font files) and against Chromium's own lettering with the same files."""

import base64
import io

import numpy as np
import pytest
from fontTools.pens.boundsPen import BoundsPen
from fontTools.svgLib.path import parse_path
from fontTools.ttLib import TTFont
from PIL import Image

from clinamen.core.made.families import FAMILIES, FONTS
from clinamen.core.made.kinds import Words
from clinamen.core.made.lettering import set_words
from clinamen.core.made.sources import Sources
from tests.conftest import psnr

TEXT = "Tide Market AVA"


@pytest.mark.parametrize("family", FAMILIES)
def test_letters_advance_and_reach_as_their_font_says(family: str) -> None:
    """One letter at a time, so that no kerning counts: advances and bounds of the font's own tables."""
    weight = FAMILIES[family][1][-1]
    font = TTFont(FONTS / f"{family}-latin-{weight}-normal.woff2")
    glyphs, names, units = font.getGlyphSet(), font.getBestCmap(), font["head"].unitsPerEm
    for character in "8" if family == "pacifico" else "aGy8":  # a letter of a script by itself is another glyph
        (letter,) = set_words(Words(text=character, family=family, weight=weight, size=100)).letters
        name = names[ord(character)]
        assert letter.advance == pytest.approx(font["hmtx"][name][0] * 100 / units)
        pen, ours = BoundsPen(glyphs), BoundsPen(None)
        glyphs[name].draw(pen)
        parse_path(letter.path, ours)
        left, bottom, right, top = (value * 100 / units for value in pen.bounds)
        assert ours.bounds == pytest.approx((left, -top, right, -bottom), abs=0.01)


@pytest.mark.parametrize("family", FAMILIES)
def test_words_are_lettered_as_chromium_letters_them(chromium, family: str) -> None:
    """The same file as a web font: the width within a quarter of a pixel, kerning and ligatures included, and the picture."""
    weight = FAMILIES[family][1][-1]
    data = base64.b64encode((FONTS / f"{family}-latin-{weight}-normal.woff2").read_bytes()).decode()
    words = Words(text=TEXT, family=family, weight=weight, size=60, spacing=0, leading=1.5, colour="#000000")
    width, height = words.fitted()
    page = chromium.new_context(viewport={"width": width, "height": height}).new_page()
    page.set_content(
        f"<style>@font-face{{font-family:f;src:url(data:font/woff2;base64,{data})}}body{{margin:0;background:#fff}}"
        f"div{{position:absolute;inset:0;display:flex;align-items:center;justify-content:center;font:60px/1.5 f;white-space:pre}}</style>"
        f"<div><span>{TEXT}</span></div>"
    )
    page.evaluate("() => document.fonts.load('60px f').then(() => document.fonts.ready)")
    theirs_wide = page.evaluate("() => document.querySelector('span').getBoundingClientRect().width")
    assert set_words(words).width == pytest.approx(theirs_wide, abs=0.25)
    theirs = np.asarray(Image.open(io.BytesIO(page.screenshot())).convert("RGB"))
    ours = words.paint(width, height, 1.0, Sources(lambda name: ([], 1, 1)))
    alpha = ours[..., 3:] / 255
    assert psnr(theirs, np.rint(255 * (1 - alpha) * np.ones(3)).astype(np.uint8)) > 21
    page.context.close()
