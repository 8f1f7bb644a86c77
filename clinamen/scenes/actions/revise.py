"""Revise: an edit made on a revision becomes a new one; undo and redo move the head along the chain."""

from contextlib import suppress
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone

from clinamen.core import document
from clinamen.core.document import Scene as Document
from clinamen.core.errors import BadDocument, BadEdit
from clinamen.scenes.actions import prepare_art, thin
from clinamen.scenes.merging import merge
from clinamen.scenes.models import Revision, Scene

JOIN_WITHIN = timedelta(seconds=1.5)  # edits of one control that follow each other this quickly share a revision


NOT_KEPT = "That version is not kept aside any more: it was taken up or thrown away in another window"


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
            f"Your version is kept as revision {kept.number}: see Kept aside, beside Redo"
        )


def revise(scene: Scene, base_id: int, new: Document, says: str, author: Any, control: str = "") -> Revised:
    """Save an edited document made on revision `base_id`. Conflict when it cannot be merged into a newer head."""
    conflict: Conflict | None = None
    with transaction.atomic():
        scene = locked(scene)
        head = scene.head
        assert head is not None
        data, merged = new.to_json(), False
        if base_id != head.pk:
            base = Revision.objects.filter(scene=scene, pk=base_id).first()
            # a base that is gone was a nudge that another one took the place of: what it held cannot be told apart
            joined = merge(base.document, data, head.document) if base else None
            valid = _valid(joined)
            if valid is None:
                kept = Revision.objects.create(
                    scene=scene, parent=base, number=_next_number(scene), document=data, author=author, says=says,
                    refused=True,
                )  # fmt: skip
                conflict = Conflict(kept, says)
            else:
                data, merged = valid, True
        if conflict is None:
            revision = _append(scene, head, data, says, author, control)
            prepare_art.ask_for(scene, document.parse(data))
    if conflict is not None:
        raise conflict
    return Revised(revision, merged)


def locked(scene: Scene) -> Scene:
    """The scene as it is now, which nobody else changes until this transaction ends. Its head is asked for after that: one joined
    to a row that was waited for would be that of before, and so none."""
    return Scene.objects.select_for_update().get(pk=scene.pk)


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
        and head.ahead_id is None
    )
    before, number = (head.parent_id, head.number) if joins else (head.pk, _next_number(scene))
    parent_id = int(before or head.pk)
    revision = Revision.objects.create(
        scene=scene, parent_id=parent_id, number=number, document=data, author=author, says=says[:300], control=control
    )
    Revision.objects.filter(pk=parent_id).update(ahead=revision)
    scene.head, scene.title = revision, data["title"]
    scene.save(update_fields=["head", "title", "updated"])
    if joins:
        thin.take_out(head)
    return revision


def take_up(scene: Scene, kept_id: int, author: Any) -> Revision:
    """Make a version that was kept aside the newest one; undo leads back. BadEdit when it is not there any more."""
    with transaction.atomic():
        scene = locked(scene)
        kept = _kept(scene, kept_id)
        data = _valid(kept.document)
        if data is None:
            raise BadEdit(f"Revision {kept.number} cannot be read by this version of the program, so it stays aside")
        assert scene.head is not None
        revision = _append(scene, scene.head, data, f"{kept.says}, taken up again", author, "")
        kept.delete()
        prepare_art.ask_for(scene, document.parse(data))
    return revision


def throw_away(scene: Scene, kept_id: int) -> Revision:
    """Delete a version that was kept aside; BadEdit when it is not there any more."""
    kept = _kept(scene, kept_id)
    kept.delete()
    return kept


def _kept(scene: Scene, kept_id: int) -> Revision:
    kept = scene.revisions.filter(pk=kept_id, refused=True).first()
    if kept is None:
        raise BadEdit(NOT_KEPT)
    return kept


def undo(scene: Scene) -> Revision:
    """Move the head one back; BadEdit at the beginning."""
    return _move(scene, "parent", "There is nothing to undo")


def redo(scene: Scene) -> Revision:
    """Move the head one forward again; BadEdit at the end."""
    return _move(scene, "ahead", "There is nothing to redo")


def _move(scene: Scene, way: str, nothing: str) -> Revision:
    with transaction.atomic():
        scene = locked(scene)
        target: Revision | None = getattr(scene.head, way)
        if target is None:
            raise BadEdit(nothing)
        scene.head, scene.title = target, target.document["title"]
        scene.save(update_fields=["head", "title", "updated"])
        with suppress(BadDocument):  # what cannot be read can still be walked over
            prepare_art.ask_for(scene, document.parse(target.document))
        return target
