"""The web page: a folder that plays the scene by itself, with no request outside it and no inline script or style.

Art is trimmed of its empty border and written at the widths it is really shown at (see `pictures`). More scenes may follow on the
same page, each a section with a folder of its own.
"""

import json
from dataclasses import dataclass, replace
from html import escape
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import Field

from clinamen import __version__
from clinamen.core.bounds.sharpness import sharpest_use
from clinamen.core.document import Scene, described
from clinamen.core.errors import BadEdit
from clinamen.core.exchange.names import id_from_name
from clinamen.core.exports.base import Export, Files, More, Options, Told, visible
from clinamen.core.exports.web.budget import budget
from clinamen.core.exports.web.css import Stylesheet, prefix_of
from clinamen.core.exports.web.pictures import Fit, Written, picture
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
{styles}
<script src="player.js" defer></script>
</head>
<body>
<main>
{scenes}
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
ACROSS_CSS = "main{display:flex;width:max-content}main>*{flex:none;min-width:100vw}\n"  # sections one beside the other


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


@dataclass(frozen=True)
class Section:
    """One scene of a page: its folder as the page sees it, its style sheet, and its files within the folder."""

    folder: str
    sheet: Stylesheet
    written: dict[str, Written]
    files: Files


def _section(scene: Scene, shelf: ArtShelf, options: WebOptions, told: Told, before: list[Section]) -> Section:
    layers = {layer.id: layer for layer in visible(scene)}
    stems: dict[str, str] = {}
    for layer_id in layers:
        stems[layer_id] = id_from_name(layer_id, list(stems.values()))
    use = {layer_id: sharpest_use(scene, layer) for layer_id, layer in layers.items()}
    made = told.each(list(layers), lambda i: picture(scene, layers[i], shelf, stems[i], use[i], options.fit))
    written = dict(zip(layers, made, strict=True))
    seen = set() if before else _seen_first(scene)
    shown = {
        layer_id: replace(own.shown, priority="high" if layer_id in seen else "low")
        for layer_id, own in written.items()
    }
    taken = [own.sheet.prefix for own in before]
    prefix = prefix_of(scene)
    sheet = Stylesheet(
        scene,
        shown,
        prefix=f"{prefix}-{len(before) + 1}" if prefix in taken else prefix,
        focus=(options.focus_x / 100, options.focus_y / 100),
        poster=FIRST_PATH,
    )
    files: Files = {}
    for own in made:
        files |= own.files
    files["scene.css"] = sheet.css().encode()
    poster, files[FIRST_PATH] = _posters(scene, shelf)
    if not before:
        files["poster.jpg"] = poster
    names = [own.folder.removesuffix("/") for own in before]
    folder = f"{id_from_name(scene.title, [*names, 'art'])}/" if before else ""
    return Section(folder, sheet, written, files)


def _scroll_alike(scenes: list[Scene]) -> None:
    """Scenes of one page scroll the same way; BadEdit where they do not."""
    ways = {scene.drivers.scroll.axis: scene.title for scene in scenes if scene.drivers.scroll}
    if len(ways) > 1:
        raise BadEdit(f"{ways['x']} scrolls across and {ways['y']} down; let both scroll the same way to share a page")


class WebPage(Export):
    id = "web"
    name = "Web page"
    says = "A folder that plays the scene by itself, art at the sizes shown; or inside another page."
    options = WebOptions
    takes_more = True

    def build(self, scene: Scene, shelf: ArtShelf, options: WebOptions, told: Told, more: More = ()) -> Files:
        every = [(scene, shelf), *more]
        _scroll_alike([each for each, _ in every])
        sections = list[Section]()
        for number, (each, its_shelf) in enumerate(every):
            share = Told(lambda done, file, at=number: told.tell((at + done) / len(every), file))  # type: ignore[misc]
            sections.append(_section(each, its_shelf, options, share, sections))
        first = sections[0]
        files: Files = {f"{own.folder}{name}": data for own in sections for name, data in own.files.items()}
        across = any(each.drivers.scroll and each.drivers.scroll.axis == "x" for each, _ in every)
        page_css = PAGE_CSS.replace("BACKGROUND", scene.view.background) + (ACROSS_CSS if across else "")
        files["page.css"] = page_css.encode()
        files["player.js"] = player_source().encode()
        files["player.mjs"] = MODULE.encode()
        files["package.json"] = _package(scene).encode()
        said = {"title": escape(scene.title), "description": escape(described(scene))}
        words = {**said, "language": escape(options.language), "background": scene.view.background}
        styles = "\n".join(f'<link rel="stylesheet" href="{own.folder}scene.css">' for own in sections)
        scenes = "\n".join(own.sheet.markup(options.fit, tilt=options.tilt, folder=own.folder) for own in sections)
        files["index.html"] = PAGE.format(**words, styles=styles, scenes=scenes).encode()
        written, names = dict[str, Written](), dict[str, str]()
        for own in sections:
            written |= {own.folder + layer_id: made for layer_id, made in own.written.items()}
            title = "" if own is first else f" ({own.sheet.scene.title})"
            names |= {own.folder + layer.id: f"{layer.label}{title}" for layer in visible(own.sheet.scene)}
        rest = ["index.html", "page.css", "player.js"]
        rest += [own.folder + name for own in sections for name in ("scene.css", FIRST_PATH)]
        table = budget(written, names, [len(files[name]) for name in rest], options.fit)
        files[BUDGET] = (json.dumps(table, indent=1, ensure_ascii=False) + "\n").encode()
        return files

    def budget(self, files: Files) -> list[dict[str, Any]]:
        return list(json.loads(files[BUDGET]))


def build(scene: Scene, shelf: ArtShelf, options: WebOptions | None = None) -> Files:
    """The page's files by path."""
    return WebPage().build(scene, shelf, options or WebOptions(), Told())
