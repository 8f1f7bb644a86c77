"""Files become an actor's strip: a grid of cells in one picture, numbered pictures or a ZIP of them, an animated picture, a clip.

All cells are of one size, trimmed alike, and packed into one picture as nearly square as they allow.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath

import numpy as np

from clinamen.core.arrays import Pixels
from clinamen.core.document import Frames
from clinamen.core.errors import BadArt, BadEdit
from clinamen.core.exchange.names import name_from_file, natural_key
from clinamen.core.exchange.unpacking import all_members
from clinamen.core.motion.between import Drawn, between
from clinamen.core.motion.easing import NAMED, cubic_bezier
from clinamen.core.pictures.cells import cut, grid, packed
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.limits import MAX_PIXELS, is_clip, is_vector
from clinamen.core.pictures.reading import decode, forms_of, moving
from clinamen.core.pixels import trim_box

USUAL_FPS = 12.0
ACCEPTED = ".png,.webp,.gif,.apng,.jpg,.jpeg,.avif,.svg,.zip,.mp4,.webm,.mov"


@dataclass(frozen=True)
class Strip:
    """An actor made ready: the strip as a picture file (`ending` says of which kind), a cell's size, how it plays, how far the
    trimmed cell's middle lies from that of the cell as it came (art px), a name, and sentences on what is different here."""

    data: bytes
    width: int
    height: int
    frames: Frames
    moved: tuple[float, float]
    name: str
    notes: tuple[str, ...] = ()
    ending: str = "png"


def strip_of(
    files: Sequence[tuple[str, bytes]], columns: int = 0, rows: int = 0, count: int = 0, fps: float = 0.0
) -> Strip:
    """The strip of files (name, bytes). `columns` and `rows` say that one picture is a grid, of which the first `count` cells are
    taken (0: all); `fps` 0 is what the file says, or 12."""
    if not files:
        raise BadEdit("files: none were chosen; choose a strip, numbered pictures, an animated picture or a clip")
    name, data = files[0]
    notes: tuple[str, ...] = ()
    if len(files) > 1 or data[:2] == b"PK":
        cells = _numbered(files if len(files) > 1 else _unpacked(name, data))
    elif columns or rows:
        cells = _grid(decode(data, name), name, max(1, columns), max(1, rows), count)
    elif is_clip(data):
        said, cells = moving("clip", data, name, fps)
        fps = fps or said
    else:
        said, cells, note = _animated(data, name)
        fps, notes = fps or said, (note,) if note else ()
    shows = cells[..., 3].max(axis=0)
    if not shows.any():
        raise BadArt(f"{name}: shows nothing in any of its cells; look at it in the program that made it")
    left, top, right, bottom = trim_box(np.dstack([cells[0][..., :3], shows]))
    across, down = grid(len(cells), right - left, bottom - top)
    strip = packed(cells[:, top:bottom, left:right], across, down)
    frames = Frames(columns=across, rows=down, count=len(cells), fps=fps or USUAL_FPS)
    moved = ((left + right - cells.shape[2]) / 2, (top + bottom - cells.shape[1]) / 2)
    label = name_from_file(PurePosixPath(name.replace("\\", "/")).name)
    return Strip(encode_png(strip), right - left, bottom - top, frames, moved, label, notes)


def between_of(files: Sequence[tuple[str, bytes]], count: int, ease: str = "ease-in-out", fps: float = 0.0) -> Strip:
    """The strip of two drawn forms (SVG) and `count` in-between drawings, eased; it stays vector, and plays to and fro."""
    if len(files) != 2:
        raise BadEdit(f"forms: in-betweens need two drawings, not {len(files)}; choose the first and the last")
    (name, first), (other, last) = sorted(files, key=lambda file: natural_key(file[0]))
    for each, data in files:
        if not is_vector(data):
            raise BadArt(f"{each}: is no SVG; in-betweens are made of outlines, save the drawing as SVG")
    (width, height, one), (wide, high, two) = forms_of(first, name), forms_of(last, other)
    if (width, height) != (wide, high):
        raise BadEdit(
            f"forms: {name} is {width} × {height} px, {other} {wide} × {high} px; draw both on the same canvas"
        )
    if ease not in NAMED:
        raise BadEdit(f"easing: {ease!r} is not one of {', '.join(NAMED)}")
    shares = cubic_bezier(NAMED[ease], np.linspace(0, 1, count + 2))
    drawings = between(one, two, shares)
    across, down = grid(len(drawings), width, height)
    frames = Frames(columns=across, rows=down, count=len(drawings), fps=fps or USUAL_FPS, play="to-and-fro")
    cells = "".join(
        f'<svg x="{n % across * width}" y="{n // across * height}" width="{width}" height="{height}">{_shapes(drawing)}</svg>'
        for n, drawing in enumerate(drawings)
    )
    size = f'width="{frames.columns * width}" height="{frames.rows * height}"'
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" {size}>{cells}</svg>\n'
    label = name_from_file(PurePosixPath(name.replace("\\", "/")).name)
    return Strip(svg.encode(), width, height, frames, (0.0, 0.0), label, ending="svg")


def _shapes(drawing: Sequence[Drawn]) -> str:
    parts = []
    for form in drawing:
        lines = ("M" + "L".join(f"{x:.2f} {y:.2f}" for x, y in outline) + "Z" for outline in form.outlines)
        red, green, blue = (round(255 * channel) for channel in form.colour[:3])
        colour = f'fill="#{red:02x}{green:02x}{blue:02x}" fill-opacity="{form.colour[3]:.4f}"'
        parts.append(f'<path {colour} fill-rule="evenodd" d="{"".join(lines)}"/>')
    return "".join(parts)


def _animated(data: bytes, name: str) -> tuple[float, Pixels, str]:
    note: list[str] = []
    fps, cells = moving("animated", data, name, 0.0, note)
    return fps, cells, " ".join(note)


def _grid(picture: Pixels, name: str, columns: int, rows: int, count: int) -> Pixels:
    height, width = picture.shape[:2]
    for size, parts, word in ((width, columns, "columns"), (height, rows, "rows")):
        if size % parts:
            fit = size // parts * parts
            raise BadEdit(f"{word}: {name} is {size} px {'wide' if word == 'columns' else 'high'}, which {parts} do not divide; "
                          f"correct the number, or make the picture {fit} px")  # fmt: skip
    if count > columns * rows:
        raise BadEdit(f"count: {columns} × {rows} cells are {columns * rows}, not {count}; correct one of the numbers")
    return cut(picture, columns, rows)[: count or rows * columns]


def _unpacked(name: str, data: bytes) -> list[tuple[str, bytes]]:
    found = list[tuple[str, bytes]]()
    for member, cell in all_members(data, name):
        if isinstance(cell, BadArt):
            raise cell
        found.append((member, cell))
    return found


def _numbered(files: Sequence[tuple[str, bytes]]) -> Pixels:
    """Pictures in the order of their names; all must be of one size."""
    order = sorted(files, key=lambda file: natural_key(file[0]))
    cells: list[Pixels] = []
    for name, data in order:
        cell = decode(data, name)
        if cells and cell.shape != cells[0].shape:
            one, other = (f"{c.shape[1]} × {c.shape[0]} px" for c in (cell, cells[0]))
            raise BadArt(f"{name}: is {one}, the first is {other}; all frames of an actor must be of one size")
        if (len(cells) + 1) * cell.shape[0] * cell.shape[1] > MAX_PIXELS:
            raise BadArt(
                f"{name}: with it the frames are more than 64 megapixels in all; take fewer, or make them smaller"
            )
        cells.append(cell)
    return np.stack(cells)
