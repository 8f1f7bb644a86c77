"""The web page: a folder that plays the scene by itself, with no request outside it and no inline script or style.

Art is trimmed of its empty border and written at the size it is really shown at, for screens of one and of two device
pixels a CSS pixel, as WebP with PNG beside it.
"""

import json
import math
from html import escape
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from clinamen import __version__
from clinamen.core.arrays import Pixels
from clinamen.core.bounds.sharpness import sharpest_use
from clinamen.core.document import Layer, Scene, described
from clinamen.core.exchange.names import id_from_name
from clinamen.core.exports.base import Export, Files, Options, Told, visible
from clinamen.core.exports.web.css import Shown, Stylesheet, unit_size
from clinamen.core.motion.states import State
from clinamen.core.pictures.encoding import encode_jpeg, encode_png, encode_webp
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.pixels import shrink, trim_box
from clinamen.core.raster import render

Fit = Literal["cover", "contain"]
DEVICE_PIXELS = (1, 2)
SPARE = 1.02  # art a little larger than shown, so that rounding never makes it soft

PAGE = """<!doctype html>
<html lang="{language}">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{title}</title>
<meta name="description" content="{description}">
<meta name="theme-color" content="{background}">
<meta property="og:title" content="{title}">
<meta property="og:description" content="{description}">
<meta property="og:image" content="poster.jpg">
<link rel="icon" href="data:,">
<link rel="stylesheet" href="page.css">
<link rel="stylesheet" href="scene.css">
<script src="player.js" defer></script>
</head>
<body>
<main>
{scene}
</main>
</body>
</html>
"""

MODULE = """// The player as a module: `import {mount} from './player.mjs'` mounts what is not mounted yet.
import './player.js';
export const {mount, mountAll} = window.Clinamen;
"""
POSTER = 1200  # px: longest side

PAGE_CSS = "body{margin:0;background:BACKGROUND}\n"


class WebOptions(Options):
    """How a page fills a window of another shape: `cover` cuts what stands out, `contain` shows all of the view; and the
    language its words are in, as BCP 47 says it."""

    fit: Fit = Field(
        default="cover", title="In a window of another shape",
        json_schema_extra={"words": {"cover": "cover: fill it, cut what stands out", "contain": "contain: show all of the view"}},
    )  # fmt: skip
    language: str = Field(default="en", title="Language", pattern=r"^[A-Za-z]{2,3}(-[A-Za-z0-9]{1,8})*$", max_length=35)


def player_source() -> str:
    """The player's script, as shipped: its version stands in the first line."""
    return f"// Clinamen player {__version__}\n{(Path(__file__).parent / 'player.js').read_text()}"


def _package(scene: Scene) -> str:
    """package.json, so that the folder can be put into a build."""
    package = {
        "name": id_from_name(scene.title, ()), "version": __version__, "private": True, "description": described(scene),
        "main": "player.js", "exports": {".": "./player.mjs", "./*": "./*"}, "sideEffects": True,
    }  # fmt: skip
    return json.dumps(package, indent=2, ensure_ascii=False) + "\n"


def _poster(scene: Scene, shelf: ArtShelf) -> bytes:
    """The scene at rest, for links to the page: a JPEG, since not everyone who shows links reads WebP."""
    scale = min(1.0, POSTER / max(scene.view.width, scene.view.height))
    return encode_jpeg(render(scene, State(), shelf.loader(scene, scale), scale)[..., :3].copy())


class WebPage(Export):
    id = "web"
    name = "Web page"
    says = (
        "A folder that plays the scene by itself: style sheet, small player, art at the sizes shown. Runs from a file, "
        "under a strict policy, or inside another page."
    )
    options = WebOptions

    def build(self, scene: Scene, shelf: ArtShelf, options: WebOptions, told: Told) -> Files:
        files: Files = {}
        layers = {layer.id: layer for layer in visible(scene)}
        stems: dict[str, str] = {}
        for layer_id in layers:
            stems[layer_id] = id_from_name(layer_id, list(stems.values()))
        use = {layer_id: sharpest_use(scene, layer) for layer_id, layer in layers.items()}
        made = told.each(list(layers), lambda i: _picture(layers[i], shelf, stems[i], use[i]))
        for _, own in made:
            files |= own
        sheet = Stylesheet(scene, {layer_id: shown for layer_id, (shown, _) in zip(layers, made, strict=True)})
        files["scene.css"] = sheet.css().encode()
        files["page.css"] = PAGE_CSS.replace("BACKGROUND", scene.view.background).encode()
        files["player.js"] = player_source().encode()
        files["player.mjs"] = MODULE.encode()
        files["package.json"] = _package(scene).encode()
        files["poster.jpg"] = _poster(scene, shelf)
        said = {"title": escape(scene.title), "description": escape(described(scene))}
        words = {**said, "language": escape(options.language), "background": scene.view.background}
        files["index.html"] = PAGE.format(**words, scene=sheet.markup(options.fit)).encode()
        return files


def build(scene: Scene, shelf: ArtShelf, options: WebOptions | None = None) -> Files:
    """The page's files by path."""
    return WebPage().build(scene, shelf, options or WebOptions(), Told())


def _picture(layer: Layer, shelf: ArtShelf, stem: str, use: float) -> tuple[Shown, Files]:
    """A layer's art at each size, and how the page shows it."""
    files: Files = {}
    art, finer = _drawn(layer, shelf, use)
    whole = (0, 0, layer.art.width, layer.art.height)
    left, top, right, bottom = whole if layer.repeats or finer != 1 else trim_box(art)
    part = mirrored_unit(art, layer) if layer.repeats else art if finer != 1 else art[top:bottom, left:right]
    sizes = _sizes(part, use / finer)
    opaque = bool(part[..., 3].min() == 255)
    names = {"png": [], "webp": []}  # type: dict[str, list[str]]
    for ratio, (width, height) in sizes.items():
        small = shrink(part, width, height)
        small = np.ascontiguousarray(small[..., :3]) if opaque else bleed(small)
        for ending, encode in (("png", encode_png), ("webp", encode_webp)):
            path = f"art/{stem}@{ratio}x.{ending}"
            files[path] = encode(small)
            names[ending].append(f"{path} {ratio}x")
    src = f"art/{stem}@{max(sizes)}x.png"
    if layer.repeats:
        return _repeated_picture(names, src, layer), files
    box = (left, top, right - left, bottom - top)
    return Shown((("image/webp", ", ".join(names["webp"])),), src, ", ".join(names["png"]), box), files


def _drawn(layer: Layer, shelf: ArtShelf, use: float) -> tuple[Pixels, float]:
    """A layer's art, and its pixels per art pixel: vector art is drawn at the largest size that is written."""
    if not shelf.vector(layer):
        return shelf.pixels(layer), 1.0
    art = shelf.drawn(layer, max(use, 1e-3) * max(DEVICE_PIXELS) * SPARE)
    return art, art.shape[1] / layer.art.width


def _repeated_picture(names: dict[str, list[str]], src: str, layer: Layer) -> Shown:
    """As a background: each file with its type and its resolution, so that a screen loads only what it shows."""
    width, height = unit_size(layer)
    sources = []
    for ending, kind in (("webp", "image/webp"), ("png", "image/png")):
        for name in names[ending]:
            path, ratio = name.rsplit(" ", 1)
            sources.append((kind, f'url("{path}") {ratio}'))
    return Shown(tuple(sources), src, "", (0, 0, width, height))


def mirrored_unit(art: Pixels, layer: Layer) -> Pixels:
    """What a repeating layer repeats: the art, with its reflection beside it where it mirrors."""
    unit = art
    if layer.repeat.x == "mirror":
        unit = np.concatenate([unit, unit[:, ::-1]], axis=1)
    if layer.repeat.y == "mirror":
        unit = np.concatenate([unit, unit[::-1]], axis=0)
    return unit


def _sizes(part: NDArray[np.uint8], use: float) -> dict[int, tuple[int, int]]:
    """Size of the file for each device pixel ratio; one file where the second would be no larger."""
    height, width = part.shape[:2]
    sizes: dict[int, tuple[int, int]] = {}
    for ratio in DEVICE_PIXELS:
        share = min(1.0, use * ratio * SPARE)
        size = (max(1, math.ceil(width * share)), max(1, math.ceil(height * share)))
        if size not in sizes.values():
            sizes[ratio] = size
    return sizes


def bleed(pixels: Pixels, reach: int = 8) -> Pixels:
    """Carry edge colours `reach` pixels out under clear pixels, so that filtering draws no dark fringe."""
    import cv2

    out = pixels.copy()
    known = (pixels[..., 3] > 0).astype(np.uint8)
    if known.all() or not known.any():
        return out
    colour = pixels[..., :3].astype(np.float32) * known[..., None]
    weight = known.astype(np.float32)
    for _ in range(reach):
        near = cv2.blur(weight, (3, 3), borderType=cv2.BORDER_CONSTANT)
        spread = cv2.blur(colour, (3, 3), borderType=cv2.BORDER_CONSTANT)
        new = (weight == 0) & (near > 1e-6)
        colour[new] = spread[new] / near[new][:, None]
        weight[new] = 1.0
    fresh = (known == 0) & (weight > 0)
    out[fresh, :3] = np.clip(np.round(colour[fresh]), 0, 255).astype(np.uint8)
    return out
