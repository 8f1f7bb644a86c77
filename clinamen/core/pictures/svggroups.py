"""An SVG taken apart: each top-level group, and each layer within a layer, as a picture of its own on the same canvas.

A picture keeps what it refers to, wherever in the file that stands: shapes that `use` repeats, gradients, clips. How a group is
laid on what is behind it (opacity, blend mode, hidden) becomes the layer's own.
"""

import math
import re
from collections.abc import Iterator
from copy import deepcopy
from dataclasses import dataclass
from xml.etree import ElementTree as Tree

from clinamen.core.document import BLEND_MODES
from clinamen.core.document.carrying import WITHIN
from clinamen.core.pictures.vector import HREFS, SVG, parse

DRAWN = (
    "g", "path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "text", "image", "use", "svg", "a", "switch",
)  # fmt: skip
AS_ONE = ("clip-path", "mask", "filter")  # what holds for a group as a whole: it is not taken apart
MOST_NESTED = 20
REFERRED = re.compile(r"url\(\s*['\"]?#([^)'\"\s]+)")
PROPERTY = re.compile(r"(?:^|;)\s*([-a-z]+)\s*:\s*([^;]*)")


@dataclass(frozen=True)
class Group:
    """A group as an SVG of its own, on the same canvas: what it is called, the layers it stood in, and how it is laid."""

    name: str
    data: bytes
    within: str = ""
    opacity: float = 1.0
    blend: str = "normal"
    visible: bool = True
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class _Around:
    """What stands around a part: the groups, outermost first, and what they say of it."""

    groups: tuple["Tree.Element", ...] = ()
    within: tuple[str, ...] = ()
    opacity: float = 1.0
    blend: str = "normal"
    visible: bool = True
    notes: tuple[str, ...] = ()


def groups(data: bytes, name: str) -> list[Group]:
    """The groups of a picture, first drawn first; what stands outside groups in between likewise. A picture of one part stays as
    it is."""
    root = parse(data, name)
    parts = list(_parts(root, _Around()))
    if len(parts) == 1 and not parts[0][1].groups:
        (elements, around) = parts[0]
        one = _laid(elements[0], around) if len(elements) == 1 else around
        if (one.opacity, one.blend, one.visible) == (1.0, "normal", True):
            return [Group(_label(elements[0]), data)]
    if not parts:
        return [Group("", data)]
    known = {element.get("id"): element for element in root.iter() if element.get("id")}
    shared = [child for child in root if _tag(child) not in DRAWN]
    return [_made(root, shared, known, elements, around, number) for number, (elements, around) in enumerate(parts, 1)]


def _parts(parent: "Tree.Element", around: _Around) -> Iterator[tuple[list["Tree.Element"], _Around]]:
    """Groups one by one, and what stands between them together; a layer that holds layers is taken apart in its turn."""
    loose: list[Tree.Element] = []
    for child in parent:
        if _tag(child) not in DRAWN:
            continue
        if child.tag != f"{SVG}g":
            loose.append(child)
            continue
        if loose:
            yield loose, around
            loose = []
        if _holds_layers(child) and len(around.groups) < MOST_NESTED:
            inside = _laid(child, around)
            label = re.sub(r"\s*/\s*", "/", _label(child)) or "Group"
            yield from _parts(
                child,
                _Around(
                    (*around.groups, child),
                    (*around.within, label),
                    inside.opacity,
                    inside.blend,
                    inside.visible,
                    inside.notes,
                ),
            )
        else:
            yield [child], around
    if loose:
        yield loose, around


def _holds_layers(group: "Tree.Element") -> bool:
    """True of a layer with layers in it, as programs that have layers mark them; not where something holds for all as one."""
    if any(_said(group, name) not in ("", "none") for name in AS_ONE):
        return False
    return any(child.tag == f"{SVG}g" and _is_layer(child) for child in group)


def _is_layer(element: "Tree.Element") -> bool:
    return any(key.split("}")[-1] == "groupmode" and value == "layer" for key, value in element.attrib.items())


def _laid(element: "Tree.Element", around: _Around) -> _Around:
    """Laying of a group as it says it, with what those around it say."""
    label, notes = _label(element) or "a group", list(around.notes)
    try:
        text = _said(element, "opacity").strip() or "1"
        opacity = float(text.removesuffix("%")) / (100 if text.endswith("%") else 1)
    except ValueError:
        opacity = 1.0
    opacity = min(1.0, max(0.0, opacity)) if math.isfinite(opacity) else 1.0
    mode = _said(element, "mix-blend-mode").strip().lower() or "normal"
    mode = {"plus-lighter": "add"}.get(mode, mode)
    if mode not in BLEND_MODES:
        notes.append(f"{label} is laid {mode[:40]}, which there is not here; it is laid normally")
        mode = "normal"
    seen = _said(element, "display").strip() != "none" and _said(element, "visibility").strip() not in (
        "hidden",
        "collapse",
    )
    return _Around(
        around.groups, around.within, around.opacity * opacity, mode if mode != "normal" else around.blend,
        around.visible and seen, tuple(notes),
    )  # fmt: skip


def _said(element: "Tree.Element", name: str) -> str:
    """A property of an element: in its style, or else as an attribute."""
    style = dict(PROPERTY.findall(element.get("style", "")))
    return str(style.get(name, element.get(name, "")))


def _without_laying(element: "Tree.Element") -> "Tree.Element":
    """The same group fully seen: its layer says how it is laid."""
    plain = Tree.Element(element.tag, dict(element.attrib))
    plain.text, plain.tail = element.text, element.tail
    plain.extend(list(element))
    for name in ("opacity", "mix-blend-mode", "display", "visibility"):
        plain.attrib.pop(name, None)
    if "style" in plain.attrib:
        kept = [(key, value) for key, value in PROPERTY.findall(plain.attrib["style"])
                if key not in ("opacity", "mix-blend-mode", "display", "visibility")]  # fmt: skip
        plain.set("style", ";".join(f"{key}:{value}" for key, value in kept))
    return plain


def _made(
    root: "Tree.Element", shared: list["Tree.Element"], known: dict[str | None, "Tree.Element"],
    elements: list["Tree.Element"], around: _Around, number: int,
) -> Group:  # fmt: skip
    """A part as a picture of its own, with the groups around it and all that it refers to."""
    alone = elements[0].tag == f"{SVG}g"
    laid = _laid(elements[0], around) if alone else around
    inner = [_without_laying(elements[0])] if alone else list(elements)
    for group in reversed(around.groups):
        shell = _without_laying(group)
        for child in list(shell):
            shell.remove(child)
        shell.extend(inner)
        inner = [shell]
    own = Tree.Element(root.tag, root.attrib)
    own.extend([*shared, *inner])
    missing = _referred_elsewhere(own, known)
    if missing:
        defs = Tree.Element(f"{SVG}defs")
        defs.extend(missing)
        own.insert(0, defs)
    label = (_label(elements[0]) if alone else "") or (around.within[-1] if around.within else "") or f"part {number}"
    data = Tree.tostring(own, encoding="utf-8", xml_declaration=True)
    return Group(label, data, WITHIN.join(around.within)[:200], laid.opacity, laid.blend, laid.visible, laid.notes)


def _referred_elsewhere(own: "Tree.Element", known: dict[str | None, "Tree.Element"]) -> list["Tree.Element"]:
    """Copies of the elements that a picture refers to and does not hold, with those they refer to."""
    there = {element.get("id") for element in own.iter()}
    found: dict[str, Tree.Element] = {}
    left = sorted(_references(own) - there)
    while left:
        name = left.pop()
        element = known.get(name)
        if name in found or element is None:
            continue
        found[name] = deepcopy(element)
        there |= {inner.get("id") for inner in found[name].iter()}
        left += sorted(_references(found[name]) - there - set(found))
    return list(found.values())


def _references(top: "Tree.Element") -> set[str]:
    """Ids that an element and what it holds refer to."""
    named: set[str] = set()
    for element in top.iter():
        for key, value in element.attrib.items():
            if key in HREFS and value.strip().startswith("#"):
                named.add(value.strip()[1:])
            named |= set(REFERRED.findall(value))
        if _tag(element) == "style" and element.text:
            named |= set(REFERRED.findall(element.text))
    return named


def _tag(element: "Tree.Element") -> str:
    return str(element.tag).split("}")[-1]


def _label(element: "Tree.Element") -> str:
    """Name of a group: by a label of its own, its title, or its id."""
    said = {key.split("}")[-1]: value for key, value in element.attrib.items()}
    titled = {**said, "title": element.findtext(f"{SVG}title") or ""}
    names = (" ".join(titled.get(key, "").split()) for key in ("label", "data-name", "title", "aria-label", "id"))
    return next(filter(None, names), "")[:200]
