"""What the room Look asks the server: statistics and foot lines taken of art, made art by its address, a picked colour."""

import json

import pytest

from clinamen.core import document
from clinamen.scenes.models import Scene

pytestmark = pytest.mark.django_db


def head(scene: Scene) -> document.Scene:
    return document.parse(Scene.objects.get(pk=scene.pk).head.document)


def post(visitor, scene: Scene, what: str, **values: str):
    asked = {"base": Scene.objects.get(pk=scene.pk).head_id, "room": "look", **values}
    answer = visitor.post(f"/scenes/{scene.pk}/{what}/", asked)
    assert answer.status_code == 200
    return answer.content.decode()


def test_layers_are_brought_together_by_statistics_of_their_art(visitor, made) -> None:
    assert "one layer alone" in post(visitor, made, "together", layers="back", other="", strength="60 %")
    assert "1 layer brought together by 60 %" in post(
        visitor, made, "together", layers="back middle", other="middle", strength="60 %"
    )
    step = head(made).layer("back").look[0]
    assert step.kind == "together" and step.own != step.other
    page = visitor.get(f"/scenes/{made.pk}/look/?layer=back").content.decode()
    assert "look=" in page, "the editor's art has it baked"


def test_a_layer_throws_a_shadow_from_where_its_feet_are(visitor, made) -> None:
    assert "Front throws a shadow" in post(visitor, made, "shadow", chosen="front", towards="40", height="50")
    assert "height: 95 is out of range" in post(visitor, made, "shadow", chosen="front", towards="40", height="95")
    shadow = head(made).layer("front-shadow")
    assert shadow.carrier == "front" and shadow.art.made.of == "front"
    assert visitor.get(f"/scenes/{made.pk}/art/").status_code == 200, "and is listed in Art"


def test_made_art_comes_by_its_address_and_nothing_else_does(visitor, made) -> None:
    art = {"made": {"kind": "panel"}, "width": 90, "height": 40}
    answer = visitor.get(f"/scenes/{made.pk}/made/x/160.webp", {"art": json.dumps(art)})
    assert answer.status_code == 200 and answer["Content-Type"] == "image/webp"
    for wrong in ({"art": "{"}, {"art": json.dumps({"file": "a.png", "width": 1, "height": 1})}, {"art": json.dumps({**art, "width": 90000})},
                  {"art": json.dumps(art), "look": "[1]"}):  # fmt: skip
        assert visitor.get(f"/scenes/{made.pk}/made/x/160.webp", wrong).status_code == 404
    assert visitor.get(f"/scenes/{made.pk}/made/x/161.webp", {"art": json.dumps(art)}).status_code == 404


def test_a_colour_is_picked_where_it_is_drawn(visitor, made) -> None:
    post(visitor, made, "edit/made-add", kind="solid", colour="#336699")
    told = visitor.get(f"/scenes/{made.pk}/colour/", {"x": "160", "y": "90"}).json()
    assert told["colour"] == "#336699"
    assert visitor.get(f"/scenes/{made.pk}/colour/", {"x": "-5", "y": "90"}).json()["says"] == "outside the view"
    assert visitor.get(f"/scenes/{made.pk}/colour/", {"x": "here"}).status_code == 400
