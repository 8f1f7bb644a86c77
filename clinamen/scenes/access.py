"""Who may do what with a scene: its owner everything, whom it is shared with what the share says, a link's holder look.

Every view gets its scene here. What only reads asks to look; what writes asks to edit, whatever the view forgets to say.
"""

from collections.abc import Callable
from functools import wraps
from typing import Any, cast

from django.contrib.auth.models import User
from django.contrib.auth.views import redirect_to_login
from django.db.models import Exists, OuterRef, Q, QuerySet, Subquery
from django.http import Http404, HttpRequest, HttpResponseBase
from django.shortcuts import get_object_or_404

from clinamen.core.errors import BadEdit
from clinamen.scenes.documents import brought
from clinamen.scenes.models import LookLink, Revision, Scene, Share

READS = ("GET", "HEAD", "OPTIONS")
LINKS = "links"  # under which a session keeps the links it came by
MOST_LINKS = 50


class MayOnlyLook(BadEdit):
    """The visitor may look at the scene and not change it."""

    def __init__(self) -> None:
        super().__init__("You may look at this scene, not change it. Ask its owner to let you edit it")


def owner_of(request: HttpRequest) -> User:
    """The visitor, who is signed in."""
    assert isinstance(request.user, User)
    return request.user


def visitor(view: Callable[..., HttpResponseBase]) -> Callable[..., HttpResponseBase]:
    """A view for who is signed in or came by a link that lets look at a scene."""

    @wraps(view)
    def asked(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponseBase:
        if request.user.is_authenticated or request.session.get(LINKS):
            return view(request, *args, **kwargs)
        return redirect_to_login(request.get_full_path())

    return asked


def seen_by(request: HttpRequest) -> Q:
    """Of scenes: those that the visitor may look at."""
    linked = Q(links__token__in=request.session.get(LINKS, []), links__ended=None)
    if not request.user.is_authenticated:
        return linked
    return Q(owner=request.user) | Q(shares__account=request.user) | linked


def scenes_seen(request: HttpRequest) -> QuerySet[Scene]:
    """The scenes that the visitor may look at, each once."""
    return Scene.objects.filter(pk__in=Scene.objects.filter(seen_by(request)).values("pk"))


def scene_of(request: HttpRequest, pk: Any, changes: bool | None = None) -> Scene:
    """A scene with its head: one row, and a document where this process has not read it.
    404 where the visitor may not look; MayOnlyLook where the request `changes` something (what is not read does, unless it is
    said) and he may not edit."""
    share = Share.objects.filter(scene=OuterRef("pk"), account=request.user.pk).values("may")[:1]
    aside = Revision.objects.filter(scene=OuterRef("pk"), refused=True)
    found: Any = (
        Scene.objects.select_related("head").defer("head__document")
        .annotate(shared_as=Subquery(share), refused=Exists(aside))
    )  # fmt: skip
    scene = get_object_or_404(found, pk=pk)
    while scene.head is not None and not brought(scene.head):  # a nudge, and the next one has taken its place just now
        scene = get_object_or_404(found, pk=pk)
    scene.visitor, scene.keeps_aside = request.user, scene.refused
    if scene.owner_id == request.user.pk:
        return cast("Scene", scene)
    scene.own, scene.may_edit = False, scene.shared_as == Share.May.EDIT
    if scene.shared_as is None and not _linked(request, scene):
        raise Http404
    if (request.method not in READS if changes is None else changes) and not scene.may_edit:
        raise MayOnlyLook
    return cast("Scene", scene)


def _linked(request: HttpRequest, scene: Scene) -> bool:
    return scene.links.filter(token__in=request.session.get(LINKS, []), ended=None).exists()


def seen_again(before: Scene, now: Scene) -> Scene:
    """A scene that was just written, for the visitor who was let have it `before`."""
    now.visitor, now.own, now.may_edit, now.keeps_aside = (
        before.visitor,
        before.own,
        before.may_edit,
        before.keeps_aside,
    )
    return now


def own_scene(request: HttpRequest, pk: Any) -> Scene:
    """A scene that the visitor owns; 404 otherwise."""
    return get_object_or_404(Scene.objects.select_related("head"), pk=pk, owner=request.user.pk or 0)


def came_by(request: HttpRequest, link: LookLink) -> None:
    """Remember that a visitor came by a link."""
    links = [token for token in request.session.get(LINKS, []) if token != link.token]
    request.session[LINKS] = [*links, link.token][-MOST_LINKS:]
