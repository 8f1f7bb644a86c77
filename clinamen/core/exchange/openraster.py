"""OpenRaster in: a ZIP with a stack of PNG layers that many paint programs write (specification 0.0.6).

The first member is `mimetype`, stored; `stack.xml` lists layers from the top down. A scene of our own (see
`exports.layered`) travels inside as `clinamen/scene.json`, with the original art, and reads back as the same scene.
Archive and stack are read in the child; here they become a scene.
"""

import hashlib
import re
from dataclasses import dataclass, field
from pathlib import PurePosixPath

from clinamen.core import document
from clinamen.core.document import Carrier, Framing, Group, Scene
from clinamen.core.errors import BadArt
from clinamen.core.exchange.names import file_stem, id_from_name
from clinamen.core.exchange.stack import Arrival, layers_from
from clinamen.core.exchange.unpacking import listed_in, members_of
from clinamen.core.pictures.orastack import SCENE_MEMBER, Fold, Stack
from clinamen.core.pictures.reading import font_of, inspect

LONGEST_NAME = 100  # characters kept of a member's own name


@dataclass(frozen=True)
class Opened:
    """What an archive held: the scene, the bytes of each of its art files, and of its fonts by their content; sentences on
    what is otherwise here."""

    scene: Scene
    files: dict[str, bytes]
    fonts: dict[str, bytes] = field(default_factory=dict)
    notes: tuple[str, ...] = ()


def read(data: bytes, name: str) -> Opened:
    """Read an OpenRaster file; BadArt or BadDocument names the file and the member that is wrong."""
    listed = listed_in(data, name)
    if isinstance(listed.holds, Stack):
        return _read_stack(data, listed.holds, listed.names, name)
    return _read_scene(data, listed.names, listed.holds, name)


def _read_scene(data: bytes, names: frozenset[str], text: bytes, name: str) -> Opened:
    scene = document.parse_text(text, f"{name}: {SCENE_MEMBER}")
    found = {}
    for file in dict.fromkeys(layer.art.file for layer in scene.layers if layer.art.file):
        places = (f"clinamen/{file}", f"data/{PurePosixPath(file).name}")
        place = next((place for place in places if place in names), None)
        if place is None:
            raise BadArt(f"{name}: has no {places[0]}, which its scene needs; export it again")
        found[file] = place
    fonts = {font.sha256: f"clinamen/{font.file}" for font in scene.fonts}
    held = _members(data, name, [*found.values(), *(place for place in fonts.values() if place in names)])
    for place in found.values():
        inspect(held[place], f"{name}: {place}")
    for sha256, place in fonts.items():
        if hashlib.sha256(held.get(place, b"")).hexdigest() != sha256:
            raise BadArt(f"{name}: has no {place} with the font that its words are set in; export it again")
        font_of(held[place], f"{name}: {place}")
    files = {file: held[place] for file, place in found.items()}
    return Opened(scene, files, {sha256: held[place] for sha256, place in fonts.items()})


def _members(data: bytes, name: str, wanted: list[str]) -> dict[str, bytes]:
    return dict(members_of(data, name, list(dict.fromkeys(wanted)))) if wanted else {}


def _read_stack(data: bytes, stack: Stack, names: frozenset[str], name: str) -> Opened:
    view = document.View(width=stack.width, height=stack.height, background="#ffffff")
    places = {entry.src: entry.src if entry.src in names else _unescaped(entry.src) for entry in stack.entries}
    held = _members(data, name, list(places.values()))
    files: dict[str, bytes] = {}
    sheets: list[Arrival] = []
    for entry in reversed(stack.entries):  # stack.xml lists the topmost first
        content = held[places[entry.src]]
        picture = inspect(content, f"{name}: {entry.src}")
        stem = PurePosixPath(places[entry.src]).stem[:LONGEST_NAME]
        file = f"art/{len(sheets) + 1:02d}-{file_stem(stem, ())}.{picture.format.lower()}"
        files[file] = content
        framing = Framing(
            x=entry.x + picture.width / 2 - view.width / 2, y=entry.y + picture.height / 2 - view.height / 2
        )
        label = entry.name or stem
        sheet = Arrival(
            label, file, picture.width, picture.height, framing, entry.opacity, entry.blend, entry.visible, entry.group
        )
        sheets.append(sheet)
    title, drivers = PurePosixPath(name).stem[:200] or "Untitled scene", document.Drivers.to_start_with()
    scene = Scene(title=title, view=view, drivers=drivers)
    layers = layers_from(sheets, scene.lens_distance)
    named = [layer.model_copy(update={"name": s.name[:200]}) for layer, s in zip(layers, sheets, strict=True)]
    carriers, groups = _as_wholes(stack.folds, [layer.id for layer in layers])
    made = scene.model_copy(update={"layers": tuple(named), "carriers": carriers, "groups": groups})
    return Opened(made, files, {}, stack.notes)


def _unescaped(src: str) -> str:
    """A member's name of which a program wrote some characters as %20 and the like (RFC 3986)."""
    plain = re.sub(rb"%([0-9A-Fa-f]{2})", lambda found: bytes([int(found[1], 16)]), src.encode())
    return plain.decode(errors="replace")


def _as_wholes(folds: tuple[Fold, ...], taken: list[str]) -> tuple[tuple[Carrier, ...], tuple[Group, ...]]:
    """What groups say as wholes: hidden ones, and those with an opacity, which ride on a carrier that has it."""
    carriers, groups = list[Carrier](), list[Group]()
    for fold in folds:
        own: dict[str, object] = {"name": fold.name, "visible": fold.visible}
        if fold.opacity < 1:
            carrier = Carrier(id=id_from_name(fold.name, taken), name=fold.name, opacity=fold.opacity)
            taken.append(carrier.id)
            carriers.append(carrier)
            own["carrier"] = carrier.id
        if fold.opacity < 1 or not fold.visible:
            groups.append(Group.model_validate(own))
    return tuple(carriers), tuple(groups)
