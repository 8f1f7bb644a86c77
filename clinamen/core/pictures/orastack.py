"""What an OpenRaster file says it holds: a scene of our own, or stack.xml's picture with its layers and groups.

Run in the child.
"""

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace

from defusedxml import ElementTree

from clinamen.core.document import BLEND_MODES, MAX_LAYERS, MAX_VIEW
from clinamen.core.document.carrying import WITHIN
from clinamen.core.errors import BadArt
from clinamen.core.pictures.archive import open_archive, read_member
from clinamen.core.quantities import whole

MIMETYPE = "image/openraster"
SCENE_MEMBER = "clinamen/scene.json"
MOST_NESTED = 100  # stacks within stacks
MOST_AWAY = 5e8  # px from the view's middle


@dataclass(frozen=True)
class Entry:
    """A layer of stack.xml with the offsets of the groups around it worked in; `group` names those, the outermost first."""

    name: str
    src: str
    x: float = 0.0
    y: float = 0.0
    opacity: float = 1.0
    visible: bool = True
    blend: str = "normal"
    group: str = ""


@dataclass(frozen=True)
class Fold:
    """A group of stack.xml by its whole name, how opaque it is as a whole, and whether it is seen."""

    name: str
    opacity: float
    visible: bool


@dataclass(frozen=True)
class Stack:
    """The picture's size in px, its layers, the topmost first, its groups, and sentences on what is not kept."""

    width: int
    height: int
    entries: tuple[Entry, ...]
    folds: tuple[Fold, ...] = ()
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Listed:
    """Names of a file's members, and the text of our own scene or the stack."""

    names: frozenset[str]
    holds: bytes | Stack


def listed(data: bytes, name: str) -> Listed:
    """What an OpenRaster file holds; BadArt where it is none, or damaged."""
    archive = open_archive(data, name)
    names = frozenset(archive.namelist())
    if "mimetype" not in names or read_member(archive, "mimetype", name).strip() != MIMETYPE.encode():
        raise BadArt(f"{name}: is not an OpenRaster file (its mimetype is missing); export it again as .ora")
    if SCENE_MEMBER in names:
        return Listed(names, read_member(archive, SCENE_MEMBER, name))
    return Listed(names, stack_of(read_member(archive, "stack.xml", name), name))


def stack_of(xml: bytes, name: str) -> Stack:
    """Read stack.xml; BadArt names the file and what is wrong in it."""
    root = _root(xml, name)
    width, height = (_whole(root.get(side), f"{name}: stack.xml image {side}") for side in ("w", "h"))
    folds: dict[str, Fold] = {}
    notes: list[str] = []
    entries = tuple(
        entry for stack in root.findall("stack") for entry in _entries(stack, Entry("", ""), name, folds, notes)
    )
    if not entries:
        raise BadArt(f"{name}: holds no layer; add one and export it again")
    if len(entries) > MAX_LAYERS:
        raise BadArt(f"{name}: holds {len(entries)} layers; at most {MAX_LAYERS} can be read")
    return Stack(width, height, entries, tuple(folds.values()), tuple(notes))


def _root(xml: bytes, name: str) -> "ElementTree.Element":
    try:
        return ElementTree.fromstring(xml, forbid_dtd=True)
    except Exception:
        raise BadArt(f"{name}: stack.xml is not XML that can be read safely; export it again") from None


def _entries(
    stack: "ElementTree.Element", around: Entry, name: str, folds: dict[str, Fold], notes: list[str], depth: int = 1
) -> Iterator[Entry]:
    if depth > MOST_NESTED:
        raise BadArt(f"{name}: stack.xml holds stacks within stacks, more than {MOST_NESTED} deep; merge some groups")
    for element in stack:
        if element.tag not in ("layer", "stack"):
            continue
        entry = _read(element, around, name, notes)
        if element.tag == "stack":
            # what stands between names of groups within groups is no part of one of them
            own = re.sub(r"\s*/\s*", "/", entry.name) or f"Group {len(folds) + 1}"
            group = plain = WITHIN.join(part for part in (around.group, own) if part)[:190]
            while group in folds:  # two groups of one name stay two
                group = f"{plain} {len(folds) + 1}"
            folds[group] = Fold(group, entry.opacity, entry.visible)
            if entry.blend != "normal":
                notes.append(
                    f"{name}: the group {own} is laid {entry.blend} as a whole, which is not kept; lay its layers so"
                )
            inside = replace(entry, group=group, opacity=1.0, visible=True, blend="normal")
            yield from _entries(element, inside, name, folds, notes, depth + 1)
        else:
            yield entry


def _read(element: "ElementTree.Element", around: Entry, name: str, notes: list[str]) -> Entry:
    label = " ".join((element.get("name") or "").split())
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
    mode = {"plus": "add", "src-over": "normal"}.get(mode, mode)
    if mode not in BLEND_MODES:
        notes.append(f"{name}: {label or 'a layer'} is laid {mode[:40]}, which there is not here; it is laid normally")
        mode = "normal"
    return replace(
        around,
        name=label,
        src=element.get("src") or "",
        x=numbers["x"],
        y=numbers["y"],
        opacity=min(max(numbers["opacity"], 0.0), 1.0),
        visible=element.get("visibility") != "hidden",
        blend=mode,
    )


def _whole(text: str | None, place: str) -> int:
    value = whole(text or "")
    if value is None or not 1 <= value <= MAX_VIEW:
        raise BadArt(f"{place}: is not a whole number from 1 to {MAX_VIEW}; export it again")
    return value
