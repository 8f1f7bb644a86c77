"""Formats of films, one module each. `FORMATS` is their registry; `format_of` finds the one a file's name asks for."""

from clinamen.core.errors import BadEdit
from clinamen.core.film.formats.apng import Apng
from clinamen.core.film.formats.av1 import Av1
from clinamen.core.film.formats.base import FORMATS, Format, Quality, Strip
from clinamen.core.film.formats.gif import Gif
from clinamen.core.film.formats.mkv import Mkv
from clinamen.core.film.formats.mov import Mov
from clinamen.core.film.formats.mp4 import Mp4
from clinamen.core.film.formats.png import Pngs
from clinamen.core.film.formats.webm import WebM
from clinamen.core.film.formats.webp import WebP

for _format in (Mp4(), WebM(), Mov(), Av1(), Gif(), WebP(), Apng(), Pngs(), Mkv()):
    FORMATS.add(_format.id, _format)

__all__ = ["FORMATS", "Format", "Quality", "Strip", "format_of"]


def format_of(name: str) -> Format:
    """The format that a file's name asks for by its ending; a folder's ends in "/"."""
    found = [each for each in FORMATS.values() if name.lower().endswith(each.ending)]
    if not found:
        known = ", ".join(each.ending for each in FORMATS.values() if not each.many)
        raise BadEdit(f"out: {name} has no ending that a film can have; choose {known}, or end in / for numbered PNGs")
    return max(found, key=lambda each: len(each.ending))
