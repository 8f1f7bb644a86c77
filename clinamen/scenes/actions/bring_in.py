"""Bring in: dropped files become a scene, more layers of one, or take the place of art that is there by name.

Good files are kept, each refused one is named. What several layers were taken out of is kept as it came.
"""

import json
from collections.abc import Iterable
from dataclasses import astuple, dataclass, field, replace
from pathlib import PurePosixPath
from typing import Any, NamedTuple

from django.core import signing
from django.db import transaction

from clinamen.art import store
from clinamen.art.models import Picture
from clinamen.core import document
from clinamen.core.document import MAX_LAYERS, Layer
from clinamen.core.document import Scene as Document
from clinamen.core.edits.follow import followed
from clinamen.core.errors import BadEdit, ClinamenError
from clinamen.core.exchange.again import HOWS, Arriving, Found, How, assigned, likely, match, replaced
from clinamen.core.exchange.bringing import Brought
from clinamen.core.exchange.names import file_stem
from clinamen.core.exchange.placing import place_of
from clinamen.core.exchange.stack import (
    FITTINGS,
    Arrival,
    Fitting,
    canvas_of,
    fitting_scale,
    in_order,
    layers_from,
    too_small,
    view_for,
)
from clinamen.core.pictures.limits import MAX_FILE
from clinamen.core.pictures.reading import Laying, decode
from clinamen.core.quantities import counted, whole
from clinamen.scenes.actions import bring_font, prepare_art
from clinamen.scenes.actions.dropped import Dropped
from clinamen.scenes.models import Revision, Scene, SceneArt, Source
from clinamen.scenes.shelf import lost_of, pictures_of
from clinamen.shared.turns import resting

SHOWS_NOTHING = "shows nothing, every pixel of it is clear; look at it in the program that made it"
HELD = 3600 * 6  # seconds for which a preview of what matches may be confirmed


@dataclass(frozen=True)
class Wishes:
    """How pictures are to be placed: on the view, and with or without their empty border."""

    fitting: Fitting = "auto"
    trim: bool = False

    @classmethod
    def of(cls, values: Any) -> "Wishes":
        fitting = values.get("fitting", "auto")
        return cls(fitting if fitting in FITTINGS else "auto", values.get("trim") in ("1", "on", "true"))


@dataclass
class BroughtIn:
    """What came of a batch: the scene if there is one, a sentence for each refused file and for what to look at."""

    scene: Scene | None = None
    refused: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


class Kept(NamedTuple):
    """A piece whose picture is kept in the store: the file's name, and name, group and laying of the layer to be."""

    file: str
    name: str
    group: str
    laid: Laying
    picture: Picture


@dataclass
class _Batch:
    """Pieces in drawing order."""

    pieces: list[Kept] = field(default_factory=list)
    scene: Document | None = None
    files: dict[str, Picture] = field(default_factory=dict)
    fonts: dict[str, bytes] = field(default_factory=dict)
    sources: list[tuple[str, str, int]] = field(default_factory=list)
    result: BroughtIn = field(default_factory=BroughtIn)


def new_scene(
    owner: Any,
    title: str,
    width: int | None,
    height: int | None,
    files: Iterable[Dropped],
    wishes: Wishes | None = None,
) -> BroughtIn:
    """A new scene of dropped files. An OpenRaster file brings its own view; otherwise the view is the one given, or has
    the shape of the canvas that most pictures share."""
    batch, wishes = _read(files), wishes or Wishes()
    if batch.scene is not None:
        made = batch.scene if not title else batch.scene.model_copy(update={"title": title})
    elif batch.pieces:
        canvas = canvas_of([(kept.picture.width, kept.picture.height) for kept in batch.pieces])
        size = view_for(canvas, width, height)
        if not (width and height) and wishes.fitting == "auto":
            wishes = replace(wishes, fitting="fit")
        view = {"width": size[0], "height": size[1], "background": "#ffffff"}
        made = document.parse({"title": title or _title(batch), "view": view})
    else:
        return batch.result
    with transaction.atomic():
        scene = Scene.objects.create(owner=owner, title=made.title)
        layers = made.layers + tuple(_layers(scene, made, batch, wishes))
        made = made.model_copy(update={"layers": layers})
        SceneArt.objects.bulk_create([SceneArt(scene=scene, file=f, picture=p) for f, p in batch.files.items()])
        if batch.scene is None:
            made = made.model_copy(update={"drivers": document.Drivers.to_start_with()})
        for font in made.fonts:
            bring_font.keep_as(scene, font, batch.fonts[font.sha256])
        first = Revision.objects.create(
            scene=scene, document=made.to_json(), author=owner, says=f"{counted(len(layers), 'layer')} brought in"
        )
        scene.head = first
        scene.save()
        prepare_art.ask_for(scene, made)
    batch.result.scene = scene
    return batch.result


def more_layers(
    scene: Scene, current: Document, files: Iterable[Dropped], wishes: Wishes | None = None
) -> tuple[Document, BroughtIn]:
    """The document with dropped pictures added in front, and what came of the batch."""
    batch = _read(files)
    return _with_more(scene, current, batch, wishes or Wishes()), batch.result


def _with_more(scene: Scene, current: Document, batch: _Batch, wishes: Wishes) -> Document:
    room = MAX_LAYERS - len(current.layers)
    if len(batch.pieces) > room:
        batch.result.refused += [f"{f}: a scene holds at most {MAX_LAYERS} layers" for f, *_ in batch.pieces[room:]]
        batch.pieces = batch.pieces[:room]
    if batch.scene is not None:
        batch.result.refused.append("A scene in OpenRaster cannot be added to another; bring it in as a new scene")
    front = [layer.model_copy(update={"depth": 0.0}) for layer in _layers(scene, current, batch, wishes)]
    return current.model_copy(update={"layers": (*current.layers, *front)})


def _layers(scene: Scene, current: Document, batch: _Batch, wishes: Wishes) -> list[Layer]:
    taken = {*SceneArt.objects.filter(scene=scene).values_list("file", flat=True), *batch.files}
    sheets = []
    for kept in batch.pieces:
        picture, laid = kept.picture, kept.laid
        file = _keep_file(scene, kept.file, picture, taken)
        box = (*picture.shows,) if wishes.trim and picture.shows else None
        sheets.append(
            Arrival(
                kept.name, file, picture.width, picture.height, opacity=laid.opacity, blend=laid.blend, visible=laid.visible,
                group=kept.group, box=box,
            )
        )  # fmt: skip
    _keep_sources(scene, batch)
    if not sheets:
        return []
    canvas = canvas_of([(sheet.width, sheet.height) for sheet in sheets])
    view = (current.view.width, current.view.height)
    scale = fitting_scale(canvas, view, wishes.fitting, current.layers)
    layers = layers_from(sheets, current.lens_distance, [layer.id for layer in current.layers], scale)
    batch.result.notes += [note for layer in layers if (note := too_small(layer))]
    return layers


def _keep_file(scene: Scene, name: str, picture: Picture, taken: set[str]) -> str:
    """Give a picture a file name of its own in the scene."""
    stem = file_stem(PurePosixPath(name).stem, [PurePosixPath(file).stem for file in taken])
    file = f"art/{stem}.{picture.format.lower()}"
    taken.add(file)
    SceneArt.objects.create(scene=scene, file=file, picture=picture)
    return file


def _keep_sources(scene: Scene, batch: _Batch) -> None:
    Source.objects.bulk_create([Source(scene=scene, name=n[:400], sha256=s, size=z) for n, s, z in batch.sources])


def _title(batch: _Batch) -> str:
    pieces = batch.pieces
    return f"Scene of {len(pieces)} layers" if len(pieces) > 1 else PurePosixPath(pieces[0][0]).stem[:200]


def _read(files: Iterable[Dropped]) -> _Batch:
    with resting():  # other processes read them
        return _read_all(files)


def _read_all(files: Iterable[Dropped]) -> _Batch:
    brought, batch = Brought(), _Batch()
    for file in files:
        name = PurePosixPath((file.name or "file").replace("\\", "/")).name
        if (file.size or 0) > MAX_FILE:
            brought.refused.append(f"{name}: is larger than 200 MB; save it smaller")
            continue
        data, before = file.read(), len(brought.pieces)
        brought.take(data, name)
        fresh = brought.pieces[before:]
        if fresh and any(piece.data is not data for piece in fresh):
            batch.sources.append((name, store.keep_original(data), len(data)))
    batch.result.refused, batch.result.notes = brought.refused, list(brought.notes)
    pieces = [brought.pieces[index] for index in in_order([piece.file for piece in brought.pieces])]
    for piece, picture in zip(pieces, store.keep_all([(each.data, each.file) for each in pieces]), strict=True):
        if isinstance(picture, ClinamenError):
            batch.result.refused.append(str(picture))
            continue
        batch.pieces.append(Kept(piece.file, piece.name, piece.group, piece.laid, picture))
        if not picture.shows:
            batch.result.notes.append(f"{piece.file}: {SHOWS_NOTHING}")
    _take_scene(batch, brought)
    if len(batch.pieces) > MAX_LAYERS:
        batch.result.refused += [
            f"{name}: a scene holds at most {MAX_LAYERS} layers" for name, *_ in batch.pieces[MAX_LAYERS:]
        ]
        batch.pieces = batch.pieces[:MAX_LAYERS]
    return batch


def _take_scene(batch: _Batch, brought: Brought) -> None:
    if brought.scene is None:
        return
    arrived = brought.scene.files
    pictures = store.keep_all([(data, f"{brought.scene_from}: {file}") for file, data in arrived.items()])
    kept: dict[str, Picture] = {}
    for file, picture in zip(arrived, pictures, strict=True):
        if isinstance(picture, ClinamenError):
            batch.result.refused.append(str(picture))
            return
        kept[file] = picture
    batch.scene = brought.scene.scene
    batch.files.update(kept)
    batch.fonts = brought.scene.fonts


# --- bringing art in again --------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Row:
    """One picture of the preview, or one layer without a picture ("gone")."""

    kind: str  # "same", "healed", "replace", "new", "gone"
    name: str
    says: str = ""
    sha256: str = ""
    index: int = -1
    layer: str = ""
    sized: bool = False  # another size than what it takes the place of


@dataclass(frozen=True)
class Again:
    """What bringing a batch in again would do, and a ticket with which it can be confirmed."""

    rows: tuple[Row, ...]
    layers: tuple[Layer, ...]
    refused: tuple[str, ...]
    ticket: str

    @property
    def pictures(self) -> bool:
        """True where there is any picture to bring in."""
        return any(row.index >= 0 for row in self.rows)

    @property
    def healed(self) -> tuple[str, ...]:
        """What was lost in the store and is whole again, in sentences; empty where there is more to decide."""
        more = self.refused or any(row.kind in ("new", "replace") for row in self.rows)
        return () if more else tuple(row.says for row in self.rows if row.kind == "healed")


def _pieces_again(batch: _Batch) -> list[Kept]:
    """The batch's pictures; those of a scene's layers too, known by name and id."""
    pieces = list(batch.pieces)
    if batch.scene is not None:
        pieces += [
            Kept(f"{x.id}.png", x.label, x.group, Laying(), batch.files[x.art.file])
            for x in batch.scene.layers
            if x.art.file
        ]
    return pieces


def _found(current: Document, pieces: list[Kept]) -> Found:
    return match(current, [Arriving(name, PurePosixPath(file).name) for file, name, *_ in pieces])


def look_again(scene: Scene, current: Document, files: Iterable[Dropped]) -> Again:
    """What would match, what is new, what is gone. Nothing in the scene changes yet; the pictures wait in the store."""
    old = pictures_of(scene)
    lost = set(lost_of(old, current))  # the files that come in heal what was lost of them
    batch = _read(files)
    pieces = _pieces_again(batch)
    found = _found(current, pieces)
    taken = dict(found.matches)
    rows = []
    for index, (file, name, _, _, picture) in enumerate(pieces):
        if index not in taken:
            rows.append(Row("new", name, f"{file} comes in front as a new layer", picture.sha256, index, "new"))
            continue
        layer = current.layer(taken[index])
        if old.get(layer.art.file) == picture:
            kind, told = "same", "is what is there already"
            if layer.art.file in lost:
                kind, told = "healed", "was lost and is whole again"
            rows.append(Row(kind, layer.label, f"{file} {told}", picture.sha256, index, layer.id))
            continue
        _, says = replaced(layer, layer.art.file, picture.width, picture.height)
        told = says or f"{file} takes its place; size and recipe stay"
        rows.append(Row("replace", layer.label, told, picture.sha256, index, layer.id, bool(says)))
    rows += [Row("gone", current.layer(i).label, "is not among the files and stays as it is") for i in found.gone]
    held = [[file, name, group, astuple(laid), picture.sha256] for file, name, group, laid, picture in pieces]
    ticket = signing.dumps({"scene": str(scene.pk), "pieces": held, "sources": batch.sources}, compress=True)
    return Again(tuple(rows), current.layers, (*batch.result.refused, *batch.result.notes), ticket)


@dataclass(frozen=True)
class ByHand:
    """What was decided by hand in the preview: where pictures go, and what another size means, by the picture's index."""

    to: dict[int, str] = field(default_factory=dict)
    how: dict[int, How] = field(default_factory=dict)

    @classmethod
    def of(cls, values: Any) -> "ByHand":
        """Read the fields `to-N` and `how-N`."""
        given = {name: whole(name.partition("-")[2]) for name in values}
        to = {n: values[name] for name, n in given.items() if n is not None and name.startswith("to-")}
        how = {n: values[name] for name, n in given.items() if n is not None and name.startswith("how-")}
        return cls(to, {n: choice for n, choice in how.items() if choice in HOWS})


def bring_again(scene: Scene, current: Document, ticket: str, by_hand: ByHand) -> tuple[Document, str]:
    """The document with art replaced as matched or as assigned by hand, new pictures added; and a sentence."""
    try:
        held = signing.loads(ticket, max_age=HELD)
        if held["scene"] != str(scene.pk):
            raise BadEdit("These files were shown for another scene; drop them again")
        if any(len(piece) != len(Kept._fields) for piece in held["pieces"]):  # shown by a version before this one
            raise signing.BadSignature
    except (signing.BadSignature, KeyError, json.JSONDecodeError):
        raise BadEdit("What was shown is too old to be confirmed; drop the files again") from None
    pictures = {p.sha256: p for p in Picture.objects.filter(sha256__in=[piece[-1] for piece in held["pieces"]])}
    if any(sha not in pictures for *_, sha in held["pieces"]):
        raise BadEdit("Some of these pictures are not in the store any more; drop the files again")
    pieces = [Kept(file, name, group, Laying(*laid), pictures[sha]) for file, name, group, laid, sha in held["pieces"]]
    known = {layer.id for layer in current.layers} | {"new", ""}
    to = {index: layer_id for index, layer_id in by_hand.to.items() if layer_id in known and index < len(pieces)}
    found = assigned(current, _found(current, pieces), to, len(pieces))
    before = current
    with transaction.atomic():
        current, count = _with_replaced(scene, current, pieces, found, by_hand)
        batch = _Batch(sources=[tuple(source) for source in held["sources"]])
        batch.pieces = [pieces[index] for index in found.new]
        if not count and not batch.pieces:
            raise BadEdit("Nothing was brought in: all of it is there already, or was left out")
        current = _with_more(scene, followed(before, current), batch, Wishes())
    says = f"Art of {counted(count, 'layer')} brought in again"
    return current, f"{says}, {len(batch.pieces)} new" if batch.pieces else says


def _with_replaced(
    scene: Scene, current: Document, pieces: list[Kept], found: Found, by_hand: ByHand
) -> tuple[Document, int]:
    """The document with the found pictures in place of the old ones, and how many there were."""
    uses = pictures_of(scene)
    taken, count = set(uses), 0
    for index, layer_id in found.matches:
        file, picture = pieces[index].file, pieces[index].picture
        layer = current.layer(layer_id)
        before, how = uses[layer.art.file], by_hand.how.get(index, "auto")
        if before.sha256 == picture.sha256:
            continue
        sizes = (before.width, before.height), (picture.width, picture.height)
        at = None
        if sizes[0] != sizes[1] and (likely(*sizes) if how == "auto" else how) == "canvas":
            at = place_of(*(decode(store.read(each), file) for each in (before, picture)))
        named = _keep_file(scene, file, picture, taken)
        changed, _ = replaced(layer, named, picture.width, picture.height, how, at)
        layers = tuple(changed if other.id == layer_id else other for other in current.layers)
        current = current.model_copy(update={"layers": layers})
        count += 1
    return current, count
