"""Asking for exports, watching them, taking them away."""

import mimetypes
from contextlib import suppress
from datetime import UTC, datetime
from typing import Any

from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET, require_POST

from clinamen.core.errors import BadEdit
from clinamen.core.exports import EXPORTS
from clinamen.core.exports.base import read_options
from clinamen.exports.actions import make
from clinamen.exports.actions.shoot import again, ask, call_off, progress, remove
from clinamen.exports.models import Export
from clinamen.exports.ranged import ranged
from clinamen.exports.tasks import defer_export, defer_part, put_first
from clinamen.scenes import quota
from clinamen.scenes.access import owner_of, scene_of, visitor
from clinamen.scenes.models import RUNNING, Scene
from clinamen.scenes.workers import anybody_works

NEWEST = 8  # exports listed in the room


def _export(request: HttpRequest, pk: Any) -> Export:
    """An export of a scene that the visitor may look at, or, where the request changes something, edit."""
    export = get_object_or_404(Export.objects.select_related("scene"), pk=pk)
    scene_of(request, export.scene_id)
    return export


@visitor
@require_POST
def new(request: HttpRequest, pk: Any) -> HttpResponse:
    """Ask for an export of the scene as it is now."""
    scene = scene_of(request, pk)
    kind = request.POST.get("kind", "")
    if kind not in EXPORTS:
        raise Http404
    assert scene.head_id is not None
    try:
        running = Export.objects.filter(scene__owner=scene.owner, status__in=RUNNING).count()
        quota.room_for_a_job(scene.owner, running)
        options = read_options(EXPORTS[kind].options, request.POST.dict()).model_dump()
        if EXPORTS[kind].in_parts:
            export = ask(scene, options, only_draft=bool(request.POST.get("draft")), defer=defer_part)
            return render(request, "exports/new.html", _told(export))
        more = _more(request) if EXPORTS[kind].takes_more and scene.own else []
        with transaction.atomic():
            export = Export.objects.create(
                scene=scene, revision_id=scene.head_id, kind=kind, options=options, more=more
            )
            defer_export(export)
    except BadEdit as refused:
        return render(request, "exports/new.html", {"error": str(refused)})
    return render(request, "exports/new.html", _told(export))


def _more(request: HttpRequest) -> list[list[str | int | None]]:
    """Scene and revision of what shall follow on the same page, in the order chosen."""
    asked = [pk for pk in request.POST.getlist("more") if pk]
    own = {str(scene.pk): scene for scene in Scene.objects.filter(owner=owner_of(request))}
    if any(pk not in own for pk in asked):
        raise BadEdit("More scenes: one of them is not there any more; choose again")
    return [[pk, own[pk].head_id] for pk in asked]


@visitor
@require_GET
def listing(request: HttpRequest, pk: Any) -> HttpResponse:
    """The scene's newest exports of those that were asked for `before` the page was made: it has later ones already."""
    exports = Export.objects.filter(scene=scene_of(request, pk))
    with suppress(ValueError, OverflowError, OSError):
        exports = exports.filter(created__lt=datetime.fromtimestamp(float(request.GET.get("before", "")), UTC))
    return render(request, "exports/list.html", {"exports": exports[:NEWEST]})


@visitor
@require_GET
def row(request: HttpRequest, pk: Any) -> HttpResponse:
    """How an export stands."""
    return _row(request, _export(request, pk))


@visitor
@require_GET
def standing(request: HttpRequest, pk: Any) -> HttpResponse:
    """How far an export is: what moves of its row; the whole row when it is over or its draft has come, so that a draft that
    plays goes on playing meanwhile."""
    export = _export(request, pk)
    if not export.running or bool(export.draft) != bool(request.GET.get("draft")):
        answer = _row(request, export)
        answer["HX-Retarget"], answer["HX-Reswap"] = f"#export-{export.pk}", "outerHTML"
        return answer
    return render(request, "exports/standing.html", _told(export))


def _row(request: HttpRequest, export: Export) -> HttpResponse:
    return render(request, "exports/row.html", _told(export))


def _told(export: Export) -> dict[str, Any]:
    film = export.running and export.kind == "film"
    return {
        "export": export,
        "progress": progress(export) if film else None,
        "nobody_works": export.running and not anybody_works(),
    }


@visitor
@require_POST
def cancel(request: HttpRequest, pk: Any) -> HttpResponse:
    """Call an export off."""
    export = _export(request, pk)
    call_off(export)
    export.refresh_from_db()
    return _row(request, export)


@visitor
@require_POST
def first(request: HttpRequest, pk: Any) -> HttpResponse:
    """Have an export made before the others that wait."""
    export = _export(request, pk)
    put_first(export)
    return _row(request, export)


@visitor
@require_POST
def retry(request: HttpRequest, pk: Any) -> HttpResponse:
    """Take up again what failed; of a film, what is done of it is kept."""
    export = _export(request, pk)
    if EXPORTS[export.kind].in_parts:
        again(export, defer_part)
    else:
        make.again(export, defer_export)
    export.refresh_from_db()
    return _row(request, export)


@visitor
@require_POST
def discard(request: HttpRequest, pk: Any) -> HttpResponse:
    """Take an export away."""
    remove(_export(request, pk))
    return HttpResponse("")


@visitor
@require_GET
def download(request: HttpRequest, pk: Any) -> HttpResponseBase:
    """The finished file."""
    export = _export(request, pk)
    if export.status != Export.Status.DONE:
        raise Http404
    return ranged(request, export.file, "application/octet-stream", attached=True)


@visitor
@require_GET
def play(request: HttpRequest, pk: Any, what: str) -> HttpResponseBase:
    """A film, or its draft, as a player on the page asks for it."""
    export = _export(request, pk)
    name = export.draft if what == "draft" else export.file
    if not name or (what == "film" and export.status != Export.Status.DONE) or export.kind != "film":
        raise Http404
    return ranged(request, name, mimetypes.guess_type(name)[0] or "application/octet-stream")
