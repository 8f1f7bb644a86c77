"""Asking for exports, watching them, taking them away."""

from pathlib import PurePosixPath
from typing import Any

from django.contrib.auth.decorators import login_required
from django.core.files.storage import default_storage
from django.db import transaction
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET, require_POST

from clinamen.core.errors import BadEdit
from clinamen.core.exports import EXPORTS
from clinamen.core.exports.base import read_options
from clinamen.exports.models import Export
from clinamen.exports.tasks import make_export
from clinamen.scenes.answers import owner_of
from clinamen.scenes.models import Scene

NEWEST = 8  # exports listed in the room


def _export(request: HttpRequest, pk: Any) -> Export:
    return get_object_or_404(Export.objects.select_related("scene"), pk=pk, scene__owner=request.user)


@login_required
@require_POST
def new(request: HttpRequest, pk: Any) -> HttpResponse:
    """Ask for an export of the scene as it is now."""
    scene = get_object_or_404(Scene, pk=pk, owner=request.user)
    kind = request.POST.get("kind", "")
    if kind not in EXPORTS:
        raise Http404
    error = ""
    assert scene.head_id is not None
    try:
        options = read_options(EXPORTS[kind].options, request.POST.dict()).model_dump()
        more = _more(request) if EXPORTS[kind].takes_more else []
        with transaction.atomic():
            export = Export.objects.create(
                scene=scene, revision_id=scene.head_id, kind=kind, options=options, more=more
            )
            make_export.defer(export_id=str(export.pk))
    except BadEdit as refused:
        error = str(refused)
    return _listed(request, scene, error)


def _more(request: HttpRequest) -> list[list[str | int | None]]:
    """Scene and revision of what shall follow on the same page, in the order chosen."""
    asked = [pk for pk in request.POST.getlist("more") if pk]
    own = {str(scene.pk): scene for scene in Scene.objects.filter(owner=owner_of(request))}
    if any(pk not in own for pk in asked):
        raise BadEdit("More scenes: one of them is not there any more; choose again")
    return [[pk, own[pk].head_id] for pk in asked]


def _listed(request: HttpRequest, scene: Scene, error: str = "") -> HttpResponse:
    exports = Export.objects.filter(scene=scene)[:NEWEST]
    return render(request, "exports/list.html", {"exports": exports, "error": error, "scene": scene})


@login_required
@require_GET
def listing(request: HttpRequest, pk: Any) -> HttpResponse:
    """The scene's newest exports."""
    return _listed(request, get_object_or_404(Scene, pk=pk, owner=request.user))


@login_required
@require_GET
def row(request: HttpRequest, pk: Any) -> HttpResponse:
    """How an export stands."""
    return render(request, "exports/row.html", {"export": _export(request, pk)})


@login_required
@require_POST
def cancel(request: HttpRequest, pk: Any) -> HttpResponse:
    """Call an export off."""
    export = _export(request, pk)
    running = (Export.Status.WAITING, Export.Status.WORKING)
    Export.objects.filter(pk=export.pk, status__in=running).update(status=Export.Status.CANCELLED)
    export.refresh_from_db()
    return render(request, "exports/row.html", {"export": export})


@login_required
@require_GET
def download(request: HttpRequest, pk: Any) -> FileResponse:
    """The finished file."""
    export = _export(request, pk)
    if export.status != Export.Status.DONE:
        raise Http404
    return FileResponse(default_storage.open(export.file), as_attachment=True, filename=PurePosixPath(export.file).name)
