"""Words set in type: shaped by HarfBuzz, kerning and all, into letters that each know their place and outline.

Places are art pixels from the middle of the whole block. A line is as high as size · leading; its letters stand in the middle
of it by the font's ascent and descent, as in CSS Inline Layout Level 3.
"""

from dataclasses import dataclass
from itertools import groupby
from typing import TYPE_CHECKING

from clinamen.core.made.families import Face, faces

if TYPE_CHECKING:
    from clinamen.core.made.kinds.words import Words

HEAVIEST = 2000  # characters


@dataclass(frozen=True)
class Letter:
    """A cluster of text with its outline (an SVG path, y down, at size 1), where its baseline begins, how far it goes on."""

    text: str
    path: str
    x: float
    y: float
    advance: float
    line: int


@dataclass(frozen=True)
class Block:
    """All letters, the block's width and height, and the characters that the family lacks."""

    letters: tuple[Letter, ...]
    width: float
    height: float
    lacks: str


def set_words(words: "Words") -> Block:
    """The words as letters, moved apart as `apart` says."""
    files = faces(words.family, words.weight, words.font)
    lines = [_line(line, files, words) for line in words.text.split("\n")]
    wide = max((width for _, width in lines), default=0.0)
    lead, first = words.size * words.leading, files[0]
    letters: list[Letter] = []
    for number, (line, width) in enumerate(lines):
        shift = {"left": 0.0, "middle": (wide - width) / 2, "right": wide - width}[words.align]
        base = (number + 0.5 - len(lines) / 2) * lead + first.middle * words.size
        letters += [Letter(t, path, x + shift - wide / 2, base, advance, number) for t, path, x, advance in line]
    apart = words.apart
    moved = tuple(
        Letter(each.text, each.path, each.x + (apart[i] if i < len(apart) else 0.0), each.y, each.advance, each.line)
        for i, each in enumerate(letters)
    )
    known = frozenset().union(*(face.has for face in files))
    lacks = "".join(dict.fromkeys(c for c in words.text if ord(c) not in known and not c.isspace()))
    spread = max([wide, *(2 * abs(each.x) for each in moved), *(2 * abs(each.x + each.advance) for each in moved)])
    return Block(moved, spread, lead * len(lines), lacks)


def _line(text: str, files: tuple[Face, ...], words: "Words") -> tuple[list[tuple[str, str, float, float]], float]:
    """Letters of one line as (text, path, x, advance), and its width."""
    found, x = list[tuple[str, str, float, float]](), 0.0

    def file_of(character: str) -> int:
        return next((i for i, face in enumerate(files) if ord(character) in face.has), 0)

    for file, run in groupby(text, file_of):
        for cluster, path, advance in _shaped("".join(run), files[file], words.size):
            found.append((cluster, path, x, advance))
            x += advance + words.spacing
    return found, max(0.0, x - words.spacing) if found else 0.0


def _shaped(text: str, face: Face, size: float) -> list[tuple[str, str, float]]:
    import uharfbuzz as hb
    from fontTools.pens.svgPathPen import SVGPathPen
    from fontTools.pens.transformPen import TransformPen

    buffer = hb.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    hb.shape(face.shaper, buffer, {})
    scale, out = size / face.units, list[tuple[str, str, float]]()
    glyphs = list(zip(buffer.glyph_infos, buffer.glyph_positions, strict=True))
    starts = [*sorted({info.cluster for info, _ in glyphs}), len(text)]
    for cluster, group in groupby(glyphs, lambda pair: pair[0].cluster):
        pen, advance = SVGPathPen(face.glyphs, ntos=lambda value: f"{value:.3f}".rstrip("0").rstrip(".")), 0.0
        for info, place in group:
            shift = (advance + place.x_offset * scale, -place.y_offset * scale)
            face.glyphs[face.names[info.codepoint]].draw(TransformPen(pen, (scale, 0, 0, -scale, *shift)))
            advance += place.x_advance * scale
        end = next(start for start in starts if start > cluster)
        out.append((text[cluster:end], pen.getCommands(), advance))
    return out


def svg_of(words: "Words", width: int, height: int) -> str:
    """The words as an SVG picture of this size."""
    from html import escape

    block = set_words(words)
    drawn = "".join(
        f'<path transform="translate({each.x + width / 2:.3f} {each.y + height / 2:.3f})" d="{each.path}"/>'
        for each in block.letters
        if each.path
    )
    line = (
        f'<g fill="none" stroke="{words.outline_colour}" stroke-width="{2 * words.outline}" stroke-linejoin="round">{drawn}</g>'
        if words.outline
        else ""
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" viewBox="0 0 {width} {height}">'
        f'<title>{escape(words.text)}</title>{line}<g fill="{words.colour}">{drawn}</g></svg>'
    )
