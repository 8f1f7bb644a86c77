"""Edits that need files or art at hand, which the core has not: what they make of a scene is saved and answered alike."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import wraps
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseBase
from django.views.decorators.http import require_POST

from clinamen.core.cached import cached_property
from clinamen.core.document import Layer
from clinamen.core.document import Scene as Document
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.scenes import quota
from clinamen.scenes.access import scene_of, visitor
from clinamen.scenes.actions import revise
from clinamen.scenes.actions.dropped import Dropped
from clinamen.scenes.answers import base_id, base_of, choice_of, saved
from clinamen.scenes.documents import document_of
from clinamen.scenes.models import Scene
from clinamen.scenes.rooms import Choice
from clinamen.scenes.shelf import pictures_of, shelf_of


@dataclass(frozen=True)
class Asked:
    """What an edit is told: the scene and its document, what is chosen, what was typed, and the files that were dropped."""

    scene: Scene
    current: Document
    choice: Choice
    values: dict[str, str]
    files: Sequence[Dropped]

    @cached_property
    def shelf(self) -> ArtShelf:
        """The art, previews where it is not ready."""
        return shelf_of(pictures_of(self.scene), self.current, draft=True)

    @property
    def chosen(self) -> Layer | None:
        """The layer that is chosen."""
        return next((layer for layer in self.current.layers if layer.id == self.choice.layer), None)


@dataclass(frozen=True)
class Made:
    """The edited document, a sentence on what was done, what to look at besides, and the layer that is chosen then."""

    edited: Document
    says: str
    notes: Sequence[str] = ()
    layer: str = ""


def making(make: Callable[[Asked], Made]) -> Callable[..., HttpResponseBase]:
    """A view that saves what `make` makes, or says why it cannot."""

    @visitor
    @require_POST
    @wraps(make)
    def view(request: HttpRequest, pk: Any) -> HttpResponse:
        scene, choice, values = scene_of(request, pk), choice_of(request.POST), request.POST.dict()

        def save() -> tuple[str, Choice]:
            current = document_of(base_of(scene, values))
            quota.room_for(scene.owner, sum(file.size or 0 for file in request.FILES.getlist("files")))
            made = make(Asked(scene, current, choice, values, request.FILES.getlist("files")))
            revise.revise(scene, base_id(scene, values), made.edited, made.says, request.user)
            return " · ".join([made.says, *made.notes]), replace(choice, layer=made.layer or choice.layer)

        return saved(request, pk, save)

    return view
