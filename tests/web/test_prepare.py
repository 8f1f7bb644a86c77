"""The rooms Art and Prepare over HTTP: recipes, jobs, the light table, art brought again."""

import io
import json
from datetime import timedelta

import numpy as np
import pytest
from django.utils import timezone
from PIL import Image

from clinamen.core import document
from clinamen.core.exchange import openraster
from clinamen.core.exports import layered
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.reading import decode
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.prep.steps import STEPS
from clinamen.exports.actions.make import make
from clinamen.exports.models import Export
from clinamen.scenes.actions import prepare_art
from clinamen.scenes.models import Preparation, Scene
from clinamen.scenes.rooms import Choice, Desk
from clinamen.scenes.rooms import desk_of as open_room
from clinamen.scenes.shelf import pictures_of, shelf_of
from tests.conftest import noise
from tests.core.test_bringing import TWO_GROUPS, tiff, zipped
from tests.web.conftest import png, upload
from tests.web.test_scenes import edit, head

pytestmark = pytest.mark.django_db

BOX = json.dumps({"box": {"x": 40, "y": 40, "width": 120, "height": 90}})


def desk_of(scene: Scene, layer: str = "front") -> Desk:
    return open_room(Scene.objects.get(pk=scene.pk), Choice("prepare", layer))


@pytest.fixture
def large(visitor, someone) -> Scene:
    """A scene of one picture that is too large to be prepared while somebody waits."""
    visitor.post("/scenes/new/", {"title": "Large", "files": [upload("photo.png", png(1600, 1200))]})
    return someone.scenes.get(title="Large")


def test_pages_groups_and_archives_become_layers_and_the_files_stay_as_they_came(visitor, someone) -> None:
    pages = tiff(noise(40, 30, 1)[..., :3], noise(40, 30, 2)[..., :3])
    archive = zipped(**{"far/hill__png": encode_png(noise(40, 30, 3))})
    files = [upload("stack.tif", pages), upload("two.svg", TWO_GROUPS), upload("art.zip", archive)]
    visitor.post("/scenes/new/", {"title": "Mixed", "width": "40", "height": "30", "files": files})
    scene = someone.scenes.get()
    made = head(scene)
    assert [(x.name, x.group) for x in made.layers] == [
        ("Hill", "far"), ("Stack 1", "Stack"), ("Stack 2", "Stack"), ("sky", "Two"), ("Green hill", "Two"),
    ]  # fmt: skip
    kept = {source.name: source for source in scene.sources.all()}
    assert set(kept) == {"stack.tif", "two.svg", "art.zip"}
    answer = visitor.get(f"/scenes/{scene.pk}/sources/{kept['stack.tif'].pk}/")
    assert b"".join(answer.streaming_content) == pages
    address = desk_of(scene).stage["markup"]
    assert ".svg" in address, "vector art is shown as it is"
    sha = pictures_of(scene)[made.layers[4].art.file].sha256
    svg_answer = visitor.get(f"/art/{sha}.svg")
    assert svg_answer["Content-Type"] == "image/svg+xml" and "sandbox" in svg_answer["Content-Security-Policy"]


def test_pictures_are_placed_and_trimmed_as_wished_and_small_ones_are_named(visitor, someone) -> None:
    art = noise(200, 100, 1)
    art[:, 150:, 3] = 0
    wishes = {"width": "400", "height": "300", "fitting": "fill", "trim": "1"}
    answer = visitor.post("/scenes/new/", {**wishes, "files": [upload("a.png", encode_png(art))]}, follow=True)
    layer = head(someone.scenes.get()).layers[0]
    assert layer.framing.scale == 3 and layer.art.width == 150 and layer.framing.x == pytest.approx(-75)
    assert "A: is 150 × 100 px and shown at 300%" in answer.content.decode()


def test_a_recipe_is_made_undone_and_shown_on_the_light_table(visitor, made) -> None:
    visitor.post(f"/scenes/{made.pk}/step/", {"layer": "front", "step": "rectangle", "room": "prepare"})
    edit(visitor, made, "step-set", layer="front", index=0, data=BOX, soften="0", room="prepare")
    table = desk_of(made).table
    assert table["tool"] == "box" and table["size"] == [400, 240] and table["keeps_frame"]
    before, after = (decode(visitor.get(table[which]).content, which) for which in ("before", "after"))
    assert (before[..., 3] == 255).all() and after[80, 80, 3] == 255 and after[10, 10, 3] == 0
    shown = desk_of(made).stage["markup"]
    address = shown.split('src="')[3].split('"')[0]
    assert "/done/" in address and decode(b"".join(visitor.get(address).streaming_content), "x")[10, 10, 3] == 0
    visitor.post(f"/scenes/{made.pk}/history/undo/")
    visitor.post(f"/scenes/{made.pk}/history/undo/")
    assert head(made).layer("front").recipe is None


def test_wrong_steps_are_answered_with_a_sentence(visitor, made) -> None:
    for values, says in (
        ({"step": "glue"}, "&#x27;glue&#x27; is not one of"),
        ({"step": "soften", "radius": "wide"}, "is not a number"),
        ({"step": "crop"}, "x: field required"),
        ({"step": "outline", "data": "{"}, "data: is not JSON"),
    ):
        answer = edit(visitor, made, "step-add", layer="front", **values)
        assert answer.status_code == 200 and says.lower() in answer.content.decode().lower(), values
    assert head(made).layer("front").recipe is None


def test_a_colour_is_picked_from_the_picture_and_a_border_trimmed(visitor, made) -> None:
    visitor.post(f"/scenes/{made.pk}/step/", {"layer": "front", "step": "key"})
    visitor.post(f"/scenes/{made.pk}/pick/", {"layer": "front", "index": "0", "x": "100", "y": "60"})
    art = shelf_of(pictures_of(made)).original(head(made).layer("front").art.file)
    want = "#" + bytes(np.rint(art[58:63, 98:103, :3].reshape(-1, 3).mean(axis=0)).astype(np.uint8)).hex()
    assert head(made).layer("front").recipe.steps[0].colour == want
    outside = visitor.post(f"/scenes/{made.pk}/pick/", {"layer": "front", "index": "0", "x": "-90", "y": "60"})
    assert "not on the picture" in outside.content.decode()
    edit(visitor, made, "step-remove", layer="front", index=0)
    edit(visitor, made, "step-add", layer="front", step="rectangle", data=BOX, soften="0")
    visitor.post(f"/scenes/{made.pk}/trim/", {"layer": "front"})
    crop = head(made).layer("front").recipe.steps[1]
    assert (crop.x, crop.y, crop.width, crop.height) == (40, 40, 120, 90)


def test_the_joint_of_an_extension_is_measured_and_moved(visitor, made) -> None:
    edit(visitor, made, "step-add", layer="front", step="extend", right="60", method="repeat")
    key = desk_of(made).table_key
    assert "The joint on the right shows" in visitor.get(f"/scenes/{made.pk}/seam/front/{key}/0/").content.decode()
    visitor.post(f"/scenes/{made.pk}/joint/", {"layer": "front", "index": "0"})
    assert head(made).layer("front").recipe.steps[0].overlap >= 8
    key = desk_of(made).table_key
    assert "without the overlap" in visitor.get(f"/scenes/{made.pk}/seam/front/{key}/0/").content.decode()


def test_large_art_is_prepared_by_the_worker_and_a_preview_stands_in(visitor, large) -> None:
    edit(visitor, large, "step-add", layer="photo", step="rectangle", data=BOX, room="prepare")
    row = Preparation.objects.get()
    assert row.status == "waiting"
    desk = desk_of(large, "photo")
    assert desk.waiting and desk.findings == [] and "/draft/" in desk.stage["markup"]
    page = visitor.get(f"/scenes/{large.pk}/proof/").content.decode()
    assert "The proof waits for art" in page and "waits for the worker" in page
    prepare_art.run(row)
    row.refresh_from_db()
    assert row.status == "done" and not desk_of(large, "photo").waiting
    assert desk_of(large, "photo").findings and "/done/" in desk_of(large, "photo").stage["markup"]
    parts = visitor.get(f"/scenes/{large.pk}/preparing/?room=prepare").content.decode()
    assert 'id="readout"' in parts, "when all is done the desk is drawn anew"


def test_art_is_seen_in_the_editor_exactly_as_it_is(visitor, someone) -> None:
    art = noise(120, 80, 31)
    visitor.post("/scenes/new/", {"title": "Seen", "files": [upload("photo.png", encode_png(art))]})
    made = someone.scenes.get(title="Seen")
    desk = desk_of(made, "photo")
    shown = [desk.table["before"], desk.art_address(desk.layer, 1600)]
    edit(visitor, made, "step-add", layer="photo", step="flip")
    flipped = desk_of(made, "photo")
    for address in (*shown, flipped.table["after"], flipped.art_address(flipped.layer, 1600)):
        answer = visitor.get(address)
        data = b"".join(answer.streaming_content) if answer.streaming else answer.content
        want = art if address in shown else art[:, ::-1]
        assert (np.asarray(Image.open(io.BytesIO(data)).convert("RGBA")) == want).all(), address


def test_a_mark_on_a_small_photograph_is_answered_by_a_preview_and_made_fine_by_the_worker(
    visitor, someone, monkeypatch
) -> None:
    visitor.post("/scenes/new/", {"title": "Small", "files": [upload("photo.png", png(680, 450))]})
    made = someone.scenes.get(title="Small")
    edit(visitor, made, "step-add", layer="photo", step="assisted", data=BOX, room="prepare")
    mark = {"belongs": True, "radius": 9, "points": [{"x": 90, "y": 80}]}
    edit(visitor, made, "mark", layer="photo", index=0, data=json.dumps(mark), room="prepare")
    desk = desk_of(made, "photo")
    assert desk.waiting and "ready=1" not in desk.table["after"]
    visitor.get(desk.table["after"])
    with monkeypatch.context() as once:
        once.setattr(
            "clinamen.core.prep.run._work", lambda *work: pytest.fail("worked out twice")
        )  # the thumbnail is the table's picture made small
        assert visitor.get(desk.art_address(desk.layer, 160)).status_code == 200
    (row,) = prepare_art.standing(made, desk.document, desk.shelf)
    page = visitor.get(f"/scenes/{made.pk}/depth/").content.decode()
    assert f"preview; full size in about {row.seconds_left:.0f} s" in page, "in every room, not in Prepare alone"
    prepare_art.run(Preparation.objects.get())
    desk = desk_of(made, "photo")
    assert not desk.waiting and "ready=1" in desk.table["after"]


def test_a_piece_and_what_is_behind_it_are_told_one_after_the_other(visitor, someone) -> None:
    visitor.post("/scenes/new/", {"title": "Two", "files": [upload("photo.png", png(1600, 1200))]})
    made = someone.scenes.get(title="Two")
    edit(visitor, made, "step-add", layer="photo", step="assisted", data=BOX, room="prepare")
    edit(visitor, made, "cut-apart", layer="photo", index=0, room="prepare")
    desk = desk_of(made, "photo")
    piece, behind = prepare_art.standing(made, desk.document, desk.shelf)
    layers = {layer.id: layer for layer in desk.document.layers}
    assert piece.seconds_left == pytest.approx(layers["photo"].recipe.seconds)
    assert behind.seconds_left == pytest.approx(piece.seconds_left + layers["photo-behind"].recipe.seconds)
    prepare_art.run(Preparation.objects.get(pk=piece.pk))
    (behind,) = prepare_art.standing(made, desk.document, desk_of(made, "photo").shelf)
    assert behind.seconds_left == pytest.approx(layers["photo-behind"].recipe.seconds), "nothing is before it any more"
    assert behind.label == "Photo, behind"


def test_the_time_left_follows_how_the_work_goes() -> None:
    row = Preparation(started=timezone.now() - timedelta(seconds=10), share=0.05)
    row.expected = 30.0
    assert row.seconds_left == pytest.approx(28.5, abs=1), "too early to tell by"
    row.share = 0.25
    assert row.seconds_left == pytest.approx(30, abs=1), "a quarter took ten seconds"
    row.started, row.share = timezone.now() - timedelta(seconds=90), 0.9
    assert row.seconds_left == pytest.approx(10, abs=1)
    row.share = 1.0
    assert row.seconds_left >= 1


def test_a_layer_can_be_trimmed_while_its_preview_stands_in(visitor, large) -> None:
    edit(visitor, large, "step-add", layer="photo", step="rectangle", radius="17", data=BOX)
    assert desk_of(large, "photo").waiting
    visitor.post(f"/scenes/{large.pk}/trim/", {"layer": "photo", "room": "prepare"})
    step = head(large).layer("photo").recipe.steps[-1]
    assert step.step == "crop" and 30 <= step.x < 40 and 30 <= step.y < 40, "nothing of it is lost"
    assert 160 < step.x + step.width <= 172 and 130 < step.y + step.height <= 142


def test_preparing_can_be_called_off_and_asked_for_again(visitor, large) -> None:
    edit(visitor, large, "step-add", layer="photo", step="soften", radius="9")
    row = Preparation.objects.get()
    visitor.post(f"/scenes/{large.pk}/preparing/{row.key}/cancel/", {"room": "prepare"})
    prepare_art.run(row)
    row.refresh_from_db()
    assert row.status == "cancelled" and desk_of(large, "photo").waiting
    assert "was called off" in visitor.get(f"/scenes/{large.pk}/prepare/").content.decode()
    visitor.post(f"/scenes/{large.pk}/preparing/{row.key}/again/", {"room": "prepare"})
    prepare_art.run(Preparation.objects.get())
    assert not desk_of(large, "photo").waiting


def test_what_nobody_needs_any_more_is_not_prepared(visitor, large) -> None:
    edit(visitor, large, "step-add", layer="photo", step="soften", radius="9")
    old = Preparation.objects.get()
    edit(visitor, large, "step-set", layer="photo", index=0, radius="5")
    assert not Preparation.objects.filter(pk=old.pk).exists() and Preparation.objects.count() == 1


def test_prepared_art_that_was_lost_is_made_again(visitor, large, tmp_path) -> None:
    edit(visitor, large, "step-add", layer="photo", step="rectangle", radius="31", data=BOX)
    prepare_art.run(Preparation.objects.get())
    made = head(large)
    first = shelf_of(pictures_of(large), made).pixels(made.layers[0])
    for path in (tmp_path / "prepared").rglob("*.png"):
        path.unlink()
    from clinamen.core.pictures import shelf

    shelf._pixels.clear()
    page = visitor.get(f"/scenes/{large.pk}/prepare/").content.decode()
    assert "is not prepared at full size" in page and Preparation.objects.get().status == "done", "looking asks nothing"
    visitor.post(f"/scenes/{large.pk}/preparing/{Preparation.objects.get().key}/again/", {"room": "prepare"})
    assert Preparation.objects.get().status == "waiting"
    assert (shelf_of(pictures_of(large), made).pixels(made.layers[0]) == first).all()


def test_a_photograph_is_cut_apart_into_two_layers_that_stand_ready(visitor, made) -> None:
    edit(visitor, made, "driver", driver="pointer", reach_x="20", reach_y="10")
    edit(visitor, made, "step-add", layer="front", step="rectangle", data=BOX)
    edit(visitor, made, "cut-apart", layer="front", index=0)
    scene = head(made)
    assert [x.id for x in scene.layers][-2:] == ["front-behind", "front"]
    cards = desk_of(made, "front-behind").recipe_cards
    assert cards[-1].kind == "fill" and not cards[-1].wrong and "to spare" in cards[-1].note
    band = visitor.get(desk_of(made, "front-behind").table["band"])
    assert decode(band.content, "band")[..., 3].any()
    edit(visitor, made, "driver", driver="pointer", reach_x="400")
    desk = desk_of(made, "front-behind")
    assert desk.recipe_cards[-1].wrong and [f for f in desk.findings if f.check == "ghost"], (
        "a longer move marks the fill"
    )
    (finding,) = [f for f in desk.fixed_findings.values() if f.check == "ghost"]
    fix = finding.fixes[0]
    edit(visitor, made, fix.edit, **fix.values)
    assert not [f for f in desk_of(made).findings if f.check == "ghost"]


def test_art_is_brought_again_by_name_after_a_look_at_what_matches(visitor, made) -> None:
    edit(visitor, made, "depth", layer="front", depth="77")
    edit(visitor, made, "step-add", layer="front", step="soften", radius="3")
    files = [
        upload("3-front.png", png(800, 480, 9)),
        upload("moon.png", png(50, 50, 8)),
        upload("1-back.png", png(seed=1)),
        upload("bad.png", b"x"),
    ]
    look = visitor.post(f"/scenes/{made.pk}/look-again/", {"files": files, "room": "art"}).content.decode()
    assert "is what is there already" in look and "it is seen as large as before" in look
    assert "Moon" in look and "stays as it is" in look and "bad.png: is not a" in look
    assert len(head(made).layers) == 3, "nothing has changed yet"
    ticket = look.split('name="ticket" value="')[1].split('"')[0]
    visitor.post(f"/scenes/{made.pk}/bring-again/", {"ticket": ticket, "room": "art"})
    layer = head(made).layer("front")
    assert layer.depth == 77 and layer.recipe.steps[0].radius == 6 and layer.framing.scale == 0.5
    assert (layer.art.width, layer.recipe.width) == (800, 800)
    assert [x.name for x in head(made).layers] == ["Back", "Middle", "Front", "Moon"]
    visitor.post(f"/scenes/{made.pk}/history/undo/")
    assert head(made).layer("front").art.width == 400
    refused = visitor.post(f"/scenes/{made.pk}/bring-again/", {"ticket": ticket + "x", "room": "art"}).content.decode()
    assert "drop the files again" in refused


def test_a_renamed_file_is_assigned_by_hand_and_a_larger_canvas_is_asked_about(visitor, made) -> None:
    larger = np.zeros((480, 800, 4), np.uint8)
    larger[:240, :400] = np.asarray(Image.open(io.BytesIO(png(seed=3))).convert("RGBA"))
    files = [upload("completely-other.png", encode_png(larger)), upload("spare.png", png(60, 60, 5))]
    look = visitor.post(f"/scenes/{made.pk}/look-again/", {"files": files, "room": "art"}).content.decode()
    ticket = look.split('name="ticket" value="')[1].split('"')[0]
    assert 'name="to-0"' in look and '<option value="front">Front</option>' in look
    values = {"ticket": ticket, "room": "art", "to-0": "front", "how-0": "canvas", "to-1": ""}
    before = head(made).layer("front").framing
    visitor.post(f"/scenes/{made.pk}/bring-again/", values)
    layer = head(made).layer("front")
    assert [x.name for x in head(made).layers] == ["Back", "Middle", "Front"] and layer.art.width == 800
    assert (layer.framing.x - before.x, layer.framing.y - before.y) == (200 * before.scale, 120 * before.scale)
    assert layer.framing.scale == before.scale


def test_a_layered_file_is_brought_in_again_layer_by_layer(visitor, made) -> None:
    scene = head(made)
    data = layered.write(scene, shelf_of(pictures_of(made), scene))
    edit(visitor, made, "layer", layer="front", name="Renamed since")
    files = [upload("1-back.png", png(seed=41)), upload("3-front.png", png(seed=43))]
    look = visitor.post(f"/scenes/{made.pk}/look-again/", {"files": files, "room": "art"}).content.decode()
    visitor.post(f"/scenes/{made.pk}/bring-again/", {"ticket": look.split('name="ticket" value="')[1].split('"')[0]})
    changed = {x.id: pictures_of(made)[x.art.file].sha256 for x in head(made).layers}
    look = visitor.post(f"/scenes/{made.pk}/look-again/", {"files": [upload("s.ora", data)]}).content.decode()
    visitor.post(f"/scenes/{made.pk}/bring-again/", {"ticket": look.split('name="ticket" value="')[1].split('"')[0]})
    again = {x.id: pictures_of(made)[x.art.file].sha256 for x in head(made).layers}
    first = {x.id: pictures_of(made)[x.art.file].sha256 for x in scene.layers}
    assert again == first != changed and len(head(made).layers) == 3


def test_groups_stand_as_headings_and_survive_the_layered_file(visitor, made) -> None:
    edit(visitor, made, "group", match="*k", group="Distance")
    page = visitor.get(f"/scenes/{made.pk}/art/").content.decode()
    assert 'aria-label="Name of the group Distance"' in page
    scene = head(made)
    data = layered.write(scene, shelf_of(pictures_of(made), scene))
    assert openraster.read(data, "x.ora").scene == scene
    plain = data.replace(b"clinamen/scene.json", b"clinamen/scene.jsoX")
    assert [x.group for x in openraster.read(plain, "x.ora").scene.layers] == ["Distance", "", ""]


def test_others_see_neither_art_nor_table(visitor, client, made, django_user_model) -> None:
    edit(visitor, made, "step-add", layer="front", step="soften")
    table = desk_of(made).table["after"]
    client.force_login(django_user_model.objects.create_user("eve", password="another-long-one"))
    for address in (table, f"/scenes/{made.pk}/prepare/", f"/scenes/{made.pk}/preparing/"):
        assert client.get(address).status_code == 404
    assert client.post(f"/scenes/{made.pk}/look-again/", {}).status_code == 404
    assert document.parse(Scene.objects.get(pk=made.pk).head.document).layer("front").recipe is not None


@pytest.mark.parametrize("kind", STEPS)
def test_every_step_can_be_added_with_one_press_and_is_shown(visitor, made, kind: str) -> None:
    answer = visitor.post(f"/scenes/{made.pk}/step/", {"layer": "front", "step": kind, "room": "prepare"})
    page = answer.content.decode()
    (step,) = head(made).layer("front").recipe.steps
    assert step.step == kind and STEPS[kind].title in page and 'id="step-0"' in page
    (card,) = desk_of(made).recipe_cards
    assert all(field.label for field in card.fields)
    shown = decode(visitor.get(desk_of(made).table["after"]).content, kind)
    assert shown.shape[2] == 4
    for field in card.fields:  # what a card shows can be sent back as it stands
        sent = ("1" if field.value else "0") if field.kind == "switch" else str(field.value)
        said = edit(
            visitor, made, "step-set", layer="front", index=0, room="prepare", **{field.name: sent}
        ).content.decode()
        assert "toast-line wrong" not in said, (field.name, sent)
    assert head(made).layer("front").recipe.steps == (step,)


def test_steps_stay_chosen_as_they_are_added_and_moved(visitor, made) -> None:
    for kind in ("soften", "flip", "grow"):
        page = visitor.post(
            f"/scenes/{made.pk}/step/", {"layer": "front", "step": kind, "room": "prepare"}
        ).content.decode()
    assert 'name="step_chosen" value="2"' in page
    page = edit(
        visitor, made, "step-move", layer="front", index=2, by=-2, room="prepare", chosen="front"
    ).content.decode()
    assert 'name="step_chosen" value="0"' in page
    assert [step.step for step in head(made).layer("front").recipe.steps] == ["grow", "soften", "flip"]


def test_exports_hold_the_art_as_it_was_prepared(visitor, made, tmp_path) -> None:
    edit(visitor, made, "step-add", layer="front", step="rectangle", data=BOX, soften="0")
    visitor.post(f"/scenes/{made.pk}/exports/new/", {"kind": "layered"})
    export = Export.objects.get()
    make(export)
    export.refresh_from_db()
    opened = openraster.read((tmp_path / "store" / export.file).read_bytes(), "x.ora")
    assert opened.scene == head(made)
    shelf = ArtShelf(opened.files.__getitem__, scene=opened.scene)
    assert shelf.pixels(opened.scene.layer("front"))[10, 10, 3] == 0
    back = visitor.post("/scenes/new/", {"files": [upload("x.ora", (tmp_path / "store" / export.file).read_bytes())]})
    assert back.status_code == 302
    again = document.parse(Scene.objects.latest("created").head.document)
    assert again.layer("front").recipe == head(made).layer("front").recipe, (
        "the recipe travels, and so does the original"
    )


def test_a_cut_says_its_islands_and_holes_and_closes_them_in_one_press(visitor, made) -> None:
    edit(visitor, made, "step-add", layer="front", step="brightness", low="0.45", high="1")
    desk = desk_of(made, "front")
    said = visitor.get(f"/scenes/{made.pk}/spots/front/{desk.table_key}/0/").content.decode()
    assert "island" in said and "close the holes" in said and "Make it solid inside" in said
    edit(visitor, made, "tidy", layer="front", index=0, islands="400", holes="400")
    again = visitor.get(f"/scenes/{made.pk}/spots/front/{desk_of(made, 'front').table_key}/0/").content.decode()
    assert "One piece, without holes" in again
