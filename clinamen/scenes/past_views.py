"""A scene's past: its states with pictures, names and restoring; and versions kept aside, beside the head."""

from typing import Any

from django.contrib import messages
from django.core.paginator import Paginator
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from clinamen.core.errors import ClinamenError
from clinamen.scenes import quota
from clinamen.scenes.access import own_scene, owner_of, scene_of, visitor
from clinamen.scenes.actions import copying, revise
from clinamen.scenes.documents import written
from clinamen.scenes.merging import differences
from clinamen.scenes.models import Scene
from clinamen.scenes.pictures import scene_picture

A_PAGE = 24  # states


@visitor
@require_GET
def past(request: HttpRequest, pk: Any) -> HttpResponse:
    """The states of a scene, the newest first; `named`: only those with a name."""
    scene = scene_of(request, pk)
    states = scene.revisions.filter(refused=False).select_related("author").defer("document").order_by("-pk")
    if request.GET.get("named"):
        states = states.exclude(name="")
    told = {
        "scene": scene,
        "states": Paginator(states, A_PAGE).get_page(request.GET.get("page")),
        "named": request.GET.get("named"),
    }
    return render(request, "scenes/past.html", told)


@visitor
@require_POST
def name(request: HttpRequest, pk: Any, revision_pk: int) -> HttpResponse:
    """Give a state a name: it stays, however old. Without one it is as the others again."""
    state = get_object_or_404(scene_of(request, pk).revisions.defer("document"), pk=revision_pk)
    state.name = request.POST.get("name", "").strip()[:120]
    state.save(update_fields=["name"])
    says = f"is called “{state.name}”" if state.name else "has no name now"
    messages.info(request, f"Revision {state.number} {says}")
    return redirect("scene-past", pk=pk)


@visitor
@require_POST
def restore(request: HttpRequest, pk: Any, revision_pk: int) -> HttpResponse:
    """Make an older state the newest."""
    scene = scene_of(request, pk)
    try:
        messages.info(request, f"{revise.restore(scene, revision_pk, request.user).says}. Undo leads back")
    except ClinamenError as error:
        messages.warning(request, str(error))
    return redirect("scene-past", pk=pk)


@visitor
@require_GET
@cache_control(private=True, max_age=31536000, immutable=True)
def picture(request: HttpRequest, pk: Any, revision_pk: int) -> HttpResponse:
    """A state at rest, small."""
    scene = scene_of(request, pk)
    scene.head = get_object_or_404(scene.revisions, pk=revision_pk)
    return HttpResponse(scene_picture(scene), content_type="image/webp")


@visitor
@require_GET
def beside(request: HttpRequest, pk: Any, kept: int) -> HttpResponse:
    """A version that was kept aside, beside the head: what it changed, to be taken over in parts."""
    return _beside(request, scene_of(request, pk), kept)


def _beside(request: HttpRequest, scene: Scene, kept_pk: int, wrong: str = "") -> HttpResponse:
    kept = scene.revisions.select_related("parent", "author").filter(pk=kept_pk, refused=True).first()
    if kept is None:
        messages.warning(request, revise.NOT_KEPT)
        return redirect("scene-room", pk=scene.pk, room="depth")
    assert scene.head is not None
    now = written(scene.head)
    base = kept.parent.document if kept.parent else now
    parts = differences(base, kept.document, now)
    told = {"scene": scene, "kept": kept, "parts": parts, "wrong": wrong, "ticked": request.POST.getlist("part")}
    return render(request, "scenes/beside.html", told, status=422 if wrong else 200)


@visitor
@require_POST
def take_parts(request: HttpRequest, pk: Any, kept: int) -> HttpResponse:
    """Take over what was ticked."""
    scene = scene_of(request, pk)
    try:
        says = revise.take_parts(scene, kept, set(request.POST.getlist("part")), request.user).says
    except ClinamenError as error:
        return _beside(request, scene, kept, str(error))
    messages.info(request, f"{says}: taken over")
    return redirect("scene-room", pk=pk, room="depth")


@visitor
@require_POST
def duplicate(request: HttpRequest, pk: Any) -> HttpResponse:
    """A copy of one's own, of a scene that one may look at."""
    if not request.user.is_authenticated:
        return redirect("sign-in")
    scene, owner = scene_of(request, pk, changes=False), owner_of(request)
    try:
        quota.room_for(owner, scenes_more=1)
    except ClinamenError as error:
        messages.warning(request, str(error))
        return redirect("scenes")
    copy = copying.duplicate(scene, owner, request.POST.get("title", "").strip())
    return redirect("scene-room", pk=copy.pk, room="depth")


@visitor
@require_POST
def put(request: HttpRequest, pk: Any) -> HttpResponse:
    """Into which folder a scene is put, and whether new ones start from it."""
    scene = own_scene(request, pk)
    if "folder" in request.POST:
        scene.folder = " ".join(request.POST["folder"].split())[:80]
    if "starts" in request.POST:
        scene.starts = request.POST["starts"] == "1"
    Scene.objects.filter(pk=scene.pk).update(folder=scene.folder, starts=scene.starts)
    return redirect("scenes")
