"""Scenes go to a bin and come back; what nobody can reach any more is swept away, and nothing that somebody still needs."""

import hashlib
import os
import time
from datetime import timedelta
from pathlib import Path

import pytest
from django.core.files.storage import default_storage
from django.test import Client
from django.utils import timezone

from clinamen.art import store
from clinamen.art.models import Picture
from clinamen.exports.actions import sweep
from clinamen.exports.actions.make import make
from clinamen.exports.models import Export
from clinamen.scenes.models import Scene, SceneArt
from tests.web.conftest import png, upload


def aged(days: float = 2) -> None:
    """Everything in the store and all rows of pictures are as old as this."""
    Picture.objects.update(created=timezone.now() - timedelta(days=days))
    then = time.time() - days * 86400
    for folder in (
        Path(default_storage.path(".")),
        *(Path(default_storage.path(".")).parent / name for name in ("prepared", "screen", "sets")),
    ):
        for path in folder.rglob("*"):
            if path.is_file():
                os.utime(path, (then, then))


def files() -> set[str]:
    root = Path(default_storage.path("."))
    return {str(path.relative_to(root)) for path in root.rglob("*") if path.is_file()}


def test_a_deleted_scene_lies_in_the_bin_and_is_taken_back(visitor, made, django_user_model) -> None:
    page = visitor.post(f"/scenes/{made.pk}/delete/", follow=True).content.decode()
    assert "Bin: 1 scene" in page and "Take it back" in page and "Three was deleted" in page
    for room in ("depth", "export"):
        assert visitor.get(f"/scenes/{made.pk}/{room}/").status_code == 404
    stranger = Client()
    stranger.force_login(django_user_model.objects.create_user("bob"))
    assert stranger.post(f"/scenes/{made.pk}/take-back/").status_code == 404
    assert "Bin" not in stranger.get("/").content.decode()
    page = visitor.post(f"/scenes/{made.pk}/take-back/", follow=True).content.decode()
    assert "Three is back" in page and "Bin:" not in page
    assert visitor.get(f"/scenes/{made.pk}/depth/").status_code == 200


def test_after_thirty_days_it_is_gone_with_all_that_only_it_used(visitor, someone, made) -> None:
    shared = visitor.post("/scenes/new/", {"title": "Other", "files": [upload("shared.png", png(seed=1))]})
    assert shared.status_code == 302
    export = Export.objects.create(scene=made, revision=made.head, kind="layered", options={})
    make(export)
    export.refresh_from_db()
    assert export.status == "done" and default_storage.exists(export.file)
    visitor.post(f"/scenes/{made.pk}/delete/")
    aged()
    Scene.every.filter(pk=made.pk).update(binned=timezone.now() - sweep.IN_BIN + timedelta(hours=1))
    assert sweep.sweep()["scenes"] == 0 and Scene.every.filter(pk=made.pk).exists()
    Scene.every.filter(pk=made.pk).update(binned=timezone.now() - sweep.IN_BIN - timedelta(hours=1))
    told = sweep.sweep()
    assert told["scenes"] == 1 and told["pictures"] == 2, "the third picture stands in another scene"
    kept = SceneArt.objects.get().picture
    assert files() == {kept.name} and Picture.objects.get() == kept
    assert visitor.get(f"/scenes/{someone.scenes.get().pk}/depth/").status_code == 200


@pytest.mark.django_db
def test_what_an_upload_has_kept_but_not_written_into_a_scene_yet_stays(visitor) -> None:
    picture, original = store.keep(png(40, 30), "a.png"), store.keep_original(b"as it came")
    assert sweep.sweep()["pictures"] == 0 and store.read(picture)
    aged()
    assert store.keep(png(40, 30), "again.png") == picture and store.keep_original(b"as it came") == original
    told = sweep.sweep()
    assert told["pictures"] == told["originals"] == 0, "it was kept anew"
    assert store.read(picture) and store.read_original(original) == b"as it came"
    aged()
    told = sweep.sweep()
    assert told["pictures"] == told["originals"] == 1 and files() == set()
    assert store.read(store.keep(png(40, 30), "a.png")), "and can be kept once more"


def test_what_scenes_use_stays_however_old(visitor, made) -> None:
    visitor.post(
        f"/scenes/{made.pk}/edit/step-add/",
        {"layer": "front", "step": "crop", "x": "0", "y": "0", "width": "200", "height": "120"},
    )
    before = files()
    assert visitor.get(f"/scenes/{made.pk}/prepare/?layer=front").status_code == 200
    aged(days=400)
    told = sweep.sweep()
    assert told["scenes"] == told["pictures"] == told["originals"] == told["prepared"] == 0 and files() == before
    assert visitor.get(f"/scenes/{made.pk}/prepare/?layer=front").status_code == 200


def test_prepared_art_that_no_head_asks_for_is_swept(visitor, made, tmp_path) -> None:
    key = hashlib.sha256(b"nobody").hexdigest()
    stray = tmp_path / "prepared" / key[:2] / f"{key}.png"
    store.write_file(stray, png(10, 10))
    assert sweep.sweep()["prepared"] == 0, "it may have been made just now"
    aged()
    assert sweep.sweep()["prepared"] == 1 and not stray.exists()


def test_opaque_sets_stay_as_long_as_a_head_asks_for_them_and_missing_ones_are_made_up_for(
    visitor, made, tmp_path
) -> None:
    def kept() -> set[Path]:
        return {path for path in (tmp_path / "sets").rglob("*") if path.is_file()}

    before = kept()
    assert len(before) == 3
    stray = tmp_path / "sets" / "ab" / hashlib.sha256(b"nobody").hexdigest()
    store.write_file(stray, b"of art that is gone")
    aged(days=400)
    assert sweep.sweep()["sets"] == 1 and kept() == before
    lost = before.pop()
    lost.unlink()
    assert sweep.sweep()["sets"] == 0 and kept() == {lost, *before}
    visitor.post(f"/scenes/{made.pk}/edit/remove/", {"layer": "front"})
    aged()
    assert sweep.sweep()["sets"] == 1
