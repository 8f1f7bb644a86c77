"""OpenRaster in: a ZIP with a stack of PNG layers that many paint programs write (specification 0.0.6).

The first member is `mimetype`, stored; `stack.xml` lists layers from the top down. A scene of our own (see
`exports.layered`) travels inside as `clinamen/scene.json`, with the original art, and reads back as the same scene.
"""

import hashlib
import math
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from pathlib import PurePosixPath

from defusedxml import ElementTree

from clinamen.core import document
from clinamen.core.document import BLEND_MODES, MAX_LAYERS, Framing, Scene
from clinamen.core.errors import BadArt
from clinamen.core.exchange.archive import open_archive, read_member
from clinamen.core.exchange.stack import Arrival, layers_from
from clinamen.core.made.fontfile import FontFile
from clinamen.core.pictures.reading import font_of, inspect
from clinamen.core.quantities import whole

MOST_NESTED = 100  # stacks within stacks
MOST_AWAY = 5e8  # px from the view's middle
LONGEST_NAME = 100  # characters kept of a member's own name
MIMETYPE = "image/openraster"
SCENE_MEMBER = "clinamen/scene.json"


@dataclass(frozen=True)
class Opened:
    """What an archive held: the scene, the bytes of each of its art files, and of its fonts by their content."""

    scene: Scene
    files: dict[str, bytes]
    fonts: dict[str, bytes] = field(default_factory=dict)


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
    for file in dict.fromkeys(layer.art.file for layer in scene.layers if layer.art.file):
        places = (f"clinamen/{file}", f"data/{PurePosixPath(file).name}")
        found = next((place for place in places if place in names), None)
        if found is None:
            raise BadArt(f"{name}: has no {places[0]}, which its scene needs; export it again")
        files[file] = read_member(archive, found, name)
        inspect(files[file], f"{name}: {found}")
    return Opened(scene, files, {font.sha256: _font(archive, font, names, name) for font in scene.fonts})


def _font(archive: zipfile.ZipFile, font: FontFile, names: set[str], name: str) -> bytes:
    place = f"clinamen/{font.file}"
    data = read_member(archive, place, name) if place in names else b""
    if hashlib.sha256(data).hexdigest() != font.sha256:
        raise BadArt(f"{name}: has no {place} with the font that its words are set in; export it again")
    font_of(data, f"{name}: {place}")
    return data


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
    sheets: list[Arrival] = []
    for entry in reversed(entries):  # stack.xml lists the topmost first
        data = read_member(archive, entry.src, name)
        picture = inspect(data, f"{name}: {entry.src}")
        stem = PurePosixPath(entry.src).stem[:LONGEST_NAME]
        file = f"art/{len(sheets) + 1:02d}-{stem}.{picture.format.lower()}"
        files[file] = data
        framing = Framing(
            x=entry.x + picture.width / 2 - view.width / 2, y=entry.y + picture.height / 2 - view.height / 2
        )
        label = entry.name or stem
        sheet = Arrival(
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


def _entries(stack: "ElementTree.Element", around: _Entry, name: str, depth: int = 1) -> Iterator[_Entry]:
    if depth > MOST_NESTED:
        raise BadArt(f"{name}: stack.xml holds stacks within stacks, more than {MOST_NESTED} deep; merge some groups")
    for element in stack:
        if element.tag not in ("layer", "stack"):
            continue
        entry = _worked_in(element, around, name)
        if element.tag == "stack":
            group = " / ".join(part for part in (around.group, entry.name) if part)[:200]
            yield from _entries(element, replace(entry, group=group), name, depth + 1)
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
    for key, far in (("x", around.x), ("y", around.y)):
        numbers[key] += far
        if abs(numbers[key]) > MOST_AWAY:
            raise BadArt(f"{place}: {key} is {numbers[key]:g} px away; bring the layer back to the picture")
    mode = (element.get("composite-op") or "svg:src-over").removeprefix("svg:")
    mode = "add" if mode == "plus" else mode
    return replace(
        around,
        name=label,
        src=element.get("src") or "",
        x=numbers["x"],
        y=numbers["y"],
        opacity=around.opacity * min(max(numbers["opacity"], 0.0), 1.0),
        visible=around.visible and element.get("visibility") != "hidden",
        blend=mode if mode in BLEND_MODES else "normal",
    )


def _whole(text: str | None, place: str) -> int:
    value = whole(text or "")
    if value is None or not 1 <= value <= document.MAX_VIEW:
        raise BadArt(f"{place}: is not a whole number from 1 to {document.MAX_VIEW}; export it again")
    return value
