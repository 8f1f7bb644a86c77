"""Revise: an edit made on a revision becomes a new one; undo and redo move the head along the chain."""

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone

from clinamen.core import document
from clinamen.core.document import Scene as Document
from clinamen.core.errors import BadDocument, BadEdit
from clinamen.scenes.merging import merge
from clinamen.scenes.models import Revision, Scene

JOIN_WITHIN = timedelta(seconds=1.5)  # edits of one control that follow each other this quickly share a revision


@dataclass(frozen=True)
class Revised:
    """The new head, and whether it had to be merged with what somebody else did meanwhile."""

    revision: Revision
    merged: bool = False


class Conflict(BadEdit):
    """The same thing was changed elsewhere meanwhile; what was refused is kept as `kept`."""

    def __init__(self, kept: Revision, says: str) -> None:
        self.kept = kept
        super().__init__(
            f"{says} was not taken over: it was changed in another window meanwhile. "
            f"Your version is kept as revision {kept.number}"
        )


def revise(scene: Scene, base_id: int, new: Document, says: str, author: Any, control: str = "") -> Revised:
    """Save an edited document made on revision `base_id`. Conflict when it cannot be merged into a newer head."""
    conflict: Conflict | None = None
    with transaction.atomic():
        scene = Scene.objects.select_for_update().get(pk=scene.pk)
        head = scene.head
        assert head is not None
        data, merged = new.to_json(), False
        if base_id != head.pk:
            base = Revision.objects.filter(scene=scene, pk=base_id).first()
            joined = merge(base.document if base else head.document, data, head.document)
            valid = _valid(joined)
            if valid is None:
                number = _next_number(scene)
                kept = Revision.objects.create(
                    scene=scene, parent=base, number=number, document=data, author=author, says=says, refused=True
                )
                conflict = Conflict(kept, says)
            else:
                data, merged = valid, True
        if conflict is None:
            revision = _append(scene, head, data, says, author, control)
    if conflict is not None:
        raise conflict
    return Revised(revision, merged)


def _valid(data: dict[str, Any] | None) -> dict[str, Any] | None:
    try:
        return document.parse(data).to_json() if data is not None else None
    except BadDocument:
        return None


def _next_number(scene: Scene) -> int:
    last = scene.revisions.order_by("-number").values_list("number", flat=True).first()
    return (last or 0) + 1


def _append(scene: Scene, head: Revision, data: dict[str, Any], says: str, author: Any, control: str) -> Revision:
    if data == head.document:
        return head
    joins = (
        control != ""
        and head.control == control
        and head.author_id == getattr(author, "pk", None)
        and timezone.now() - head.created < JOIN_WITHIN
        and head.parent_id is not None
    )
    parent, number = (head.parent, head.number) if joins else (head, _next_number(scene))
    revision = Revision.objects.create(
        scene=scene, parent=parent, number=number, document=data, author=author, says=says[:300], control=control
    )
    scene.head = scene.tip = revision
    scene.title = data["title"]
    scene.save()
    return revision


def undo(scene: Scene) -> Revision:
    """Move the head one back; BadEdit at the beginning."""
    return _move(scene, back=True)


def redo(scene: Scene) -> Revision:
    """Move the head one forward again; BadEdit at the end."""
    return _move(scene, back=False)


def _move(scene: Scene, back: bool) -> Revision:
    with transaction.atomic():
        scene = Scene.objects.select_for_update().get(pk=scene.pk)
        target = before(scene) if back else after(scene)
        if target is None:
            raise BadEdit("There is nothing to undo" if back else "There is nothing to redo")
        scene.head = target
        scene.title = target.document["title"]
        scene.save()
        return target


def before(scene: Scene) -> Revision | None:
    """The revision that undo leads to."""
    return scene.head.parent if scene.head else None


def after(scene: Scene) -> Revision | None:
    """The revision that redo leads to: the one between head and tip whose parent is the head."""
    revision = scene.tip
    while revision is not None and revision.parent_id != scene.head_id:
        revision = revision.parent
    return revision
