"""Duplicate: a scene of one's own that stands where another stands, with its art, fonts and the files it came of; no history."""

from typing import Any

from django.db import transaction

from clinamen.core import document
from clinamen.scenes.actions import prepare_art
from clinamen.scenes.documents import written
from clinamen.scenes.models import Revision, Scene, SceneArt, SceneFont, Source


def duplicate(scene: Scene, owner: Any, title: str = "") -> Scene:
    """A copy that belongs to `owner`. The pictures are kept once, however many scenes use them."""
    assert scene.head is not None
    title = (title or f"{scene.title}, copy")[:200]
    with transaction.atomic():
        copy = Scene.objects.create(owner=owner, title=title, folder=scene.folder if scene.owner_id == owner.pk else "")
        SceneArt.objects.bulk_create(
            SceneArt(scene=copy, file=art.file, picture_id=art.picture_id)
            for art in SceneArt.objects.filter(scene=scene)
        )
        for kind in (SceneFont, Source):
            for row in kind.objects.filter(scene=scene):
                row.pk, row.scene = None, copy
                row.save(force_insert=True)
        made = {**written(scene.head), "title": title}
        copy.head = Revision.objects.create(
            scene=copy, document=made, author=owner, says=f"Copied from {scene.title}"[:300]
        )
        copy.save()
        prepare_art.ask_for(copy, document.parse(made))
    return copy
