"""Who has a scene open, and what each holds: a row for each page, written anew while its line to the server stands."""

from datetime import timedelta
from typing import Any

from django.db import transaction
from django.db.models.functions import Now
from django.http import HttpRequest

from clinamen.core.bounded import Bounded
from clinamen.core.document import Scene as Document
from clinamen.scenes.models import Presence, Scene
from clinamen.scenes.rooms import ROOMS, Choice
from clinamen.shared import live

BEAT = 10.0  # s between two signs of life
GONE = timedelta(seconds=25)  # without one, after which a page is taken for closed

_held: Bounded[list[tuple[str, str]]] = Bounded(4000, lambda held: 1)


def came(scene: Scene, page: str, request: HttpRequest, room: str, layer: str) -> None:
    """A page has opened its line."""
    account = request.user if request.user.is_authenticated else None
    told = {"scene": scene, "account": account, "room": room, "layer": layer, "seen": Now()}
    Presence.objects.update_or_create(page=page, defaults=told)
    live.tell(scene.pk, "present")


def lives(page: str) -> None:
    """A page's line stands."""
    Presence.objects.filter(page=page).update(seen=Now())


def left(scene_pk: object, page: str) -> None:
    """A page has closed."""
    if Presence.objects.filter(page=page).delete()[0]:
        live.tell(scene_pk, "present")


def holds(scene: Scene, page: str, choice: Choice) -> None:
    """What a page holds now; the others are told where that is another layer or room than before."""
    held = _held.get(page, lambda: [("", "")])
    if held[0] == (choice.room, choice.layer):
        return

    def told() -> None:
        held[0] = (choice.room, choice.layer)

    transaction.on_commit(told)  # what is rolled back nobody was told
    # another process may know it
    before = Presence.objects.filter(page=page).exclude(room=choice.room, layer=choice.layer)
    with transaction.atomic():
        if before.update(room=choice.room, layer=choice.layer, seen=Now()):
            live.tell(scene.pk, "present")


def others(scene: Scene, page: str, document: Document) -> list[dict[str, Any]]:
    """Who else has the scene open: name, what he holds in words, and which layer that is."""
    labels = {layer.id: layer.label for layer in document.layers}
    rows = Presence.objects.filter(scene=scene, seen__gt=Now() - GONE).exclude(page=page).select_related("account")
    return [
        {
            "name": row.account.username if row.account else "a visitor",
            "room": ROOMS[row.room].name if row.room in ROOMS else "",
            "layer": labels.get(row.layer, ""),
        }
        for row in rows
    ]
