"""Revise: an edit made on a revision becomes a new one; undo and redo move the head along the chain."""

from contextlib import suppress
from copy import copy
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.db import connection, transaction
from django.utils import timezone

from clinamen.core import document
from clinamen.core.document import Scene as Document
from clinamen.core.errors import BadDocument, BadEdit
from clinamen.scenes.actions import prepare_art, thin
from clinamen.scenes.chain import Change, back_from, change_at
from clinamen.scenes.documents import document_of
from clinamen.scenes.merging import differences, merge, with_parts
from clinamen.scenes.models import Revision, Scene, Share
from clinamen.shared import live

JOIN_WITHIN = timedelta(seconds=1.5)  # edits of one control that follow each other this quickly share a revision
TOOK_BACK = "Took back: "
NOT_KEPT = "That version is not kept aside any more: it was taken up or thrown away meanwhile"


@dataclass(frozen=True)
class Revised:
    """The scene as it is now, its new head, and whether that had to be merged with what somebody else did meanwhile."""

    scene: Scene
    revision: Revision
    merged: bool = False


class Conflict(BadEdit):
    """The same thing was changed meanwhile, by what led to `head`; what was refused is kept as `kept`."""

    def __init__(self, kept: Revision, says: str, head: Revision) -> None:
        self.kept = kept
        own = head.author_id == kept.author_id
        whose = "you" if own else getattr(head.author, "username", "") or "somebody"
        super().__init__(
            f"{says} was not saved: {whose} changed the same meanwhile ({head.says}). "
            f"Your version is kept as revision {kept.number}: see Kept aside, beside Redo"
        )


def revise(scene: Scene, base_id: int, new: Document, says: str, author: Any, control: str = "") -> Revised:
    """Save an edited document made on revision `base_id`. Conflict when it cannot be merged into a newer head."""
    conflict: Conflict | None = None
    before = scene
    with transaction.atomic(savepoint=False):
        scene = locked(scene)
        if (scene.head_id, scene.updated) == (before.head_id, before.updated):
            scene.head = before.head  # nobody moved it since: it need not be asked for again
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
                conflict = Conflict(kept, says, head)
            else:
                data, merged = valid, True
        if conflict is None:
            before_it = document_of(head)  # asked for now: a nudge that is taken the place of is gone after
            revision = _append(scene, head, data, says, author, control)
            made = document.parse(data) if merged else new
            if any(layer.recipe for layer in (*made.layers, *before_it.layers)):
                prepare_art.ask_for(scene, made)
    if conflict is not None:
        raise conflict
    return Revised(scene, revision, merged)


def locked(scene: Scene) -> Scene:
    """The scene as it is now, which nobody else changes until this transaction ends. Its head is asked for after that: one joined
    to a row that was waited for would be that of before, and so none. BadEdit where it was deleted."""
    found = Scene.objects.select_for_update().filter(pk=scene.pk).first()
    if found is None:
        raise BadEdit(f"{scene.title} was deleted meanwhile; its owner can take it back out of the bin")
    return found


def _valid(data: dict[str, Any] | None) -> dict[str, Any] | None:
    try:
        return document.parse(data).to_json() if data is not None else None
    except BadDocument:
        return None


def _next_number(scene: Scene) -> int:
    last = scene.revisions.order_by("-number").values_list("number", flat=True).first()
    return (last or 0) + 1


def _said_by(revision: Revision) -> dict[str, Any]:
    """What a revision says, as this version of the program would write it where it can read it."""
    try:
        return document_of(revision).to_json()
    except BadDocument:
        return dict(revision.document)


def _append(
    scene: Scene,
    head: Revision,
    data: dict[str, Any],
    says: str,
    author: Any,
    control: str,
    undoes: Revision | None = None,
) -> Revision:
    if data == _said_by(head):
        return head
    revision, joins = _after(scene, head, data, says, author, control)
    revision.undoes = undoes
    _stand(scene, head, revision, joins)
    return revision


def _after(
    scene: Scene, head: Revision, data: dict[str, Any], says: str, author: Any, control: str
) -> tuple[Revision, bool]:
    """The revision, not saved yet, that follows a head, and whether it takes that one's place."""
    joins = (
        control != ""
        and head.control == control
        and head.author_id == getattr(author, "pk", None)
        and timezone.now() - head.created < JOIN_WITHIN
        and head.parent_id is not None
        and head.ahead_id is None
    )
    before, number = (head.parent_id, head.number) if joins else (head.pk, _next_number(scene))
    return Revision(
        scene=scene, parent_id=before, number=number, document=data, author=author, says=says[:300], control=control
    ), joins  # fmt: skip


def _stand(scene: Scene, head: Revision, revision: Revision, joins: bool) -> None:
    """Save a revision in a scene that is locked, which stands at it from now on."""
    assert revision.parent_id is not None
    revision.save(force_insert=True)
    Revision.objects.filter(pk=revision.parent_id).update(ahead=revision)
    scene.head, scene.title = revision, revision.document["title"]
    scene.save(update_fields=["head", "title", "updated"])
    if joins:
        thin.take_out(head)
    _tell(scene, revision, revision.author, revision.says)


@dataclass(frozen=True)
class Ready:
    """An edit made ready: its revision under the key it is to have, in the place of `head`, and the scene standing at it; whether
    it was merged with what changed since the edit's base."""

    scene: Scene
    head: Revision
    revision: Revision
    joins: bool
    merged: bool = False


def made_ready(scene: Scene, base_id: int, new: Document, says: str, author: Any, control: str) -> Ready | None:
    """What `revise` would save if nobody changes the scene meanwhile, so that the answer can be drawn before the scene is locked.
    None where that is not all of it: it cannot be merged, changes nothing, or asks the worker for something."""
    head, data, merged = scene.head, new.to_json(), False
    if head is not None and base_id != head.pk:
        base = Revision.objects.filter(scene=scene, pk=base_id).first()
        joined = _valid(merge(base.document, data, head.document)) if base else None
        if joined is None:
            return None
        data, merged, new = joined, True, document.parse(joined)
    if head is None or data == _said_by(head):
        return None
    if any(layer.recipe for layer in (*new.layers, *document_of(head).layers)):
        return None
    revision, joins = _after(scene, head, data, says, author, control)
    with connection.cursor() as cursor:
        cursor.execute("SELECT nextval(pg_get_serial_sequence(%s, 'id'))", [Revision._meta.db_table])
        revision.pk = cursor.fetchone()[0]
    after = copy(scene)
    after.head, after.title = revision, new.title
    return Ready(after, head, revision, joins, merged)


def settle(ready: Ready) -> bool:
    """Save what was made ready, within the transaction that it was made ready in. False where the scene was changed since, and
    nothing is saved."""
    now = locked(ready.scene)
    if (now.head_id, now.updated) != (ready.head.pk, ready.scene.updated):
        return False
    _stand(ready.scene, ready.head, ready.revision, ready.joins)
    return True


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


def undo(scene: Scene, author: Any) -> Revision:
    """Take back one's own last change; BadEdit where there is none, or where somebody changed the same since."""
    with transaction.atomic():
        scene = locked(scene)
        own = own_last(scene, author)
        if own is None:
            raise BadEdit(_nothing(scene, author, "undo"))
        taken = Revision.objects.select_related("parent").get(pk=own.pk)
        assert taken.parent is not None
        if own.pk == scene.head_id and not (_others_edit(scene) and _readable(taken.parent)):
            return _moved(scene, taken.parent, author, f"Undo: {own.says}")
        return _turned(scene, taken, f"{TOOK_BACK}{own.says}", author)


def _others_edit(scene: Scene) -> bool:
    """Whether the next one's change may end the way ahead, and redo with it."""
    return scene.shares.filter(may=Share.May.EDIT).exists()


def _readable(revision: Revision) -> bool:
    with suppress(BadDocument):
        document_of(revision)
        return True
    return False


def redo(scene: Scene, author: Any) -> Revision:
    """Make what oneself took back last once more; BadEdit where there is nothing."""
    with transaction.atomic():
        scene = locked(scene)
        back = own_taken_back(scene, author)
        if back is None:
            raise BadEdit(_nothing(scene, author, "redo"))
        again = Revision.objects.select_related("parent").get(pk=back.pk)
        if scene.head is not None and back.pk == scene.head.ahead_id:
            return _moved(scene, again, author, f"Redo: {back.says}")
        return _turned(scene, again, f"Again: {taken_back(back)}", author)


def _nothing(scene: Scene, author: Any, way: str) -> str:
    """What to say where there is nothing of one's own."""
    head = scene.head
    if head is None or (way == "undo" and not head.parent_id):
        return f"There is nothing to {way}"
    if way == "redo" and not head.ahead_id and (not head.undoes_id or is_own(head, author, scene.owner_id)):
        return "There is nothing to redo"
    return f"There is nothing of yours to {way}: the last change is another's"


def is_own(change: Revision | Change, author: Any, owner_id: int | None) -> bool:
    """Whether a change is somebody's; what nobody signed is the owner's."""
    mine = getattr(author, "pk", None)
    return mine is not None and mine == (change.author_id or owner_id)


def own_last(scene: Scene, author: Any) -> Change | None:
    """One's own last change that still stands: what undo takes back."""
    gone: set[int] = set()
    for each in back_from(scene.head):
        if each.pk in gone or not is_own(each, author, scene.owner_id):
            continue
        if each.undoes_id is None:
            return each
        gone.add(each.undoes_id)
    return None


def own_taken_back(scene: Scene, author: Any) -> Change | None:
    """What redo does: the revision ahead, if it is one's own, or the taking back that is to be turned round."""
    head = scene.head
    if head is None:
        return None
    if head.ahead_id is not None:
        ahead = change_at(head.ahead_id)
        return ahead if is_own(ahead, author, scene.owner_id) else None
    gone: set[int] = set()
    for each in back_from(head):
        if not is_own(each, author, scene.owner_id):
            continue
        if each.undoes_id is None:
            return None  # a new change of one's own: what was taken back before it is left
        if change_at(each.undoes_id).undoes_id is not None:  # takes back the taking back of another
            gone.add(each.undoes_id)
        elif each.pk not in gone:
            return each
    return None


def taken_back(change: Change) -> str:
    """What redo of a change does once more, in its own words."""
    return change.says.removeprefix(TOOK_BACK)


def _turned(scene: Scene, change: Revision, says: str, author: Any) -> Revision:
    """What a change did, the other way round, on the head: what others did since stays."""
    assert scene.head is not None and change.parent is not None
    back = _valid(merge(change.document, change.parent.document, scene.head.document))
    if back is None:
        raise BadEdit(
            f"“{change.says}” cannot be taken back alone: the same was changed by somebody else since. "
            "An older state can be restored in the history"
        )
    revision = _append(scene, scene.head, back, says, author, "", undoes=change)
    prepare_art.ask_for(scene, document.parse(back))
    return revision


def _moved(scene: Scene, target: Revision, author: Any, says: str) -> Revision:
    scene.head, scene.title = target, target.document["title"]
    scene.save(update_fields=["head", "title", "updated"])
    _tell(scene, target, author, says)
    with suppress(BadDocument):  # what cannot be read can still be walked over
        prepare_art.ask_for(scene, document.parse(target.document))
    return target


def restore(scene: Scene, pk: int, author: Any) -> Revision:
    """Make an older state the newest; undo leads back. BadEdit where it is not kept any more."""
    with transaction.atomic():
        scene = locked(scene)
        old = scene.revisions.filter(pk=pk, refused=False).first()
        data = _valid(old.document) if old else None
        if old is None or data is None:
            raise BadEdit("That state is not kept any more; load the history again")
        assert scene.head is not None
        revision = _append(
            scene, scene.head, data, f"Restored: revision {old.number}, {old.name or old.says}", author, ""
        )
        prepare_art.ask_for(scene, document.parse(data))
    return revision


def take_parts(scene: Scene, kept_id: int, wanted: set[str], author: Any) -> Revision:
    """Take over chosen parts of a version that was kept aside. BadEdit where none are chosen or they do not fit."""
    with transaction.atomic():
        scene = locked(scene)
        kept = _kept(scene, kept_id)
        assert scene.head is not None
        base = kept.parent.document if kept.parent else scene.head.document
        parts = [part for part in differences(base, kept.document, scene.head.document) if part.key in wanted]
        if not parts:
            raise BadEdit("Take over: nothing was chosen; tick what shall be taken over")
        data = _valid(with_parts(kept.document, scene.head.document, parts))
        if data is None:
            raise BadEdit("What was chosen does not fit the scene as it is now; choose other parts")
        revision = _append(scene, scene.head, data, f"{kept.says}, in part"[:300], author, "")
        prepare_art.ask_for(scene, document.parse(data))
    return revision


def _tell(scene: Scene, revision: Revision, author: Any, says: str) -> None:
    by = getattr(author, "username", "") or ""
    live.tell(scene.pk, "changed", revision=revision.pk, by=by[:150], says=says[:200])
