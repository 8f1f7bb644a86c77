"""The web page: a folder that plays the scene by itself, with no request outside it and no inline script or style.

Art is trimmed of its empty border and written at the widths it is really shown at (see `pictures`).
"""

import json
from dataclasses import replace
from html import escape
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import Field

from clinamen import __version__
from clinamen.core.bounds.sharpness import sharpest_use
from clinamen.core.document import Scene, described
from clinamen.core.exchange.names import id_from_name
from clinamen.core.exports.base import Export, Files, Options, Told, visible
from clinamen.core.exports.web.budget import budget
from clinamen.core.exports.web.css import Stylesheet
from clinamen.core.exports.web.pictures import Fit, picture
from clinamen.core.motion.states import State
from clinamen.core.pictures.encoding import encode_jpeg, encode_webp
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.pixels import shrink
from clinamen.core.raster import render
from clinamen.core.stage import stage_at
from clinamen.core.stage.geometry import corners, project

PAGE = """<!DOCTYPE html>
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
FIRST_PATH = "art/poster.webp"
FIRST, FIRST_QUALITY = 640, 60  # px and WebP quality of what is seen first

BUDGET = "budget.json"

PAGE_CSS = "body{margin:0;background:BACKGROUND}\n"


class WebOptions(Options):
    """How a page fills a window of another shape: `cover` cuts what stands out, but for the focal point at (`focus_x`, `focus_y`)
    percent of the view, `contain` shows all of it; the language its words are in, as BCP 47 says it; and whether a device's tilt
    stands in for the pointer."""

    fit: Fit = Field(
        default="cover", title="In a window of another shape",
        json_schema_extra={"words": {"cover": "cover: fill it, cut what stands out", "contain": "contain: show all of the view"}},
    )  # fmt: skip
    focus_x: float = Field(default=50, ge=0, le=100, title="Kept in sight, % across")
    focus_y: float = Field(default=50, ge=0, le=100, title="and % down")
    language: str = Field(default="en", title="Language", pattern=r"^[A-Za-z]{2,3}(-[A-Za-z0-9]{1,8})*$", max_length=35)
    tilt: bool = Field(default=False, title="A device's tilt stands in for the pointer")


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


def _posters(scene: Scene, shelf: ArtShelf) -> tuple[bytes, bytes]:
    """The scene at rest, for links to the page: a JPEG, since not everyone who shows links reads WebP; and a small WebP that is
    seen until the art is there."""
    scale = min(1.0, POSTER / max(scene.view.width, scene.view.height))
    picture = render(scene, State(), shelf.loader(scene, scale), scale)
    share = min(1.0, FIRST / max(picture.shape[:2]))
    small = shrink(picture, max(1, round(picture.shape[1] * share)), max(1, round(picture.shape[0] * share)))
    return encode_jpeg(picture[..., :3].copy()), encode_webp(np.ascontiguousarray(small[..., :3]), FIRST_QUALITY)


def _seen_first(scene: Scene) -> set[str]:
    """The layers that are in the view at rest: their art is fetched before the others'."""
    seen = set()
    for sheet in stage_at(scene, State()).sheets:
        points, depth = project(sheet.matrix[0], corners(sheet.layer))
        (left, top), (right, bottom) = points.min(axis=0), points.max(axis=0)
        inside = right > 0 and left < scene.view.width and bottom > 0 and top < scene.view.height
        if sheet.opacity[0] > 0 and (sheet.layer.repeats or inside or depth.min() <= 0):
            seen.add(sheet.layer.id)
    return seen


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
        made = told.each(list(layers), lambda i: picture(layers[i], shelf, stems[i], use[i], scene.view, options.fit))
        written = dict(zip(layers, made, strict=True))
        for own in made:
            files |= own.files
        seen = _seen_first(scene)
        shown = {
            layer_id: replace(own.shown, priority="high" if layer_id in seen else "low")
            for layer_id, own in written.items()
        }
        focus = (options.focus_x / 100, options.focus_y / 100)
        sheet = Stylesheet(scene, shown, focus=focus, poster=FIRST_PATH)
        files["scene.css"] = sheet.css().encode()
        files["page.css"] = PAGE_CSS.replace("BACKGROUND", scene.view.background).encode()
        files["player.js"] = player_source().encode()
        files["player.mjs"] = MODULE.encode()
        files["package.json"] = _package(scene).encode()
        files["poster.jpg"], files[FIRST_PATH] = _posters(scene, shelf)
        said = {"title": escape(scene.title), "description": escape(described(scene))}
        words = {**said, "language": escape(options.language), "background": scene.view.background}
        files["index.html"] = PAGE.format(**words, scene=sheet.markup(options.fit, tilt=options.tilt)).encode()
        names = {layer_id: layer.label for layer_id, layer in layers.items()}
        table = budget(written, names, files, FIRST_PATH, options.fit)
        files[BUDGET] = (json.dumps(table, indent=1, ensure_ascii=False) + "\n").encode()
        return files

    def budget(self, files: Files) -> list[dict[str, Any]]:
        return list(json.loads(files[BUDGET]))


def build(scene: Scene, shelf: ArtShelf, options: WebOptions | None = None) -> Files:
    """The page's files by path."""
    return WebPage().build(scene, shelf, options or WebOptions(), Told())
