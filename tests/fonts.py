"""Small fonts for tests: letters that are boxes, whose advances and sides are known, as TTF, OTF, WOFF2 and one that varies."""

import io

from fontTools.designspaceLib import AxisDescriptor, DesignSpaceDocument, SourceDescriptor
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.t2CharStringPen import T2CharStringPen
from fontTools.pens.ttGlyphPen import TTGlyphPen
from fontTools.ttLib import TTFont
from fontTools.varLib import build

UNITS, WIDE, SIDE = 1000, 600, 500  # of an em: advance of every letter, and the side of its box


def _box(pen, side: int):
    pen.moveTo((0, 0))
    for corner in ((0, side), (side, side), (side, 0)):
        pen.lineTo(corner)
    pen.closePath()
    return pen


def _built(outlines: str, side: int, licence: str, permission: int = 0) -> FontBuilder:
    names = [".notdef", "A", "B"]
    made = FontBuilder(UNITS, isTTF=outlines == "ttf")
    made.setupGlyphOrder(names)
    made.setupCharacterMap({65: "A", 66: "B"})
    if outlines == "ttf":
        made.setupGlyf({name: _box(TTGlyphPen(None), side).glyph() for name in names})
    else:
        strings = {name: _box(T2CharStringPen(WIDE, None), side).getCharString() for name in names}
        made.setupCFF("Boxes", {}, strings, {})
    made.setupHorizontalMetrics(dict.fromkeys(names, (WIDE, 0)))
    made.setupHorizontalHeader(ascent=800, descent=-200)
    made.setupNameTable(
        {"familyName": "Boxes", "styleName": "Regular", **({"licenseDescription": licence} if licence else {})}
    )
    made.setupOS2(sTypoAscender=800, sTypoDescender=-200, fsType=permission)
    made.setupPost()
    return made


def boxes(kind: str = "ttf", licence: str = "Boxes may be used by all", permission: int = 0) -> bytes:
    """A font of boxes: "ttf", "otf" or "woff2"."""
    out = io.BytesIO()
    font = _built("otf" if kind == "otf" else "ttf", SIDE, licence, permission).font
    font.flavor = "woff2" if kind == "woff2" else None
    font.save(out)
    return out.getvalue()


def varying() -> bytes:
    """Boxes whose side grows from SIDE at weight 400 to SIDE + 90 at 700."""
    space = DesignSpaceDocument()
    space.addAxis(AxisDescriptor(tag="wght", name="Weight", minimum=400, default=400, maximum=700))
    for weight, side in ((400, SIDE), (700, SIDE + 90)):
        held = io.BytesIO()
        _built("ttf", side, "").font.save(held)
        space.addSource(SourceDescriptor(font=TTFont(io.BytesIO(held.getvalue())), location={"Weight": weight}))
    out = io.BytesIO()
    build(space)[0].save(out)
    return out.getvalue()
