import html
import io
import json
import re
import zipfile

import numpy as np
import pytest

from clinamen.core import document
from clinamen.core.exports import layered
from clinamen.scenes import answers
from clinamen.scenes.actions import revise
from clinamen.scenes.merging import flatten, merge, unflatten
from clinamen.scenes.models import Revision, Scene
from clinamen.scenes.shelf import pictures_of, shelf_of
from tests.web.conftest import picture_of, png, stage_of, upload

pytestmark = pytest.mark.django_db


def head(scene: Scene) -> document.Scene:
    scene.refresh_from_db()
    return document.parse(scene.head.document)


def edit(visitor, scene: Scene, which: str, base: int | None = None, **values: object):
    base = base or Scene.objects.get(pk=scene.pk).head_id
    return visitor.post(f"/scenes/{scene.pk}/edit/{which}/", {"base": base, "room": "depth", **values})


def test_dropped_files_become_a_scene_in_name_order(made) -> None:
    scene = head(made)
    assert [layer.name for layer in scene.layers] == ["Back", "Middle", "Front"]
    assert (scene.view.width, scene.view.height, scene.title) == (320, 180, "Three")
    assert scene.drivers.scroll and scene.drivers.pointer


def test_refused_files_are_named_and_the_others_kept(visitor, someone) -> None:
    whole = png()
    files = [
        upload("good.png", whole),
        upload("notes.txt", b"hello"),
        upload("half.png", whole[: len(whole) // 2]),
        upload("empty.png", b""),
    ]
    answer = visitor.post("/scenes/new/", {"title": "", "width": "", "height": "", "files": files}, follow=True)
    text = answer.content.decode()
    assert [layer.name for layer in head(someone.scenes.get()).layers] == ["Good"]
    for sentence in ("notes.txt: is not a PNG, JPEG", "half.png: is damaged or cut short", "empty.png: is empty"):
        assert sentence in text, "said where the visitor lands"


def test_nothing_usable_makes_no_scene_and_keeps_what_was_typed(visitor, someone) -> None:
    answer = visitor.post(
        "/scenes/new/", {"title": "My reef", "width": "640", "height": "x", "files": [upload("a.png", b"x")]}
    )
    text = answer.content.decode()
    assert (
        answer.status_code == 422
        and 'value="My reef"' in text
        and 'value="640"' in text
        and "height: &#x27;x&#x27; is not a number" in text
    )
    assert not someone.scenes.exists()


def test_the_same_picture_is_stored_once(visitor, someone, tmp_path) -> None:
    data = png()
    visitor.post("/scenes/new/", {"files": [upload("a.png", data), upload("b.png", data)]})
    assert len(head(someone.scenes.get()).layers) == 2
    assert len(list((tmp_path / "store").rglob("*.png"))) == 1


def test_scenes_are_invisible_to_others(made, client, django_user_model) -> None:
    sha = pictures_of(made)["art/1-back.png"].sha256
    client.force_login(django_user_model.objects.create_user("eve"))
    assert "Three" not in client.get("/").content.decode()
    for address in (
        f"/scenes/{made.pk}/depth/",
        f"/scenes/{made.pk}/picture.webp",
        f"/art/{sha}/160.webp",
        f"/scenes/{made.pk}/desk/",
    ):
        assert client.get(address).status_code == 404, address
    for address in (
        f"/scenes/{made.pk}/edit/title/",
        f"/scenes/{made.pk}/delete/",
        f"/scenes/{made.pk}/exports/new/",
        f"/scenes/{made.pk}/history/undo/",
    ):
        assert client.post(address, {"title": "mine", "kind": "web"}).status_code == 404, address
    assert Scene.objects.filter(pk=made.pk).exists()


@pytest.mark.parametrize("room", ["art", "prepare", "depth", "motion", "proof", "export"])
def test_every_room_opens(visitor, made, room: str) -> None:
    answer = visitor.get(f"/scenes/{made.pk}/{room}/")
    assert answer.status_code == 200 and 'id="ladder"' in answer.content.decode()
    assert visitor.get(f"/scenes/{made.pk}/attic/").status_code == 404


def test_an_edit_is_a_new_revision_and_can_be_undone_and_redone(visitor, made) -> None:
    first = head(made)
    edit(visitor, made, "depth", layer="back", depth="1234")
    edit(visitor, made, "layer", layer="front", name="Ferns")
    assert head(made).layer("back").depth == 1234 and head(made).layer("front").name == "Ferns"
    visitor.post(f"/scenes/{made.pk}/history/undo/")
    assert head(made).layer("front").name == "Front" and head(made).layer("back").depth == 1234
    visitor.post(f"/scenes/{made.pk}/history/undo/")
    assert head(made) == first
    visitor.post(f"/scenes/{made.pk}/history/redo/")
    visitor.post(f"/scenes/{made.pk}/history/redo/")
    assert head(made).layer("front").name == "Ferns"
    assert "nothing to redo" in visitor.post(f"/scenes/{made.pk}/history/redo/").content.decode().lower()


def test_an_edit_after_undo_ends_the_way_to_redo_but_keeps_the_revision(visitor, made) -> None:
    edit(visitor, made, "depth", layer="back", depth="10")
    visitor.post(f"/scenes/{made.pk}/history/undo/")
    edit(visitor, made, "depth", layer="back", depth="20")
    assert "nothing to redo" in visitor.post(f"/scenes/{made.pk}/history/redo/").content.decode().lower()
    assert {r.document["layers"][0]["depth"] for r in made.revisions.all()} >= {10, 20}


def test_a_preview_shows_the_change_and_saves_nothing(visitor, made) -> None:
    before = made.revisions.count()
    answer = edit(visitor, made, "depth", layer="back", depth="infinite", preview="1")
    assert "∞" in answer.content.decode() and made.revisions.count() == before


def test_quick_nudges_of_one_control_share_a_revision(visitor, made) -> None:
    for depth in ("100", "110", "120"):
        edit(visitor, made, "depth", layer="back", depth=depth, nudge="1")
    assert head(made).layer("back").depth == 120
    visitor.post(f"/scenes/{made.pk}/history/undo/")
    assert head(made).layer("back").depth not in (100, 110), "one step back undoes them all"


def test_a_refused_number_says_so_and_changes_nothing(visitor, made) -> None:
    before = made.revisions.count()
    answer = edit(visitor, made, "depth", layer="back", depth="banana")
    text = answer.content.decode()
    assert "is not a number" in text and 'id="readout"' not in text, "what was typed is not drawn over"
    assert made.revisions.count() == before


def test_two_windows_merge_what_is_different_and_refuse_what_is_the_same(visitor, made) -> None:
    base = Scene.objects.get(pk=made.pk).head_id
    edit(visitor, made, "depth", base, layer="back", depth="500")
    edit(visitor, made, "depth", base, layer="front", depth="-100")
    both = head(made)
    assert (both.layer("back").depth, both.layer("front").depth) == (500, -100)
    answer = edit(visitor, made, "depth", base, layer="back", depth="900")
    assert "was not saved: you changed the same meanwhile" in answer.content.decode()
    assert head(made).layer("back").depth == 500
    kept = Revision.objects.get(scene=made, refused=True)
    assert document.parse(kept.document).layer("back").depth == 900, "the refused version is kept"


def test_an_edit_that_is_merged_is_drawn_before_the_scene_is_locked(visitor, made, monkeypatch) -> None:
    """Whoever else edits the scene waits for the lock, and must not wait for the drawing of what others changed."""
    base = Scene.objects.get(pk=made.pk).head_id
    edit(visitor, made, "depth", base, layer="back", depth="500")
    events: list[str] = []
    parts, locked = answers.parts, revise.locked
    monkeypatch.setattr(answers, "parts", lambda *told, **more: events.append("drawn") or parts(*told, **more))
    monkeypatch.setattr(revise, "locked", lambda scene: events.append("locked") or locked(scene))
    answer = edit(visitor, made, "depth", base, layer="front", depth="-100").content.decode()
    assert events == ["drawn", "locked"] and "merged with what changed meanwhile" in answer
    assert (head(made).layer("back").depth, head(made).layer("front").depth) == (500, -100)


def test_a_version_kept_aside_can_be_taken_up_undone_or_thrown_away(visitor, made) -> None:
    base = Scene.objects.get(pk=made.pk).head_id
    edit(visitor, made, "depth", layer="back", depth="500")
    for depth in ("900", "901"):
        edit(visitor, made, "depth", base, layer="back", depth=depth)
    first, second = Revision.objects.filter(scene=made, refused=True).order_by("pk")
    assert "Kept aside (2)" in visitor.get(f"/scenes/{made.pk}/depth/").content.decode()
    visitor.post(f"/scenes/{made.pk}/kept/{second.pk}/take/")
    assert head(made).layer("back").depth == 901
    again = visitor.post(f"/scenes/{made.pk}/kept/{second.pk}/take/").content.decode()
    assert "not kept aside any more" in again and "Kept aside (1)" in again
    visitor.post(f"/scenes/{made.pk}/kept/{first.pk}/throw/")
    assert not Revision.objects.filter(refused=True).exists() and head(made).layer("back").depth == 901
    visitor.post(f"/scenes/{made.pk}/history/undo/")
    assert head(made).layer("back").depth == 500, "taking up is a step like any other"


def test_somebody_elses_kept_version_cannot_be_taken_up(visitor, made, client, django_user_model) -> None:
    base = Scene.objects.get(pk=made.pk).head_id
    edit(visitor, made, "depth", layer="back", depth="500")
    edit(visitor, made, "depth", base, layer="back", depth="900")
    kept = Revision.objects.get(refused=True)
    client.force_login(django_user_model.objects.create_user("eve"))
    assert client.post(f"/scenes/{made.pk}/kept/{kept.pk}/take/").status_code == 404


def test_merging_is_by_thing_not_by_place() -> None:
    base = {"title": "t", "layers": [{"id": "a", "depth": 0}, {"id": "b", "depth": 0}], "tracks": [], "drivers": {}}
    mine = {**base, "layers": [{"id": "b", "depth": 0}, {"id": "a", "depth": 0}]}
    theirs = {**base, "layers": [{"id": "a", "depth": 7}, {"id": "b", "depth": 0}], "title": "u"}
    joined = merge(base, mine, theirs)
    assert joined and joined["title"] == "u" and joined["layers"] == [{"id": "b", "depth": 0}, {"id": "a", "depth": 7}]
    assert merge(base, {**base, "title": "x"}, theirs) is None
    assert unflatten(flatten(theirs)) == theirs


def test_more_pictures_are_laid_in_front(visitor, made) -> None:
    files = [upload("ray.png", png(seed=9)), upload("bad.png", b"no")]
    answer = visitor.post(f"/scenes/{made.pk}/layers/", {"files": files, "room": "art"})
    assert [layer.name for layer in head(made).layers][-1] == "Ray" and "bad.png" in answer.content.decode()


def test_the_computed_extension_is_applied_with_new_art_and_the_original_kept(visitor, made) -> None:
    old = head(made).layer("front")
    fix = {"layer": "front", "side": "left"}
    edit(visitor, made, "extend", pixels=25, **fix)
    new = head(made).layer("front")
    assert (new.art.width, new.framing.x) == (old.art.width + 25, old.framing.x - 12.5) and new.art.file == old.art.file
    shelf = shelf_of(pictures_of(made), head(made))
    assert (shelf.pixels(new)[:, 25:] == shelf.pixels(old)).all()
    edit(visitor, made, "extend", pixels=5, **fix)
    assert (
        len(head(made).layer("front").recipe.steps) == 1 and head(made).layer("front").art.width == old.art.width + 30
    )


def test_the_proof_room_shows_each_worst_moment_and_its_fixes(visitor, made) -> None:
    edit(visitor, made, "driver", driver="pointer", reach_x="300")
    page = visitor.get(f"/scenes/{made.pk}/proof/").content.decode()
    assert "▲ Gap" in page and "uncovered at the" in page
    fixes = visitor.get(f"/scenes/{made.pk}/fixes/?room=proof").content.decode()
    assert 'data-fix="scale"' in fixes and 'data-fix="reach"' in fixes
    picture = picture_of(visitor.get(f"/scenes/{made.pk}/moment/0.webp"))
    marked = (np.abs(picture.astype(int) - [200, 68, 27]).sum(axis=2) < 60).mean()
    assert marked > 0.002, "the gap is outlined"
    assert visitor.get(f"/scenes/{made.pk}/moment/99.webp").status_code == 404


def test_the_view_is_the_players_and_follows_edits(visitor, made) -> None:
    stage = stage_of(edit(visitor, made, "framing", layer="front", x="33"))
    assert "translate(calc(33*1px)" in stage["css"] and stage["markup"].count("data-layer=") == 3
    hidden = stage_of(edit(visitor, made, "layer", layer="front", visible="0"))
    assert hidden["markup"].count("data-layer=") == 2


def test_an_openraster_scene_comes_back_the_same(visitor, someone, made) -> None:
    edit(visitor, made, "framing", layer="front", rotation="12", scale="0.7")
    scene = head(made)
    data = layered.write(scene, shelf_of(pictures_of(made)))
    assert zipfile.ZipFile(io.BytesIO(data)).testzip() is None
    visitor.post("/scenes/new/", {"title": "", "width": "1", "height": "1", "files": [upload("three.ora", data)]})
    again = someone.scenes.exclude(pk=made.pk).get()
    assert head(again) == scene
    assert {f: p.sha256 for f, p in pictures_of(again).items()} == {f: p.sha256 for f, p in pictures_of(made).items()}


def test_titles_are_escaped_wherever_they_stand(visitor, made) -> None:
    edit(visitor, made, "title", title='</script><script>alert(1)</script>"')
    for room in ("art", "depth", "proof"):
        assert "<script>alert" not in visitor.get(f"/scenes/{made.pk}/{room}/").content.decode()
    assert "<script>alert" not in edit(visitor, made, "depth", layer="back", depth="1").content.decode()


def test_deleting_asks_by_post_and_removes_the_scene(visitor, made) -> None:
    assert visitor.get(f"/scenes/{made.pk}/delete/").status_code == 405
    visitor.post(f"/scenes/{made.pk}/delete/")
    assert not Scene.objects.filter(pk=made.pk).exists()


def test_a_photograph_comes_whole_in_a_view_of_its_own_shape(visitor, someone) -> None:
    visitor.post("/scenes/new/", {"title": "Portrait", "files": [upload("ada.png", png(1500, 2400))]})
    made = someone.scenes.get()
    assert (head(made).view.width, head(made).view.height) == (1200, 1920)
    assert head(made).layers[0].framing.scale == pytest.approx(0.8)
    visitor.post(f"/scenes/{made.pk}/layers/", {"files": [upload("again.png", png(1500, 2400))], "room": "art"})
    assert head(made).layers[1].framing.scale == pytest.approx(0.8), "a second picture of that size lines up with it"
    visitor.post(
        "/scenes/new/",
        {"title": "Asked", "width": "1920", "height": "1080", "files": [upload("ada.png", png(2400, 1350))]},
    )
    asked = head(someone.scenes.get(title="Asked"))
    assert asked.layers[0].framing.scale == 1 and asked.view.width == 1920, "room to move, as it was asked for"
    visitor.post("/scenes/new/", {"title": "Wide", "width": "960", "files": [upload("ada.png", png(2400, 1200))]})
    wide = head(someone.scenes.get(title="Wide"))
    assert (wide.view.height, wide.layers[0].framing.scale) == (480, pytest.approx(0.4))


def test_what_shows_nothing_and_what_is_lettered_otherwise_is_said_at_once(visitor, someone) -> None:
    import numpy as np

    from clinamen.core.pictures.encoding import encode_png
    from tests.core.test_bringing import lettered

    clear = encode_png(np.zeros((30, 40, 4), np.uint8))
    files = [upload("a.png", png(40, 30)), upload("clear.png", clear), upload("sign.svg", lettered("Fancy"))]
    page = visitor.post("/scenes/new/", {"title": "Said", "files": files}, follow=True).content.decode()
    assert "clear.png: shows nothing, every pixel of it is clear" in page
    assert "the font family “Fancy” is not here: its text is drawn in DejaVu Sans" in page
    made = someone.scenes.get(title="Said")
    stage = visitor.get(f"/scenes/{made.pk}/depth/").content.decode()
    assert ".svg" not in stage.split('id="stage-data"')[1].split("</script>")[0], (
        "the view shows the letters of every export"
    )


def test_a_loop_is_planned_and_closed_in_one_press(visitor, someone) -> None:
    visitor.post(
        "/scenes/new/",
        {"title": "Walk", "files": [upload("far.png", png(400, 200)), upload("near.png", png(300, 200))]},
    )
    scene = someone.scenes.get(title="Walk")
    room, plan = f"/scenes/{scene.pk}/motion/", f"/scenes/{scene.pk}/loops/"
    assert "switch time on first" in visitor.get(plan, {"speed": "60", "most": "500"}).content.decode()
    edit(visitor, scene, "driver", driver="time", on="1")
    assert "loop-plan" not in visitor.get(room).content.decode(), "nothing repeats yet"
    for layer in head(scene).layers:
        edit(visitor, scene, "layer", layer=layer.id, repeat_x="tile")
    page = visitor.get(room).content.decode()
    assert 'id="loop-plan"' in page and "400 px" in page
    told = visitor.get(plan, {"speed": "60", "most": "900", "locked-far": "1"}).content.decode()
    assert "Far 1\u00a0×" in told and "Close it so" in told
    assert "type one such as 12.5" in visitor.get(plan, {"speed": "slow", "most": "900"}).content.decode()
    values = json.loads(html.unescape(re.search(r'hx-vals="([^"]*)"', told)[1]))
    edit(visitor, scene, "loop", **values)
    made = head(scene)
    assert made.drivers.time.loop and made.drivers.time.duration == int(values["frames"]) / made.drivers.time.fps
    assert any(t.target == "camera" and t.channel == "x" for t in made.tracks)


def test_a_finding_is_accepted_with_a_note_and_counted_again(visitor, made) -> None:
    for values in ({"layer": made.head.document["layers"][0]["id"], "scale": "0.5"},):
        visitor.post(f"/scenes/{made.pk}/edit/framing/", values)
    for layer in made.head.document["layers"][1:]:
        visitor.post(f"/scenes/{made.pk}/edit/layer/", {"layer": layer["id"], "visible": "0"})
    shown = visitor.get(f"/scenes/{made.pk}/proof/").content.decode()
    named = re.search(r'name="finding" value="(gap/[^"]*)"', shown)[1]
    amount = re.search(r'name="amount" value="([^"]*)"', shown)[1]
    assert "Accept as intended" in shown and "Holds everywhere" not in shown
    values = {"finding": named, "amount": amount, "note": "a window <in> the wall"}
    visitor.post(f"/scenes/{made.pk}/edit/accept/", values)
    shown = visitor.get(f"/scenes/{made.pk}/proof/").content.decode()
    assert "Accepted as intended: a window &lt;in&gt; the wall" in shown and "Count it again" in shown
    assert "gap" not in re.search(r'id="verdict".*?</a>', shown, re.DOTALL)[0].split("title=")[0]
    visitor.post(f"/scenes/{made.pk}/edit/unaccept/", {"finding": named})
    assert "Count it again" not in visitor.get(f"/scenes/{made.pk}/proof/").content.decode()


def test_a_scene_in_which_nothing_moves_says_so(visitor, made) -> None:
    """Drivers are there from the start, so that a scene moves under the pointer; without them nothing is proved by holding."""
    shown = visitor.get(f"/scenes/{made.pk}/depth/").content.decode()
    assert "Nothing moves yet" not in shown
    head = made.head
    head.document["drivers"] = {}
    still = Revision.objects.create(scene=made, parent=head, document=head.document, says="still", number=99)
    Scene.objects.filter(pk=made.pk).update(head=still)
    shown = visitor.get(f"/scenes/{made.pk}/depth/?verdict=1").content.decode()
    assert "Nothing moves yet" in shown and "Holds everywhere" not in shown


def test_a_scene_whose_sizes_differ_from_its_files_opens_and_takes_them_over_by_one_press(visitor, someone) -> None:
    """The document says 200 × 120 px of art that is 400 × 240: rooms open on stretched art, exports are refused, a press mends it."""
    visitor.post("/scenes/new/", {"title": "Two", "width": "320", "height": "180", "files": [
        upload("back.png", png(seed=1)), upload("front.png", png(seed=2))]})  # fmt: skip
    made = someone.scenes.get(title="Two")
    told = made.head.document
    for each in told["layers"]:
        each["art"] |= {"width": 200, "height": 120}
    made.head.document = told
    made.head.save()
    for room in ("depth", "motion", "look", "proof", "art", "export"):
        page = visitor.get(f"/scenes/{made.pk}/{room}/").content.decode()
        assert "its file is 400 × 240 px, and the scene says 200 × 120 px" in page, room
    sizes = re.search(r'"sizes": "([^"]+)"', html.unescape(page))[1]
    answer = visitor.post(f"/scenes/{made.pk}/edit/take-sizes/", {"base": made.head_id, "sizes": sizes})
    assert answer.status_code == 200 and "its file is" not in answer.content.decode()
    made.refresh_from_db()
    layers = document.parse(made.head.document).layers
    assert [(each.art.width, each.art.height) for each in layers] == [(400, 240)] * 2
    assert [each.framing.scale for each in layers] == [
        pytest.approx(old["framing"]["scale"] / 2) for old in told["layers"]
    ]
