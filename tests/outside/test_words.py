"""Words against fontTools (advances and outlines of the font files) and against Chromium's own lettering with the same files."""

import base64
import hashlib

import numpy as np
import pytest
from fontTools.pens.boundsPen import BoundsPen
from fontTools.svgLib.path import parse_path
from fontTools.ttLib import TTFont

from clinamen.core.made import fontfile
from clinamen.core.made.families import FAMILIES, FONTS
from clinamen.core.made.fontfile import FontFile, checked
from clinamen.core.made.kinds import Words
from clinamen.core.made.lettering import set_words
from clinamen.core.made.sources import Sources
from tests.conftest import fresh_context, psnr
from tests.fonts import SIDE, UNITS, WIDE, boxes, varying
from tests.seen import shot

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
    page = fresh_context(chromium, viewport={"width": width, "height": height}).new_page()
    page.set_content(
        f"<style>@font-face{{font-family:f;src:url(data:font/woff2;base64,{data})}}body{{margin:0;background:#fff}}"
        f"div{{position:absolute;inset:0;display:flex;align-items:center;justify-content:center;font:60px/1.5 f;white-space:pre}}</style>"
        f"<div><span>{TEXT}</span></div>"
    )
    page.evaluate("() => document.fonts.load('60px f').then(() => document.fonts.ready)")
    theirs_wide = page.evaluate("() => document.querySelector('span').getBoundingClientRect().width")
    assert set_words(words).width == pytest.approx(theirs_wide, abs=0.25)
    theirs = shot(page)
    ours = words.paint(width, height, 1.0, Sources(lambda name: ([], 1, 1)))
    alpha = ours[..., 3:] / 255
    assert psnr(theirs, np.rint(255 * (1 - alpha) * np.ones(3)).astype(np.uint8)) > 21
    page.context.close()


@pytest.fixture
def own(monkeypatch):
    """Puts a font at hand as one that was brought in is."""

    def at_hand(data: bytes) -> FontFile:
        sha256 = hashlib.sha256(data).hexdigest()
        monkeypatch.setattr(fontfile, "FINDERS", [{sha256: data}.get])
        return FontFile(file="fonts/own", sha256=sha256, name="Own")

    return at_hand


@pytest.mark.parametrize(("kind", "begins"), [("ttf", ".ttf"), ("otf", ".otf"), ("woff2", ".woff2")])
def test_a_font_of_ones_own_sets_the_outlines_that_fonttools_wrote_into_it(own, kind: str, begins: str) -> None:
    data = boxes(kind)
    told = checked(data, "boxes")
    assert (told.name, told.licence, told.ending) == ("Boxes", "Boxes may be used by all", begins)
    first, second = set_words(Words(text="AB", font=own(data), size=200, spacing=7)).letters
    assert second.x - first.x == pytest.approx(200 * WIDE / UNITS + 7)
    bounds = BoundsPen(None)
    parse_path(first.path, bounds)
    assert bounds.bounds == pytest.approx((0, -200 * SIDE / UNITS, 200 * SIDE / UNITS, 0), abs=0.01)
    assert set_words(Words(text="AZ", font=own(data))).lacks == "Z"


def test_a_font_that_varies_is_set_at_the_weight_that_is_asked_for(own) -> None:
    font, sides = own(varying()), {}
    for weight in (400, 700):
        bounds = BoundsPen(None)
        parse_path(set_words(Words(text="A", font=font, weight=weight, size=1000)).letters[0].path, bounds)
        sides[weight] = bounds.bounds[2]
    assert sides == pytest.approx({400: SIDE, 700: SIDE + 90}, abs=1)


def test_a_font_may_say_that_it_is_not_to_be_embedded() -> None:
    """OpenType, OS/2: fsType 2 is a restricted licence, 8 one that may be embedded and edited."""
    assert "may not be embedded" in checked(boxes(permission=2), "x").notes[0]
    assert checked(boxes(permission=8), "x").notes == ()
    assert "nothing of a licence" in checked(boxes(licence=""), "x").notes[0]
