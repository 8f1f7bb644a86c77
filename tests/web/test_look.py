"""What the room Look asks the server: statistics and foot lines taken of art, made art by its address, a picked colour."""

import base64
import io
import json

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from clinamen.core import document
from clinamen.core.edits import apply
from clinamen.core.exports import layered
from clinamen.core.made import families
from clinamen.core.motion.states import State
from clinamen.core.raster import render
from clinamen.scenes.actions import bring_in
from clinamen.scenes.models import Scene
from clinamen.scenes.shelf import pictures_of, shelf_of
from tests.conftest import psnr
from tests.fonts import boxes

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
    room = f"/scenes/{made.pk}/look/?layer=front"
    assert "covers no pixel of the view: Front lies over it" in visitor.get(room).content.decode()
    post(visitor, made, "edit/framing", chosen="front", layer="front", x="5000")
    assert "covers no pixel of the view: it falls outside the view" in visitor.get(room).content.decode()
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


def test_words_are_set_in_a_font_that_is_brought_in_and_travel_with_it(visitor, made) -> None:
    post(visitor, made, "edit/made-add", kind="text", text="AB")
    words = head(made).layers[-1]
    size = (words.art.width, words.art.height)

    def bring(name: str, data: bytes, **values: str) -> str:
        return post(visitor, made, "font", chosen=words.id, files=SimpleUploadedFile(name, data), **values)

    for name, data, says in (
        ("a.ttf", b"\0\1\0\0 and nothing more", "a.ttf: is a font that cannot be read whole"),
        ("a.png", b"\x89PNG", "a.png: is no TTF, OTF or WOFF2 font; choose another file"),
        ("a.ttc", b"ttcf0000", "a.ttc: holds several fonts; save the one that is wanted as a file of its own"),
        ("a.otf", b"", "a.otf: is empty"),
    ):
        assert says in bring(name, data)
    assert "no words are chosen" in post(visitor, made, "font", chosen="back")
    assert head(made).layer(words.id) == words, "nothing is lost to a wrong file"
    answer = bring("boxes.otf", boxes("otf"), licence="Bought for the night market")
    assert "set in Boxes" in answer and "Bought for the night market" in answer
    set_now = head(made).layer(words.id)
    assert (
        set_now.art.made.font.licence == "Bought for the night market"
        and (set_now.art.width, set_now.art.height) != size
    )
    art = json.dumps(set_now.art.model_dump())
    assert visitor.get(f"/scenes/{made.pk}/made/x/160.webp", {"art": art}).status_code == 200
    assert "letter for “Z”" in post(visitor, made, "edit/made-set", layer=words.id, chosen=words.id, text="AZ")

    post(visitor, made, "edit/made-set", layer=words.id, family="caveat")
    assert head(made).layer(words.id).art.made.font is None, "a family takes its place"
    kept = made.fonts.get()
    assert "set in Boxes" in post(visitor, made, "font", chosen=words.id, font=str(kept.pk))

    shelf = shelf_of(pictures_of(made), head(made))
    file = layered.write(head(made), shelf)
    again = bring_in.new_scene(made.owner, "", None, None, [SimpleUploadedFile("again.ora", file)]).scene
    assert again.fonts.get().sha256 == kept.sha256 and head(again).fonts == head(made).fonts
    broken = file.replace(b"clinamen/fonts/", b"clinamen/fronts")
    assert (
        "has no clinamen/fonts/boxes.otf"
        in bring_in.new_scene(made.owner, "", None, None, [SimpleUploadedFile("b.ora", broken)]).refused[0]
    )


def picture_in(answer: str) -> np.ndarray:
    data = answer.split('id="glance" src="data:image/jpeg;base64,')[1].split('"', maxsplit=1)[0]
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(data))).convert("RGB"))


def test_a_glance_shows_what_an_edit_would_do_as_the_render_shows_it_and_keeps_nothing(visitor, made) -> None:
    def seen(**values: str) -> np.ndarray:
        answer = post(visitor, made, "edit/light", preview="glance", scroll="0", u="0", v="0", time="0", **values)
        assert answer.startswith('<img id="glance" src="data:image/jpeg;base64,') and "hx-swap-oob" in answer
        return picture_in(answer)

    before = head(made)
    for ambient in ("0.4", "1"):
        picture = seen(ambient=ambient)
        lit = apply(before, "light", {"ambient": ambient})[0]
        scale = picture.shape[1] / before.view.width
        ours = render(lit, State(), shelf_of(pictures_of(made), lit).loader(lit, scale), scale)[..., :3]
        assert psnr(picture, ours) > 28, "art made small first, and JPEG"
    assert head(made) == before
    assert "ambient" in post(visitor, made, "edit/light", preview="glance", ambient="bright")
    assert picture_in(post(visitor, made, "edit/light", preview="glance", ambient="0.7", wide="300")).shape[1] == 300
    kept = visitor.get(f"/scenes/{made.pk}/seen/?wide=300&scroll=0").content.decode()
    scale = 300 / before.view.width
    ours = render(before, State(), shelf_of(pictures_of(made), before).loader(before, scale), scale)[..., :3]
    assert psnr(picture_in(kept), ours) > 30, "the whole view, as it is kept"
    assert picture_in(visitor.get(f"/scenes/{made.pk}/seen/?wide=99999").content.decode()).shape[1] <= 1280
    assert "wide" in visitor.get(f"/scenes/{made.pk}/seen/?wide=much").content.decode()


def test_a_font_that_is_gone_is_named_and_the_room_still_opens(visitor, made) -> None:
    post(visitor, made, "edit/made-add", kind="text", text="AB")
    words = head(made).layers[-1].id
    post(visitor, made, "font", chosen=words, files=SimpleUploadedFile("boxes.ttf", boxes()))
    made.fonts.all().delete()
    families._own_face.cache_clear()
    page = visitor.get(f"/scenes/{made.pk}/look/?layer={words}")
    assert page.status_code == 200 and "the font Boxes is not at hand; bring it in again" in page.content.decode()


def test_a_colour_is_picked_where_it_is_drawn(visitor, made) -> None:
    post(visitor, made, "edit/made-add", kind="solid", colour="#336699")
    told = visitor.get(f"/scenes/{made.pk}/colour/", {"x": "160", "y": "90"}).json()
    assert told["colour"] == "#336699"
    assert visitor.get(f"/scenes/{made.pk}/colour/", {"x": "-5", "y": "90"}).json()["says"] == "outside the view"
    assert visitor.get(f"/scenes/{made.pk}/colour/", {"x": "here"}).status_code == 400
