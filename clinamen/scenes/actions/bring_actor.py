"""Bring in an actor: files become one layer that plays its cells."""

from collections.abc import Sequence
from typing import Any

from django.db import transaction

from clinamen.art import store
from clinamen.core.document import MAX_LAYERS, Layer, TimeDriver
from clinamen.core.document import Scene as Document
from clinamen.core.errors import BadArt, BadEdit
from clinamen.core.exchange.actors import between_of, strip_of
from clinamen.core.exchange.names import file_stem, id_from_name
from clinamen.core.pictures.limits import MAX_FILE
from clinamen.core.quantities import counted, number, shown
from clinamen.scenes.actions.dropped import Dropped
from clinamen.scenes.models import Scene, SceneArt


def add_actor(
    scene: Scene, current: Document, files: Sequence[Dropped], values: dict[str, Any]
) -> tuple[Document, str, list[str]]:
    """The document with the actor in front on the picture plane, its cells where they lay in their pictures; what was done, and
    what to look at. Time is switched on where it is off."""
    if len(current.layers) >= MAX_LAYERS:
        raise BadEdit(f"A scene holds at most {MAX_LAYERS} layers; take one out first")
    for file in files:
        if (file.size or 0) > MAX_FILE:
            raise BadArt(f"{file.name}: is larger than 200 MB; save it smaller")
    columns, rows, count = (
        int(number(values[name], name, 1, 1000)) if values.get(name, "").strip() else 0
        for name in ("columns", "rows", "count")
    )
    fps = number(values["fps"], "frames a second", 0.01, 240, "fps") if values.get("fps", "").strip() else 0.0
    brought = [(file.name or "file", file.read()) for file in files]
    if values.get("between", "").strip():
        made = between_of(
            brought, int(number(values["between"], "in-betweens", 1, 200)), values.get("ease", "ease-in-out"), fps
        )
    else:
        made = strip_of(brought, columns, rows, count, fps)
    name = values.get("name", "").strip()[:200] or made.name
    with transaction.atomic():
        picture = store.keep(made.data, f"{name}.{made.ending}")
        taken = SceneArt.objects.filter(scene=scene).values_list("file", flat=True)
        file_name = (
            f"art/{file_stem(name, [each.rpartition('/')[2].rpartition('.')[0] for each in taken])}.{made.ending}"
        )
        SceneArt.objects.create(scene=scene, file=file_name, picture=picture)
    layer = Layer.model_validate({
        "id": id_from_name(name, [layer.id for layer in current.layers]), "name": name,
        "art": {"file": file_name, "width": made.width, "height": made.height}, "frames": made.frames.model_dump(),
        "framing": {"x": made.moved[0], "y": made.moved[1]},
    })  # fmt: skip
    edited = current.model_copy(update={"layers": (*current.layers, layer)})
    notes = list(made.notes)
    if current.drivers.time is None:
        edited = edited.model_copy(update={"drivers": current.drivers.model_copy(update={"time": TimeDriver()})})
        notes.append("Time is switched on, since actors play by it")
    return edited, f"{name} brought in: {counted(made.frames.count, 'cell')}, {shown(made.frames.fps)} a second", notes
