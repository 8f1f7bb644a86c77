"""What the views of a scene share: which scene and choice is meant, and how an edit is answered."""

import json
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render

from clinamen.core.exchange.bringing import ACCEPTED
from clinamen.scenes.actions import prepare_art
from clinamen.scenes.desk import ROOMS, Choice, Desk
from clinamen.scenes.models import Revision, Scene

# what would end a script element or open a comment in it
_IN_SCRIPT = {ord("<"): "\\u003C", ord(">"): "\\u003E", ord("&"): "\\u0026"}


def scene_of(request: HttpRequest, pk: Any) -> Scene:
    """The visitor's scene, with its head and the sentence of what redo leads to: one row, one document."""
    scenes = Scene.objects.select_related("head", "head__ahead").defer("head__ahead__document")
    return get_object_or_404(scenes, pk=pk, owner=request.user)


def choice_of(values: Any, room: str = "") -> Choice:
    room = room or values.get("room", "depth")
    if room not in ROOMS:
        raise Http404
    hold = "size" if values.get("hold") == "size" else "framing"
    axis = "y" if values.get("axis") == "y" else "x"
    driver = values.get("fan_driver", "")
    driver = driver if driver in ("scroll", "pointer", "time") else ""
    step = values.get("step_chosen", "")
    chosen = values.get("chosen", values.get("layer", ""))
    return Choice(room, chosen, axis, values.get("speed") == "1", driver, hold, int(step) if step.isdigit() else -1)


def context_of(desk: Desk) -> dict[str, Any]:
    context = {"desk": desk, "scene": desk.scene, "document": desk.document, "choice": desk.choice}
    context["accepted"] = ACCEPTED
    if not desk.previewing:
        rows = prepare_art.standing(desk.scene, desk.document, desk.shelf)
        context |= {"preparing": rows, "poll": any(row.running for row in rows)}
    return context


def parts(request: HttpRequest, desk: Desk, toast: str = "", wrong: bool = False, status: int = 200) -> HttpResponse:
    stage = json.dumps(desk.stage).translate(_IN_SCRIPT)
    context = {**context_of(desk), "toast": toast, "wrong": wrong, "parts": True, "stage_json": stage}
    if desk.choice.room == "prepare":
        context["table_json"] = json.dumps(desk.table).translate(_IN_SCRIPT)
    return render(request, "scenes/parts.html", context, status=status)


def refused_edit(request: HttpRequest, error: Exception) -> HttpResponse:
    """Why an edit was not made; nothing else is redrawn, so that what was typed stays."""
    return render(request, "scenes/toast.html", {"toast": str(error), "wrong": True})


def base_of(scene: Scene, values: dict[str, str]) -> Revision:
    """The revision an edit was made on; the head when it is not named, and when the one named is gone: then the edit is
    made anew on the head, but `revise` is told the old one and keeps it aside."""
    assert scene.head is not None
    base = base_id(scene, values)
    if base == scene.head.pk:
        return scene.head
    return Revision.objects.filter(scene=scene, pk=base).first() or scene.head


def base_id(scene: Scene, values: dict[str, str]) -> int:
    """The primary key that an edit names as its base."""
    assert scene.head is not None
    base = values.get("base", "")
    return int(base) if base.isdigit() and len(base) < 19 else scene.head.pk
