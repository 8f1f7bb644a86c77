"""Art that is lost or damaged on disk: found, said, stood in for, refused by exports, and healed by the same file."""

import io
from pathlib import Path

import pytest
from django.core.files.storage import default_storage
from django.core.management import call_command

from clinamen.art.models import Picture
from clinamen.exports.actions.make import make
from clinamen.exports.models import Export
from clinamen.scenes.models import SceneArt
from tests.web.conftest import png, upload

ROOMS = ("art", "prepare", "depth", "motion", "look", "proof", "export")


def picture_of(made, file: str) -> Picture:
    return SceneArt.objects.get(scene=made, file__contains=file).picture


def told() -> tuple[int, str]:
    out = io.StringIO()
    try:
        call_command("check_store", stdout=out)
    except SystemExit as ended:
        return int(str(ended.code)), out.getvalue()
    return 0, out.getvalue()


def lose(picture: Picture) -> None:
    Path(default_storage.path(picture.name)).unlink()


def damage(picture: Picture) -> None:
    path = Path(default_storage.path(picture.name))
    data = bytearray(path.read_bytes())
    data[len(data) // 2] ^= 255
    path.write_bytes(bytes(data))


@pytest.mark.parametrize("harm", [lose, damage])
def test_what_is_lost_is_found_and_said_by_the_scene_that_needs_it(visitor, made, harm) -> None:
    assert told() == (0, "All files are there and whole\n")
    harm(picture_of(made, "middle"))
    status, lines = told()
    assert status == 1 and "Three" in lines and "middle.png" in lines and lines.count("lost or damaged") == 2


@pytest.mark.parametrize("harm", [lose, damage])
def test_a_scene_with_lost_art_opens_names_it_and_is_healed_by_the_same_file(visitor, made, harm) -> None:
    picture = picture_of(made, "middle")
    harm(picture)
    told()  # a damaged file is known to be one when it was read
    for room in ROOMS:
        page = visitor.get(f"/scenes/{made.pk}/{room}/")
        assert page.status_code == 200 and "middle.png</strong> was lost" in page.content.decode(), room
    shown = visitor.get(f"/art/{picture.sha256}/400.webp")
    assert shown.status_code == 200 and shown["Cache-Control"] == "no-store"
    export = Export.objects.create(scene=made, revision=made.head, kind="layered", options={})
    make(export)
    export.refresh_from_db()
    assert export.status == "failed" and "middle.png" in export.says and "bring the same file in again" in export.says
    again = visitor.post("/scenes/new/", {"title": "Again", "files": [upload("any-name.png", png(seed=2))]})
    assert again.status_code == 302 and told()[0] == 0
    page = visitor.get(f"/scenes/{made.pk}/depth/").content.decode()
    assert "was lost" not in page
    export = Export.objects.create(scene=made, revision=made.head, kind="layered", options={})
    make(export)
    export.refresh_from_db()
    assert export.status == "done"


def test_bringing_lost_art_in_again_in_its_own_scene_says_that_it_is_whole(visitor, made) -> None:
    lose(picture_of(made, "middle"))
    files = [upload("2-middle.png", png(seed=2)), upload("1-back.png", png(seed=1))]
    answer = visitor.post(
        f"/scenes/{made.pk}/look-again/", {"files": files, "room": "art"}, headers={"HX-Request": "true"}
    )
    assert answer["HX-Refresh"] == "true", "nothing is left to decide"
    page = visitor.get(f"/scenes/{made.pk}/art/").content.decode()
    assert "2-middle.png was lost and is whole again" in page and "store. Bring the same file" not in page
    lose(picture_of(made, "middle"))
    files = [upload("2-middle.png", png(seed=2)), upload("3-front.png", png(seed=33))]
    look = visitor.post(f"/scenes/{made.pk}/look-again/", {"files": files, "room": "art"}).content.decode()
    assert "+ whole again" in look and "takes its place" in look


def test_bringing_in_again_what_is_there_already_makes_no_revision(visitor, made) -> None:
    files = [upload("1-back.png", png(seed=1))]
    look = visitor.post(f"/scenes/{made.pk}/look-again/", {"files": files, "room": "art"}).content.decode()
    ticket = look.split('name="ticket" value="')[1].split('"')[0]
    said = visitor.post(f"/scenes/{made.pk}/bring-again/", {"ticket": ticket, "room": "art"}).content.decode()
    made.refresh_from_db()
    assert "Nothing was brought in" in said and made.head.number == 1
