"""The contact sheet: a PDF page with a picture of every layer, its name, size, depth and rate, and of the whole."""

import io
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from PIL import Image

from clinamen.core.arrays import Pixels
from clinamen.core.made.families import FONTS
from clinamen.core.pictures.encoding import encode_jpeg
from clinamen.core.quantities import shown

if TYPE_CHECKING:
    from fpdf import FPDF

MARGIN, GAP, CAPTION = 12.0, 6.0, 12.0  # mm
LEAST, MOST = 2, 5  # pictures a side of a page
LONGEST = 640  # px of a picture
CHECK = 8  # px of the squares that stand for what is clear


@dataclass(frozen=True)
class Row:
    """A layer's picture and what is said below it; sizes of its art in px."""

    name: str
    picture: Pixels
    width: int
    height: int
    depth: float | str
    rate: float

    @property
    def says(self) -> str:
        depth = "infinitely far" if self.depth == "infinite" else f"depth {shown(float(self.depth), 0)} px"
        return f"{self.width} × {self.height} px · {depth} · rate {shown(self.rate, 3)}"


def contact_sheet(title: str, whole: Pixels, rows: Sequence[Row]) -> bytes:
    """The PDF: A4 across, the whole scene first, then layers from the back; as many pages as they need."""
    from fpdf import FPDF  # with all it imports over a second, which only who makes a sheet should wait

    pdf = FPDF("landscape", "mm", "A4")
    pdf.set_title(title or "Contact sheet")
    pdf.set_auto_page_break(False)
    for name, script in (("plain", "latin"), ("more", "latin-ext")):
        pdf.add_font(name, fname=FONTS / f"archivo-{script}-400-normal.woff2")
    pdf.set_fallback_fonts(["more"])
    cells = [
        ("The whole", whole, f"{len(rows)} layers, back to front"),
        *((row.name, row.picture, row.says) for row in rows),
    ]
    side = min(MOST, max(LEAST, math.ceil(math.sqrt(len(cells)))))
    wide = (pdf.w - 2 * MARGIN - (side - 1) * GAP) / side
    high = (pdf.h - 2 * MARGIN - 10 - (side - 1) * GAP) / side - CAPTION
    for index, (name, picture, says) in enumerate(cells):
        place = index % side**2
        if place == 0:
            pdf.add_page()
            pdf.set_font("plain", size=14)
            pdf.text(MARGIN, MARGIN + 4, title or "Untitled")
        x = MARGIN + place % side * (wide + GAP)
        y = MARGIN + 10 + place // side * (high + CAPTION + GAP)
        _picture(pdf, picture, x, y, wide, high)
        pdf.set_font("plain", size=8)
        pdf.text(x, y + high + 4.5, _cut(pdf, name, wide))
        pdf.set_font("plain", size=6.5)
        pdf.text(x, y + high + 8.5, _cut(pdf, says, wide))
    return bytes(pdf.output())


def _picture(pdf: "FPDF", picture: Pixels, x: float, y: float, wide: float, high: float) -> None:
    """A picture on squares, fitted into a box, with a line around it."""
    height, width = picture.shape[:2]
    scale = min(wide / width, high / height)
    finer = min(1.0, LONGEST / max(width, height))
    size = max(1, round(width * finer)), max(1, round(height * finer))
    small = np.asarray(Image.fromarray(picture).resize(size, Image.Resampling.BOX))
    rows, columns = np.indices(small.shape[:2]) // CHECK
    squares = np.where((rows + columns) % 2, 226, 246)[..., None].astype(np.float32)
    alpha = small[..., 3:].astype(np.float32) / 255
    laid = np.rint(small[..., :3] * alpha + squares * (1 - alpha)).astype(np.uint8)
    at = x + (wide - width * scale) / 2, y + (high - height * scale) / 2
    pdf.image(io.BytesIO(encode_jpeg(laid, 88)), *at, width * scale, height * scale)
    pdf.set_draw_color(150)
    pdf.set_line_width(0.15)
    pdf.rect(*at, width * scale, height * scale)


def _cut(pdf: "FPDF", text: str, wide: float) -> str:
    """As much of a text as there is room for."""
    text = text.replace("\u202f", " ")  # the fonts have no thin space
    if pdf.get_string_width(text) <= wide:
        return text
    while text and pdf.get_string_width(text + "…") > wide:
        text = text[:-1]
    return text + "…"
