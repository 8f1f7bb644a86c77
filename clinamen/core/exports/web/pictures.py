"""A layer's art for the web: written at several widths, so that each window loads what it shows, and in the formats that suit.

A browser chooses by `sizes`, which says how wide the art is shown in the window (CSS Images, HTML's source selection). Repeating
art is a background, where only the screen's resolution can choose.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Pixels
from clinamen.core.document import Layer, Scene, View
from clinamen.core.exports.base import Files
from clinamen.core.exports.web.shown import Shown, unit_size
from clinamen.core.finish import Finish, finish_of, finished_cells
from clinamen.core.made.kinds import Words
from clinamen.core.made.lettering import svg_of
from clinamen.core.pictures.cells import packed
from clinamen.core.pictures.encoding import WEBP_WAYS, encode_avif, encode_png, encode_webp
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.pixels import shrink, trim_box
from clinamen.core.prep.fringe import BLED, bled
from clinamen.core.quantities import plain

LADDER = (0.5, 0.75, 1.0, 1.6, 2.0)  # widths that are written, of the width on a screen as large as the view
DEVICE_PIXELS = (1, 2)  # of screens that repeating art is written for
FULL_DETAIL = 2.0  # device pixels a pixel, more of which nobody sees in a moving picture (common practice, no source)
SPARE = 1.02  # art a little larger than shown, so that rounding never makes it soft
BETWEEN = 4  # px: clear border of a cell in a strip
APART = 1.15  # widths closer than this are one
WORTH = 0.97  # of the WebP file: an AVIF file must be smaller than this to be written

Fit = Literal["cover", "contain"]
Encode = Callable[[NDArray[np.uint8]], bytes]


@dataclass(frozen=True)
class Written:
    """What was written of a layer: how the page shows it, the files, and for the budget each size with the bytes of the best
    format, smallest first, and how wide it is shown as shares of the window's width and height; no shares: chosen by the
    screen's resolution alone."""

    shown: Shown
    files: Files
    sizes: tuple[tuple[int, int, int], ...]
    shares: tuple[float, float] | None


@dataclass(frozen=True)
class Drawn:
    """The part of a layer's art that is written: its pixels, its place in art pixels (left, top, width, height), and how many
    view pixels one of its own is at its sharpest."""

    pixels: NDArray[np.uint8]
    box: tuple[int, int, int, int]
    use: float


def picture(scene: Scene, layer: Layer, shelf: ArtShelf, stem: str, use: float, fit: Fit) -> Written:
    """A layer's art at each size, finished, and how the page shows it; `use`: view pixels per art pixel at its sharpest."""
    finish, view = finish_of(scene, layer), scene.view
    if isinstance(layer.art.made, Words) and finish is None and not layer.repeats:
        return _lettered(layer, layer.art.made, stem)
    part = _drawn(layer, shelf, use, finish)
    if layer.repeats:
        return _repeated(part, layer, stem)
    files: Files = {}
    sources: dict[str, list[str]] = {}
    widths = _widths(part)
    small = {size: _small(part.pixels, *size) for size in widths}
    middle = widths[len(widths) // 2]
    formats = _formats(small[middle])  # what suits the middle one suits them all
    for width, height in widths:
        for kind, (ending, encode, made) in formats.items():
            path = f"art/{stem}-{width}.{ending}"
            files[path] = made if (width, height) == middle else encode(small[width, height])
            sources.setdefault(kind, []).append(f"{path} {width}w")
    width, height = _size(part, 1.0)
    src = f"art/{stem}-{width}.png"
    files[src] = encode_png(_small(part.pixels, width, height))
    best_first = [kind for kind in ("image/avif", "image/webp") if kind in sources]
    chosen = tuple((kind, ", ".join(sources[kind])) for kind in best_first)
    kind = best_first[0]
    weighed = tuple((*size, len(files[f"art/{stem}-{size[0]}.{formats[kind][0]}"])) for size in widths)
    wide = part.pixels.shape[1] * part.use
    shown = Shown(chosen, src, part.box, _sizes(wide, view, fit))
    return Written(shown, files, weighed, (wide / view.width, wide / view.height))


def _lettered(layer: Layer, words: Words, stem: str) -> Written:
    """Words without a finish stay outlines, sharp however large they are seen."""
    path, art = f"art/{stem}.svg", layer.art
    data = svg_of(words, art.width, art.height).encode()
    shown = Shown((("image/svg+xml", path),), path, (0, 0, art.width, art.height))
    return Written(shown, {path: data}, ((art.width, art.height, len(data)),), None)


def _drawn(layer: Layer, shelf: ArtShelf, use: float, finish: Finish | None) -> Drawn:
    """A layer's art, finished and trimmed; vector art is drawn at the largest size that is written."""
    art, finer = shelf.pixels(layer) if not shelf.vector(layer) else None, 1.0
    if art is None:
        art = shelf.drawn(layer, max(use, 1e-3) * max(LADDER) * SPARE)
        finer = art.shape[1] / layer.art.width
    margin = finish.margin if finish else 0
    whole = (-margin, -margin, layer.art.width + 2 * margin, layer.art.height + 2 * margin)
    if layer.frames:
        return _strip(layer, shelf, use, finish)
    art = finish.work(art) if finish else art
    if layer.repeats:
        return Drawn(mirrored_unit(art, layer), whole, use / finer)
    if finer != 1:
        return Drawn(art, whole, use / finer)
    left, top, right, bottom = trim_box(art)
    return Drawn(art[top:bottom, left:right], (left - margin, top - margin, right - left, bottom - top), use)


def _strip(layer: Layer, shelf: ArtShelf, use: float, finish: Finish | None) -> Drawn:
    """An actor's cells, trimmed alike, each with a clear border, so that none shines into its neighbour's window."""
    assert layer.frames is not None
    cells = finished_cells(finish, shelf.cells(layer))
    left, top, right, bottom = trim_box(cells.max(axis=0))
    clear = (BETWEEN, BETWEEN)
    bordered = np.pad(cells[:, top:bottom, left:right], ((0, 0), clear, clear, (0, 0)))
    high, wide = bordered.shape[1:3]
    strip = packed(bordered, layer.frames.columns, layer.frames.rows)
    margin = BETWEEN + (finish.margin if finish else 0)
    return Drawn(strip, (left - margin, top - margin, wide, high), use)


def _size(part: Drawn, rung: float) -> tuple[int, int]:
    """Width and height in px of the part for a screen `rung` times as large as the view, at most its own."""
    height, width = part.pixels.shape[:2]
    share = min(1.0, part.use * rung * SPARE)
    return max(1, math.ceil(width * share)), max(1, math.ceil(height * share))


def _widths(part: Drawn) -> list[tuple[int, int]]:
    """The sizes that are written, smallest first: the largest, and those that are really smaller than the next."""
    kept = [_size(part, LADDER[-1])]
    for rung in reversed(LADDER[:-1]):
        size = _size(part, rung)
        if size[0] * APART <= kept[0][0]:
            kept.insert(0, size)
    return kept


def _sizes(wide: float, view: View, fit: Fit) -> str:
    """How wide the part is in the window, as the `sizes` of HTML: the view fills the window, or fits into it."""

    def shown(share: float) -> str:
        across, down = (plain(round(100 * share * wide / size, 3)) for size in (view.width, view.height))
        return f"{'max' if fit == 'cover' else 'min'}({across}vw, {down}vh)"

    return f"(min-resolution: 2.8dppx) {shown(FULL_DETAIL / 3)}, {shown(1)}"


def _small(pixels: NDArray[np.uint8], width: int, height: int) -> NDArray[np.uint8]:
    """The part at a size, without alpha where all of it is opaque."""
    small = shrink(pixels, width, height)
    return np.ascontiguousarray(small[..., :3]) if pixels[..., 3].min() == 255 else bled(small, BLED)


def _formats(pixels: NDArray[np.uint8]) -> dict[str, tuple[str, Encode, bytes]]:
    """How the art is written, by media type: ending, encoder, and the file of these pixels. WebP with or without losses, and AVIF
    for opaque art where it is smaller (its alpha has losses)."""
    encoders: list[Encode] = [partial(encode_webp, ways=(way,)) for way in WEBP_WAYS]
    webp, encode = min(((encode(pixels), encode) for encode in encoders), key=lambda tried: len(tried[0]))
    formats: dict[str, tuple[str, Encode, bytes]] = {"image/webp": ("webp", encode, webp)}
    if pixels.shape[2] == 3 and len(avif := encode_avif(pixels)) < WORTH * len(webp):
        formats["image/avif"] = ("avif", encode_avif, avif)
    return formats


def _repeated(part: Drawn, layer: Layer, stem: str) -> Written:
    """As a background: each file with its type and its resolution, so that a screen loads only what it shows."""
    files: Files = {}
    sources: list[tuple[str, str]] = []
    largest = ""
    sizes = {_size(part, ratio): ratio for ratio in reversed(DEVICE_PIXELS)}
    for kind, encode in (("webp", encode_webp), ("png", encode_png)):
        for (width, height), ratio in sorted(sizes.items(), key=lambda item: item[1]):
            path = f"art/{stem}@{ratio}x.{kind}"
            files[path] = encode(_small(part.pixels, width, height))
            sources.append((f"image/{kind}", f'url("{path}") {ratio}x'))
            largest = path
    weighed = tuple((*size, len(files[f"art/{stem}@{ratio}x.webp"])) for size, ratio in sorted(sizes.items()))
    return Written(Shown(tuple(sources), largest, (0, 0, *unit_size(layer))), files, weighed, None)


def mirrored_unit(art: Pixels, layer: Layer) -> Pixels:
    """What a repeating layer repeats: the art, with its reflection beside it where it mirrors."""
    unit = art
    if layer.repeat.x == "mirror":
        unit = np.concatenate([unit, unit[:, ::-1]], axis=1)
    if layer.repeat.y == "mirror":
        unit = np.concatenate([unit, unit[::-1]], axis=0)
    return unit
