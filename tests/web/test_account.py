"""An account: what it may have, its e-mail, all of it downloaded and deleted; how large a request may be."""

import io
import json
import zipfile

import pytest

from clinamen.core import document
from clinamen.exports.models import Export
from clinamen.scenes.models import Comment, Revision, Scene, Share
from tests.web.conftest import png, upload

pytestmark = pytest.mark.django_db


def test_files_that_do_not_fit_are_refused_and_nothing_typed_is_lost(visitor, made, settings) -> None:
    settings.QUOTA_GIGABYTES = 0.0002
    answer = visitor.post("/scenes/new/", {"title": "More", "files": [upload("a.png", png(900, 700))]})
    text = answer.content.decode()
    assert answer.status_code == 422 and "MB left of" in text and 'value="More"' in text
    said = visitor.post(f"/scenes/{made.pk}/layers/", {"files": [upload("b.png", png(900, 700))], "room": "art"})
    assert "do not fit" in said.content.decode() and Scene.objects.count() == 1


def test_scenes_and_jobs_are_counted(visitor, made, settings) -> None:
    settings.QUOTA_SCENES = 1
    assert "has 1 of 1" in visitor.post(f"/scenes/{made.pk}/duplicate/", follow=True).content.decode()
    settings.QUOTA_JOBS = 1
    Export.objects.create(scene=made, revision_id=made.head_id, kind="web")
    answer = visitor.post(f"/scenes/{made.pk}/exports/new/", {"kind": "web"})
    assert "wait or run already" in answer.content.decode() and Export.objects.count() == 1


def test_whoever_brings_in_the_owner_pays(visitor, made, settings, client, django_user_model) -> None:
    ben = django_user_model.objects.create_user("ben")
    Share.objects.create(scene=made, account=ben, may="edit")
    settings.QUOTA_GIGABYTES = 0.0001
    client.force_login(ben)
    said = client.post(f"/scenes/{made.pk}/layers/", {"files": [upload("b.png", png(900, 700))], "room": "art"})
    assert "ada has" in said.content.decode()


def test_a_request_that_is_too_large_is_refused_before_it_is_read(visitor, settings) -> None:
    settings.BODY_MEGABYTES = 0.01
    answer = visitor.post("/scenes/new/", {"files": [upload("a.png", png(900, 700))]})
    assert answer.status_code == 413 and "Send it in parts" in answer.content.decode()


def test_the_e_mail_is_changed_with_the_password_alone(visitor, someone) -> None:
    wrong = visitor.post("/account/e-mail/", {"email": "ada@example.org", "password": "guess"})
    assert wrong.status_code == 422 and "not right" in wrong.content.decode()
    assert (
        "Enter a valid"
        in visitor.post("/account/e-mail/", {"email": "ada", "password": "a-long-passphrase"}).content.decode()
    )
    visitor.post("/account/e-mail/", {"email": "ada@example.org", "password": "a-long-passphrase"})
    someone.refresh_from_db()
    assert someone.email == "ada@example.org"
    assert "ada@example.org" in visitor.get("/account/").content.decode()


def test_everything_is_downloaded_as_scenes_that_can_be_read_again(visitor, made) -> None:
    answer = visitor.post("/account/download/")
    archive = zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content)))
    names = archive.namelist()
    scene = document.parse(json.loads(archive.read("three/scene.json")))
    assert {f"three/{layer.art.file}" for layer in scene.layers} <= set(names)
    assert json.loads(archive.read("account.json"))["name"] == "ada"


def test_deleting_an_account_takes_all_that_is_its_own(visitor, made, someone, django_user_model) -> None:
    ben = django_user_model.objects.create_user("ben")
    theirs = Scene.objects.create(owner=ben, title="Ben's")
    Share.objects.create(scene=theirs, account=someone, may="look")
    Comment.objects.create(scene=theirs, author=someone, text="Good")
    asked = {"name": "ada", "password": "a-long-passphrase"}
    assert visitor.post("/account/delete/", {**asked, "name": "ben"}).status_code == 422
    assert visitor.post("/account/delete/", {**asked, "password": "x"}).status_code == 422
    assert Scene.objects.filter(pk=made.pk).exists()
    visitor.post("/account/delete/", asked)
    assert not django_user_model.objects.filter(username="ada").exists()
    assert list(Scene.every.all()) == [theirs] and not Revision.objects.filter(scene_id=made.pk).exists()
    assert Comment.objects.get().author is None and not Share.objects.exists()
    assert visitor.get("/").status_code == 302, "signed out"


def test_what_did_not_change_is_not_sent_again(visitor, made) -> None:
    first = visitor.get(f"/scenes/{made.pk}/picture.webp")
    again = visitor.get(f"/scenes/{made.pk}/picture.webp", headers={"If-None-Match": first["ETag"]})
    assert again.status_code == 304 and not again.content
