"""Between HTTP and the actions: nothing is decided here."""

import json
from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import reswap, retarget

from clinamen.core import document
from clinamen.core.edits import apply
from clinamen.core.errors import BadEdit, ClinamenError
from clinamen.core.quantities import number
from clinamen.scenes.actions import bring_in, revise
from clinamen.scenes.actions.extend_art import extend_art
from clinamen.scenes.desk import ROOMS, Choice, Desk
from clinamen.scenes.models import Revision, Scene
from clinamen.scenes.pictures import moment_picture, scene_picture

# what would end a script element or open a comment in it
_IN_SCRIPT = {ord("<"): "\\u003C", ord(">"): "\\u003E", ord("&"): "\\u0026"}


def _scene(request: HttpRequest, pk: Any) -> Scene:
    return get_object_or_404(Scene.objects.select_related("head", "tip"), pk=pk, owner=request.user)


def _choice(values: Any, room: str = "") -> Choice:
    room = room or values.get("room", "depth")
    if room not in ROOMS:
        raise Http404
    hold = "size" if values.get("hold") == "size" else "framing"
    axis = "y" if values.get("axis") == "y" else "x"
    driver = values.get("fan_driver", "")
    driver = driver if driver in ("scroll", "pointer", "time") else ""
    return Choice(room, values.get("chosen", values.get("layer", "")), axis, values.get("speed") == "1", driver, hold)


@login_required
@require_GET
def scenes(request: HttpRequest) -> HttpResponse:
    """The list of the visitor's scenes."""
    own = Scene.objects.filter(owner=request.user).select_related("head")
    return render(request, "scenes/scenes.html", {"scenes": own})


@login_required
@require_POST
def new(request: HttpRequest) -> HttpResponse:
    """A new scene of dropped files; refused files are named and what was typed is kept."""
    typed = {key: request.POST.get(key, "").strip() for key in ("title", "width", "height")}
    files = request.FILES.getlist("files")
    refused: list[str] = []
    try:
        size = [int(number(typed[s], s, 1, document.MAX_VIEW, "px")) if typed[s] else None for s in ("width", "height")]
        if not files:
            raise BadEdit("files: none were chosen; drop PNG or WebP pictures, or one .ora file")
        done = bring_in.new_scene(request.user, typed["title"][:200], size[0], size[1], files)
        refused = done.refused
        if done.scene is not None:
            for sentence in refused:
                messages.warning(request, sentence)
            address = reverse("scene-room", args=[done.scene.pk, "art"])
            return HttpResponse(headers={"HX-Redirect": address}) if request.htmx else redirect(address)  # type: ignore[attr-defined]
    except ClinamenError as error:
        refused = [*refused, str(error)]
    if request.htmx:  # type: ignore[attr-defined]  # the form stands as it is, with the files that were chosen
        answer = render(request, "scenes/refused.html", {"refused": refused}, status=422)
        return retarget(reswap(answer, "outerHTML"), "#refused")
    own = Scene.objects.filter(owner=request.user).select_related("head")
    return render(request, "scenes/scenes.html", {"scenes": own, "typed": typed, "refused": refused}, status=422)


@login_required
def open_scene(request: HttpRequest, pk: Any) -> HttpResponse:
    """A scene opens in the room Depth."""
    return redirect("scene-room", pk=_scene(request, pk).pk, room="depth")


@login_required
@require_GET
def room(request: HttpRequest, pk: Any, room: str) -> HttpResponse:
    """A room of the workspace."""
    scene = _scene(request, pk)
    return render(request, "scenes/workspace.html", _context(Desk(scene, _choice(request.GET, room))))


@login_required
@require_GET
def desk(request: HttpRequest, pk: Any) -> HttpResponse:
    """The workspace's parts for another choice of layer or drawing."""
    return _parts(request, Desk(_scene(request, pk), _choice(request.GET)))


@login_required
@require_GET
def fixes(request: HttpRequest, pk: Any) -> HttpResponse:
    """The computed fixes of the findings on show; asked for after the findings stand there."""
    return render(request, "scenes/fix_lists.html", _context(Desk(_scene(request, pk), _choice(request.GET))))


def _context(desk: Desk) -> dict[str, Any]:
    return {"desk": desk, "scene": desk.scene, "document": desk.document, "choice": desk.choice}


def _parts(request: HttpRequest, desk: Desk, toast: str = "", wrong: bool = False, status: int = 200) -> HttpResponse:
    stage = json.dumps(desk.stage).translate(_IN_SCRIPT)
    context = {**_context(desk), "toast": toast, "wrong": wrong, "parts": True, "stage_json": stage}
    return render(request, "scenes/parts.html", context, status=status)


def _refused(request: HttpRequest, error: Exception) -> HttpResponse:
    """Why an edit was not made; nothing else is redrawn, so that what was typed stays."""
    return render(request, "scenes/toast.html", {"toast": str(error), "wrong": True})


@login_required
@require_POST
def edit(request: HttpRequest, pk: Any, name: str) -> HttpResponse:
    """Make an edit, or with `preview` only show what it would do."""
    scene, choice = _scene(request, pk), _choice(request.POST)
    values = request.POST.dict()
    base = _base(scene, values)
    try:
        edited, says = apply(document.parse(base.document), name, values)
        if values.get("preview"):
            return _parts(request, Desk(scene, choice, edited))
        control = f"{name}/{values.get('layer', '')}/{values.get('channel', '')}/{values.get('driver', '')}"
        done = revise.revise(scene, base.pk, edited, says, request.user, control if values.get("nudge") else "")
    except revise.Conflict as error:
        return _parts(request, Desk(_scene(request, pk), choice), str(error), wrong=True)
    except BadEdit as error:
        return _refused(request, error)
    says = f"{says}, merged with what another window changed" if done.merged else ""
    return _parts(request, Desk(_scene(request, pk), choice), says)


def _base(scene: Scene, values: dict[str, str]) -> Revision:
    """The revision an edit was made on; the head when it is not named."""
    assert scene.head is not None
    base = values.get("base", "")
    found = Revision.objects.filter(scene=scene, pk=int(base)).first() if base.isdigit() else None
    return found or scene.head


@login_required
@require_POST
def extend(request: HttpRequest, pk: Any) -> HttpResponse:
    """Apply a computed extension of a layer's art."""
    scene, choice = _scene(request, pk), _choice(request.POST)
    base = _base(scene, request.POST.dict())
    try:
        count = int(number(request.POST.get("value", ""), "extend", 1, 60000, "px"))
        current = document.parse(base.document)
        edited, says = extend_art(scene, current, request.POST.get("layer", ""), request.POST.get("side", ""), count)
        revise.revise(scene, base.pk, edited, says, request.user)
    except ClinamenError as error:
        return _refused(request, error)
    return _parts(request, Desk(_scene(request, pk), choice))


@login_required
@require_POST
def history(request: HttpRequest, pk: Any, way: str) -> HttpResponse:
    """Undo or redo."""
    scene, choice = _scene(request, pk), _choice(request.POST)
    try:
        (revise.undo if way == "undo" else revise.redo)(scene)
    except BadEdit as error:
        return _refused(request, error)
    return _parts(request, Desk(_scene(request, pk), choice))


@login_required
@require_POST
def add_layers(request: HttpRequest, pk: Any) -> HttpResponse:
    """Bring more pictures into a scene."""
    scene, choice = _scene(request, pk), _choice(request.POST)
    base = _base(scene, request.POST.dict())
    current = document.parse(base.document)
    edited, result = bring_in.more_layers(scene, current, request.FILES.getlist("files"))
    said = " ".join(result.refused)
    if edited is not current and len(edited.layers) > len(current.layers):
        try:
            added = len(edited.layers) - len(current.layers)
            revise.revise(scene, base.pk, edited, f"{added} layers brought in", request.user)
        except BadEdit as error:
            said = f"{said} {error}".strip()
    elif not said:
        said = "files: none were chosen; drop PNG or WebP pictures"
    return _parts(request, Desk(_scene(request, pk), choice), said, wrong=bool(said))


@login_required
@require_POST
def delete(request: HttpRequest, pk: Any) -> HttpResponse:
    """Throw a scene away."""
    scene = _scene(request, pk)
    title = scene.title
    scene.delete()
    messages.info(request, f"{title} was deleted")
    return redirect("scenes")


@login_required
@require_GET
@cache_control(private=True, max_age=3600)
def picture(request: HttpRequest, pk: Any) -> HttpResponse:
    """The scene at rest, small, for the list."""
    scene = _scene(request, pk)
    return HttpResponse(scene_picture(scene), content_type="image/webp")


@login_required
@require_GET
@cache_control(private=True, max_age=3600)
def moment(request: HttpRequest, pk: Any, number: int) -> HttpResponse:
    """The view at a finding's worst moment, with the finding marked."""
    desk = Desk(_scene(request, pk), Choice("proof"))
    if number >= len(desk.findings):
        raise Http404
    return HttpResponse(moment_picture(desk, desk.findings[number]), content_type="image/webp")
