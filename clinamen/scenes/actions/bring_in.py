"""Bring in: dropped files become a scene, or more layers of one. Good files are kept, each refused one is named."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import Any, Protocol

from django.db import transaction

from clinamen.art import store
from clinamen.art.models import Picture
from clinamen.core import document
from clinamen.core.artwork import MAX_FILE
from clinamen.core.document import MAX_LAYERS, Layer
from clinamen.core.document import Scene as Document
from clinamen.core.errors import BadArt, BadDocument, ClinamenError
from clinamen.core.exchange import openraster
from clinamen.core.exchange.names import id_from_name
from clinamen.core.exchange.stack import Sheet, in_order, layers_from
from clinamen.scenes.models import Revision, Scene, SceneArt


class Dropped(Protocol):
    """A file as it was uploaded."""

    name: str | None
    size: int | None

    def read(self) -> bytes: ...


@dataclass
class BroughtIn:
    """What came of a batch: the scene if there is one, the names taken, and a sentence for each refused file."""

    scene: Scene | None = None
    taken: list[str] = field(default_factory=list)
    refused: list[str] = field(default_factory=list)


@dataclass
class _Batch:
    pictures: list[tuple[str, Picture]] = field(default_factory=list)
    scene: Document | None = None
    files: dict[str, Picture] = field(default_factory=dict)
    result: BroughtIn = field(default_factory=BroughtIn)


def new_scene(owner: Any, title: str, width: int | None, height: int | None, files: Iterable[Dropped]) -> BroughtIn:
    """A new scene of dropped files. An OpenRaster file brings its own view; otherwise the view is the one given, or the
    size of the largest picture."""
    batch = _read(files)
    if batch.scene is not None:
        made = batch.scene if not title else batch.scene.model_copy(update={"title": title})
    elif batch.pictures:
        widest = max((picture for _, picture in batch.pictures), key=lambda p: p.width * p.height)
        view = {"width": width or widest.width, "height": height or widest.height}
        made = document.parse({"title": title or _title(batch.pictures), "view": {**view, "background": "#ffffff"}})
    else:
        return batch.result
    with transaction.atomic():
        scene = Scene.objects.create(owner=owner, title=made.title)
        layers = made.layers + tuple(_layers(scene, made, batch))
        made = made.model_copy(update={"layers": layers})
        SceneArt.objects.bulk_create([SceneArt(scene=scene, file=f, picture=p) for f, p in batch.files.items()])
        drivers = document.Drivers(scroll=document.ScrollDriver(), pointer=document.PointerDriver())
        if batch.scene is None:
            made = made.model_copy(update={"drivers": drivers})
        first = Revision.objects.create(
            scene=scene, document=made.to_json(), author=owner, says=f"{len(layers)} layers brought in"
        )
        scene.head = scene.tip = first
        scene.save()
    batch.result.scene = scene
    return batch.result


def more_layers(scene: Scene, current: Document, files: Iterable[Dropped]) -> tuple[Document, BroughtIn]:
    """The document with dropped pictures added in front, and what came of the batch."""
    batch = _read(files)
    room = MAX_LAYERS - len(current.layers)
    if len(batch.pictures) > room:
        batch.result.refused += [
            f"{name}: a scene holds at most {MAX_LAYERS} layers" for name, _ in batch.pictures[room:]
        ]
        batch.pictures = batch.pictures[:room]
    if batch.scene is not None:
        batch.result.refused.append("A scene in OpenRaster cannot be added to another; bring it in as a new scene")
    layers = tuple(_layers(scene, current, batch))
    front = [layer.model_copy(update={"depth": 0.0}) for layer in layers]
    return current.model_copy(update={"layers": (*current.layers, *front)}), batch.result


def _layers(scene: Scene, current: Document, batch: _Batch) -> list[Layer]:
    names = [name for name, _ in batch.pictures]
    taken = {*SceneArt.objects.filter(scene=scene).values_list("file", flat=True), *batch.files}
    sheets = []
    for index in in_order(names):
        name, picture = batch.pictures[index]
        file = _free_file(name, picture, taken)
        taken.add(file)
        SceneArt.objects.create(scene=scene, file=file, picture=picture)
        sheets.append(Sheet(name, file, picture.width, picture.height))
    return layers_from(sheets, current.lens_distance, [layer.id for layer in current.layers])


def _free_file(name: str, picture: Picture, taken: set[str]) -> str:
    stem = id_from_name(PurePosixPath(name).stem, [PurePosixPath(file).stem for file in taken])
    return f"art/{stem}.{picture.format.lower()}"


def _title(pictures: list[tuple[str, Picture]]) -> str:
    return f"Scene of {len(pictures)} layers" if len(pictures) > 1 else PurePosixPath(pictures[0][0]).stem[:200]


def _read(files: Iterable[Dropped]) -> _Batch:
    batch = _Batch()
    for file in files:
        name = PurePosixPath((file.name or "file").replace("\\", "/")).name
        try:
            if (file.size or 0) > MAX_FILE:
                raise BadArt(f"{name}: is larger than 200 MB; save it smaller")
            data = file.read()
            if name.lower().endswith(".ora") or data[:2] == b"PK":
                _read_archive(batch, data, name)
            else:
                batch.pictures.append((name, store.keep(data, name)))
            batch.result.taken.append(name)
        except BadDocument as error:
            batch.result.refused.append(f"{error.source}: {error.problems[0]}")
        except ClinamenError as error:
            batch.result.refused.append(str(error))
    if len(batch.pictures) > MAX_LAYERS:
        batch.result.refused += [
            f"{name}: a scene holds at most {MAX_LAYERS} layers" for name, _ in batch.pictures[MAX_LAYERS:]
        ]
        batch.pictures = batch.pictures[:MAX_LAYERS]
    return batch


def _read_archive(batch: _Batch, data: bytes, name: str) -> None:
    if batch.scene is not None:
        raise BadArt(f"{name}: a scene in OpenRaster is already in this batch; bring this one in by itself")
    opened = openraster.read(data, name)
    kept = {file: store.keep(content, f"{name}: {file}") for file, content in opened.files.items()}
    batch.scene = opened.scene
    batch.files.update(kept)
