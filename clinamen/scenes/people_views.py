"""Whom a scene is shared with: accounts that look or edit, and links that let look until they are ended."""

from typing import Any

from django.contrib import messages
from django.contrib.auth import get_user_model
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from clinamen.core.errors import BadEdit
from clinamen.scenes.access import came_by, own_scene
from clinamen.scenes.models import LookLink, Presence, Scene, Share
from clinamen.shared import live

MOST_LINKS, MOST_SHARES = 20, 200


@login_required
@require_GET
def people(request: HttpRequest, pk: Any) -> HttpResponse:
    """Who may do what with a scene; for its owner."""
    return _shown(request, own_scene(request, pk))


def _shown(request: HttpRequest, scene: Scene, wrong: str = "", typed: str = "", status: int = 200) -> HttpResponse:
    links = [(link, request.build_absolute_uri(f"/look/{link.token}/")) for link in scene.links.filter(ended=None)]
    shares = scene.shares.select_related("account")
    told = {"scene": scene, "shares": shares, "links": links, "wrong": wrong, "typed": typed, "may": Share.May.choices}
    return render(request, "scenes/people.html", told, status=status)


@login_required
@require_POST
def share(request: HttpRequest, pk: Any) -> HttpResponse:
    """Let an account look or edit; `may` "no" ends it."""
    scene, name = own_scene(request, pk), request.POST.get("account", "").strip()
    may = request.POST.get("may", "")
    try:
        account = get_user_model().objects.filter(username=name).first()
        if account is None:
            raise BadEdit(f"Account: there is none called “{name[:60]}”; ask for the name that is used to sign in")
        if account.pk == scene.owner_id:
            raise BadEdit("Account: that is you, and the scene is yours")
        if may == "no":
            scene.shares.filter(account=account).delete()
            Presence.objects.filter(scene=scene, account=account).delete()
            messages.info(request, f"{account.username} may not open {scene.title} any more")
        elif may not in Share.May.values:
            raise BadEdit("Right: choose whether the account may look or edit")
        elif scene.shares.count() >= MOST_SHARES:
            raise BadEdit(f"A scene is shared with at most {MOST_SHARES} accounts; end another share first")
        else:
            Share.objects.update_or_create(scene=scene, account=account, defaults={"may": may})
            messages.info(request, f"{account.username} may {may} {scene.title} now")
    except BadEdit as error:
        return _shown(request, scene, str(error), name, 422)
    live.tell(scene.pk, "present")
    return redirect("scene-people", pk=scene.pk)


@login_required
@require_POST
def link(request: HttpRequest, pk: Any) -> HttpResponse:
    """Make a link that lets look."""
    scene = own_scene(request, pk)
    if scene.links.filter(ended=None).count() >= MOST_LINKS:
        return _shown(request, scene, f"A scene has at most {MOST_LINKS} links; end one first", status=422)
    LookLink.objects.create(scene=scene)
    return redirect("scene-people", pk=scene.pk)


@login_required
@require_POST
def end_link(request: HttpRequest, pk: Any, link_pk: int) -> HttpResponse:
    """End a link: whoever came by it may look no more."""
    own_scene(request, pk).links.filter(pk=link_pk).update(ended=timezone.now())
    messages.info(request, "The link is ended: it opens nothing any more")
    return redirect("scene-people", pk=pk)


@require_GET
def look(request: HttpRequest, token: str) -> HttpResponse:
    """Come by a link: the scene opens, to look at."""
    found = LookLink.objects.filter(token=token, ended=None, scene__binned=None).first()
    if found is None:
        return render(request, "scenes/link_ended.html", status=404)
    came_by(request, found)
    return redirect("scene-room", pk=found.scene_id, room="depth")
