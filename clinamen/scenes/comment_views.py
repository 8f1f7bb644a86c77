"""Comments on a scene, each pinned to a layer, a finding or a moment; whoever has an account and may look may say something."""

import json
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from clinamen.core.errors import BadEdit
from clinamen.core.quantities import number, whole
from clinamen.scenes.access import scene_of, visitor
from clinamen.scenes.documents import document_of, written
from clinamen.scenes.models import Comment, Scene
from clinamen.shared import live

MOST = 2000  # characters
PINS = {"layer": "the chosen layer", "moment": "this moment", "finding": "the finding", "scene": "the scene"}


@visitor
@require_GET
def comments(request: HttpRequest, pk: Any) -> HttpResponse:
    """What was said of a scene."""
    return _shown(request, scene_of(request, pk))


def _shown(request: HttpRequest, scene: Scene, wrong: str = "", at: int = 0) -> HttpResponse:
    """All comments; what was `wrong` is said where it was asked for: at a comment, by its primary key, or at the form."""
    assert scene.head is not None
    said = scene.comments.filter(answers=None).select_related("author").prefetch_related("replies__author")
    names = {layer["id"]: layer.get("name") or layer["id"] for layer in written(scene.head)["layers"]}
    rows = [(each, _pin(each, names), _moment(each, scene)) for each in said]
    open_ones = sum(each.settled is None for each, *_ in rows)
    at = at if any(each.pk == at for each in said) else 0
    typed = request.POST if wrong and not at else {}
    pinned = typed.get("pin", "layer")
    told = {
        "scene": scene,
        "rows": rows,
        "open": open_ones,
        "wrong": wrong,
        "wrong_at": at,
        "typed": typed,
        "pins": PINS,
        "pinned": pinned,
    }
    return render(request, "scenes/comments.html", told)


def _pin(comment: Comment, names: dict[str, str]) -> str:
    """What a comment is pinned to, in words."""
    if comment.finding:
        return f"{comment.finding[0]}{', ' + names[comment.finding[1]] if comment.finding[1] in names else ''}"
    if comment.layer:
        return names.get(comment.layer, f"{comment.layer}, which is gone")
    if comment.moment:
        at = comment.moment
        said = [f"scroll {at['scroll']:.2f}"] if at.get("scroll") else []
        said += [f"{at['time']:.1f} s"] if at.get("time") else []
        return ", ".join(said) or "at rest"
    return "the scene"


def _moment(comment: Comment, scene: Scene) -> str:
    """What the view needs to go to a comment's moment."""
    if not comment.moment or scene.head is None:
        return ""
    view = written(scene.head).get("view", {})
    where = {"x": 0, "y": 0, "width": view.get("width", 1920), "height": view.get("height", 1080)}
    return json.dumps({"severity": "note", "state": comment.moment, "where": where, "label": ""})


@visitor
@require_POST
def say(request: HttpRequest, pk: Any) -> HttpResponse:
    """Say something, or answer."""
    scene = scene_of(request, pk, changes=False)
    assert scene.head is not None
    try:
        if not request.user.is_authenticated:
            raise BadEdit("Sign in to comment")
        text = request.POST.get("text", "").strip()
        if not text:
            raise BadEdit("Comment: nothing was written")
        if len(text) > MOST:
            raise BadEdit(f"Comment: has {len(text)} characters, at most {MOST} are kept; shorten it")
        told = _pinned(scene, request.POST)
        answers = scene.comments.filter(pk=whole(request.POST.get("answers", "")) or 0, answers=None).first()
        Comment.objects.create(
            scene=scene,
            author=request.user,
            text=text,
            answers=answers,
            number=scene.head.number,
            **({} if answers else told),
        )
    except BadEdit as error:
        return _shown(request, scene, str(error), whole(request.POST.get("answers", "")) or 0)
    live.tell(scene.pk, "comments")
    return _shown(request, scene)


def _pinned(scene: Scene, values: Any) -> dict[str, Any]:
    """What a comment is pinned to, of what the form says."""
    pin = values.get("pin", "scene")
    made = document_of(scene.head) if scene.head else None
    layers = {layer.id for layer in made.layers} if made else set()
    if pin == "layer" and values.get("layer") in layers:
        return {"layer": values["layer"]}
    if pin == "moment":
        at = {name: number(values.get(name) or "0", name, -1e6, 1e6) for name in ("scroll", "u", "v", "time")}
        return {"moment": {"scroll": at["scroll"], "pointer": [at["u"], at["v"]], "time": at["time"]}}
    if pin == "finding":
        if not values.get("finding"):
            raise BadEdit("Comment: no finding was pressed; press one first, or pin the comment to something else")
        check, layer, side = [*values["finding"].split("/"), "", ""][:3]
        return {"finding": [check[:40], layer[:80], side[:40]], "layer": layer if layer in layers else ""}
    return {}


@visitor
@require_POST
def settle(request: HttpRequest, pk: Any, comment_pk: int, way: str) -> HttpResponse:
    """Settle a comment, open it again, or, of one's own or as the owner, delete it."""
    scene = scene_of(request, pk, changes=False)
    comment = get_object_or_404(scene.comments, pk=comment_pk)
    own = request.user.is_authenticated and (comment.author_id == request.user.pk or scene.own)
    if way == "delete" and own:
        comment.delete()
    elif way in ("settle", "open") and (own or scene.may_edit):
        Comment.objects.filter(pk=comment.pk).update(settled=timezone.now() if way == "settle" else None)
    else:
        says = "That comment is another's; only its author, or who may edit the scene, can do that"
        return _shown(request, scene, says, comment.pk)
    live.tell(scene.pk, "comments")
    return _shown(request, scene)
