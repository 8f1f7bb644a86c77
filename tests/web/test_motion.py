"""What the room Motion and the actor's form ask the server: answers in sentences, and nothing lost where something is wrong."""

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from clinamen.core import document
from clinamen.scenes.models import Scene
from tests.web.conftest import png

pytestmark = pytest.mark.django_db


def head(scene: Scene) -> document.Scene:
    return document.parse(Scene.objects.get(pk=scene.pk).head.document)


def bring(visitor, scene: Scene, *files: tuple[str, bytes], **values: str) -> str:
    sent = [SimpleUploadedFile(name, data) for name, data in files]
    answer = visitor.post(
        f"/scenes/{scene.pk}/actor/",
        {"files": sent, "base": Scene.objects.get(pk=scene.pk).head_id, "room": "art", **values},
    )
    assert answer.status_code == 200
    return answer.content.decode()


def test_an_actor_is_brought_in_played_and_measured(visitor, made) -> None:
    said = bring(visitor, made, ("walk.png", png(400, 60, 3)), columns="3")
    assert "400 px wide, which 3 do not divide" in said
    said = bring(visitor, made, ("walk.png", png(400, 60, 3)), columns="4", fps="8", name="Walker")
    assert "Walker brought in: 4 cells, 8 a second" in said and "Time is switched on" in said
    actor = head(made).layers[-1]
    assert actor.frames is not None and (actor.label, actor.frames.count, actor.frames.fps) == ("Walker", 4, 8)
    page = visitor.get(f"/scenes/{made.pk}/motion/?layer={actor.id}").content.decode()
    assert "plays its" in page and 'id="stride-form"' in page
    for ground, stride, says in (
        ("", "", "Choose an actor and the ground"),
        ("back", "40", "One cycle of the feet covers"),
        ("back", "x", "is not a number"),
    ):
        told = visitor.get(
            f"/scenes/{made.pk}/stride/", {"chosen": actor.id, "room": "motion", "ground": ground, "stride": stride}
        )
        assert says in told.content.decode()


def test_in_betweens_of_two_forms_become_an_actor(visitor, made) -> None:
    forms = [(f"smoke-{n}.svg", f'<svg xmlns="http://www.w3.org/2000/svg" width="40" height="40"><circle cx="{9 + n}" cy="20" r="6" fill="#888"/></svg>'.encode())
             for n in (1, 9)]  # fmt: skip
    assert "need two drawings" in bring(visitor, made, forms[0], between="3")
    assert "5 cells" in bring(visitor, made, *forms, between="3", ease="linear")
    assert head(made).layers[-1].art.file.endswith(".svg")


def test_the_largest_move_is_said_and_offered(visitor, made) -> None:
    asked = {"room": "motion", "move": "truck", "driver": "scroll", "land": "start"}
    told = visitor.get(f"/scenes/{made.pk}/largest/", asked).content.decode()
    assert "opens no gap" in told or "Even the smallest" in told
    assert "move: is not known" in visitor.get(f"/scenes/{made.pk}/largest/", {**asked, "move": "hop"}).content.decode()


def test_a_gesture_poses_loosely_and_only_keeping_it_saves(visitor, made) -> None:
    before = Scene.objects.get(pk=made.pk).head_id
    asked = {"room": "motion", "gesture": "truck", "from_x": "0", "from_y": "0", "to_x": "30", "to_y": "0", "loose": ""}
    answer = visitor.get(f"/scenes/{made.pk}/desk/", asked).content.decode()
    assert "Camera truck −30 px" in answer and Scene.objects.get(pk=made.pk).head_id == before
    visitor.post(
        f"/scenes/{made.pk}/edit/keep-pose/",
        {
            "room": "motion",
            "loose": json.dumps({"camera": {"x": -30}}),
            "driver": "scroll",
            "at": "0.5",
            "base": before,
        },
    )
    (track,) = [t for t in head(made).tracks if t.channel == "x"]
    assert [(key.at, key.value) for key in track.keys] == [(0, 0), (0.5, -30)]
    wrong = visitor.get(f"/scenes/{made.pk}/desk/", {**asked, "gesture": "hop"}).content.decode()
    assert "gesture" in wrong and "is not one of" in wrong
