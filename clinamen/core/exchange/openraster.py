"""OpenRaster: a ZIP with a stack of PNG layers that many paint programs open (specification 0.0.6).

The first member is `mimetype`, stored; `stack.xml` lists layers from the top down; `mergedimage.png` and a thumbnail
show the whole. A scene written here also travels inside as `clinamen/scene.json`, with the original art, so that it
reads back as the same scene.
"""

import io
import itertools
import json
import math
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import PurePosixPath
from xml.sax.saxutils import quoteattr

import cv2
from defusedxml import ElementTree

from clinamen.core import document
from clinamen.core.artshelf import ArtShelf
from clinamen.core.artwork import Pixels, encode_png, inspect, trim_box
from clinamen.core.document import BLEND_MODES, MAX_LAYERS, Framing, Layer, Scene
from clinamen.core.errors import BadArt
from clinamen.core.exchange.archive import open_archive, read_member
from clinamen.core.exchange.stack import Sheet, layers_from
from clinamen.core.motion.pose import State
from clinamen.core.raster import render

MIMETYPE = "image/openraster"
SCENE_MEMBER = "clinamen/scene.json"
THUMBNAIL_SIDE = 256


@dataclass(frozen=True)
class Opened:
    """What an archive held: the scene, and the bytes of each of its art files."""

    scene: Scene
    files: dict[str, bytes]


def read(data: bytes, name: str) -> Opened:
    """Read an OpenRaster file; BadArt or BadDocument names the file and the member that is wrong."""
    archive = open_archive(data, name)
    if "mimetype" not in archive.namelist() or read_member(archive, "mimetype", name).strip() != MIMETYPE.encode():
        raise BadArt(f"{name}: is not an OpenRaster file (its mimetype is missing); export it again as .ora")
    if SCENE_MEMBER in archive.namelist():
        return _read_scene(archive, name)
    return _read_stack(archive, name)


def _read_scene(archive: zipfile.ZipFile, name: str) -> Opened:
    scene = document.parse_text(read_member(archive, SCENE_MEMBER, name), f"{name}: {SCENE_MEMBER}")
    names = set(archive.namelist())
    files = {}
    for file in dict.fromkeys(layer.art.file for layer in scene.layers):
        places = (f"clinamen/{file}", f"data/{PurePosixPath(file).name}")
        found = next((place for place in places if place in names), None)
        if found is None:
            raise BadArt(f"{name}: has no {places[0]}, which its scene needs; export it again")
        files[file] = read_member(archive, found, name)
        inspect(files[file], f"{name}: {found}")
    return Opened(scene, files)


@dataclass(frozen=True)
class _Entry:
    """A layer of stack.xml with the offsets, opacity and visibility of the groups around it worked in."""

    name: str
    src: str
    x: float = 0.0
    y: float = 0.0
    opacity: float = 1.0
    visible: bool = True
    blend: str = "normal"
    group: str = ""


def _read_stack(archive: zipfile.ZipFile, name: str) -> Opened:
    root = _stack_root(archive, name)
    width, height = (_whole(root.get(side), f"{name}: stack.xml image {side}") for side in ("w", "h"))
    view = document.View(width=width, height=height, background="#ffffff")
    stacks = root.findall("stack")
    entries = [entry for stack in stacks for entry in _entries(stack, _Entry("", ""), name)]
    if not entries:
        raise BadArt(f"{name}: holds no layer; add one and export it again")
    if len(entries) > MAX_LAYERS:
        raise BadArt(f"{name}: holds {len(entries)} layers; at most {MAX_LAYERS} can be read")
    files: dict[str, bytes] = {}
    sheets: list[Sheet] = []
    for entry in reversed(entries):  # stack.xml lists the topmost first
        data = read_member(archive, entry.src, name)
        picture = inspect(data, f"{name}: {entry.src}")
        file = f"art/{len(sheets) + 1:02d}-{PurePosixPath(entry.src).stem}.{picture.format.lower()}"
        files[file] = data
        framing = Framing(
            x=entry.x + picture.width / 2 - view.width / 2, y=entry.y + picture.height / 2 - view.height / 2
        )
        label = entry.name or PurePosixPath(entry.src).stem
        sheet = Sheet(
            label, file, picture.width, picture.height, framing, entry.opacity, entry.blend, entry.visible, entry.group
        )
        sheets.append(sheet)
    scene = Scene(title=PurePosixPath(name).stem[:200] or "Untitled scene", view=view)
    layers = layers_from(sheets, scene.lens_distance)
    named = [layer.model_copy(update={"name": s.name[:200]}) for layer, s in zip(layers, sheets, strict=True)]
    return Opened(scene.model_copy(update={"layers": tuple(named)}), files)


def _stack_root(archive: zipfile.ZipFile, name: str) -> "ElementTree.Element":
    try:
        return ElementTree.fromstring(read_member(archive, "stack.xml", name), forbid_dtd=True)
    except BadArt:
        raise
    except Exception:
        raise BadArt(f"{name}: stack.xml is not XML that can be read safely; export it again") from None


def _entries(stack: "ElementTree.Element", around: _Entry, name: str) -> Iterator[_Entry]:
    for element in stack:
        if element.tag not in ("layer", "stack"):
            continue
        entry = _worked_in(element, around, name)
        if element.tag == "stack":
            group = " / ".join(part for part in (around.group, entry.name) if part)[:200]
            yield from _entries(element, replace(entry, group=group), name)
        else:
            yield entry


def _worked_in(element: "ElementTree.Element", around: _Entry, name: str) -> _Entry:
    label = element.get("name") or ""
    place = f"{name}: stack.xml {label or element.get('src') or element.tag}"
    numbers = {}
    for key, default in (("x", 0.0), ("y", 0.0), ("opacity", 1.0)):
        try:
            numbers[key] = float(element.get(key, default))
            if not math.isfinite(numbers[key]):
                raise ValueError
        except ValueError:
            raise BadArt(f"{place}: {key} is not a number; export it again") from None
    mode = (element.get("composite-op") or "svg:src-over").removeprefix("svg:")
    return replace(
        around,
        name=label,
        src=element.get("src") or "",
        x=around.x + numbers["x"],
        y=around.y + numbers["y"],
        opacity=around.opacity * min(max(numbers["opacity"], 0.0), 1.0),
        visible=around.visible and element.get("visibility") != "hidden",
        blend=mode if mode in BLEND_MODES else "normal",
    )


def _whole(text: str | None, place: str) -> int:
    try:
        return int(text or "")
    except ValueError:
        raise BadArt(f"{place}: is not a whole number; export it again") from None


def write(scene: Scene, shelf: ArtShelf) -> bytes:
    """An OpenRaster file of the scene as seen at rest, with the scene itself inside."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(zipfile.ZipInfo("mimetype"), MIMETYPE, zipfile.ZIP_STORED)
        kept: set[str] = set()
        lines = []
        for index, layer in enumerate(scene.layers):
            placed = _as_is(scene, layer, kept) or _as_seen(scene, layer, shelf, index)
            src, x, y, pixels = placed
            data = shelf.read(layer.art.file) if pixels is None else encode_png(pixels)
            archive.writestr(src, data, zipfile.ZIP_STORED)
            lines.append((layer.group, _layer_line(layer, src, x, y)))
        view = scene.view
        archive.writestr("stack.xml", _stack_xml(view.width, view.height, list(reversed(lines))))
        archive.writestr(SCENE_MEMBER, json.dumps(scene.to_json(), indent=2, ensure_ascii=False))
        for file in dict.fromkeys(layer.art.file for layer in scene.layers):
            if file not in kept:
                archive.writestr(f"clinamen/{file}", shelf.read(file), zipfile.ZIP_STORED)
        merged = render(scene, State(), shelf.loader(scene))
        archive.writestr("mergedimage.png", encode_png(merged), zipfile.ZIP_STORED)
        archive.writestr("Thumbnails/thumbnail.png", encode_png(_thumbnail(merged)), zipfile.ZIP_STORED)
    return out.getvalue()


def _as_is(scene: Scene, layer: Layer, kept: set[str]) -> tuple[str, int, int, None] | None:
    """Where the art itself can stand in the stack: unscaled, upright, on whole pixels, a PNG of a name not yet used."""
    framing, art = layer.framing, layer.art
    x = scene.view.width / 2 + framing.x - art.width / 2
    y = scene.view.height / 2 + framing.y - art.height / 2
    upright = framing.scale == 1 and framing.rotation == 0 and layer.tilt.lean == layer.tilt.turn == 0
    alone = layer.repeat.x == layer.repeat.y == "none" and scene.camera == document.Camera()
    src = f"data/{PurePosixPath(art.file).name}"
    twice = sum(PurePosixPath(other.art.file).name == PurePosixPath(src).name for other in scene.layers) > 1
    if (
        upright
        and alone
        and not twice
        and layer.recipe is None
        and x == int(x)
        and y == int(y)
        and src.lower().endswith(".png")
    ):
        kept.add(art.file)
        return src, int(x), int(y), None
    return None


def _as_seen(scene: Scene, layer: Layer, shelf: ArtShelf, index: int) -> tuple[str, int, int, Pixels]:
    """The layer drawn as the resting camera sees it, trimmed."""
    plain = layer.model_copy(update={"opacity": 1.0, "blend": "normal", "visible": True})
    picture = render(scene.model_copy(update={"layers": (plain,)}), State(), shelf.loader(scene), transparent=True)
    left, top, right, bottom = trim_box(picture)
    return f"data/layer-{index + 1:03d}.png", left, top, picture[top:bottom, left:right]


def _layer_line(layer: Layer, src: str, x: int, y: int) -> str:
    mode = "svg:src-over" if layer.blend == "normal" else f"svg:{layer.blend}"
    seen = "visible" if layer.visible else "hidden"
    return (
        f'    <layer name={quoteattr(layer.label)} src={quoteattr(src)} x="{x}" y="{y}" '
        f'opacity="{layer.opacity:g}" visibility="{seen}" composite-op="{mode}"/>'
    )


def _stack_xml(width: int, height: int, lines: list[tuple[str, str]]) -> str:
    """stack.xml of (group, line), topmost first; neighbours of one group stand in a stack of its name."""
    parts: list[str] = []
    for group, members in itertools.groupby(lines, key=lambda line: line[0]):
        inner = [line for _, line in members]
        parts += (
            [f"    <stack name={quoteattr(group)}>", *(f"  {line}" for line in inner), "    </stack>"]
            if group
            else inner
        )
    body = "\n".join(parts)
    head = "<?xml version='1.0' encoding='UTF-8'?>"
    return f'{head}\n<image version="0.0.6" w="{width}" h="{height}">\n  <stack>\n{body}\n  </stack>\n</image>\n'


def _thumbnail(picture: Pixels) -> Pixels:
    height, width = picture.shape[:2]
    scale = min(1.0, THUMBNAIL_SIDE / max(width, height))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    return cv2.resize(picture, size, interpolation=cv2.INTER_AREA).astype(picture.dtype)
