"""A scene is never locked: what a step cannot do waits and says so, what cannot be drawn is not saved, what cannot be read
can be undone."""

import json

import pytest

from clinamen.core import document
from clinamen.core.checks import prove
from clinamen.core.edits import apply
from clinamen.core.prep.base import Around
from clinamen.core.recipes import waiting
from clinamen.scenes.models import Revision, Scene
from clinamen.scenes.rooms.desk import Desk
from tests.conftest import full_sets, layer, noise, scene, shelf_of
from tests.web.test_prepare import edit, head

ROOMS = ("art", "prepare", "depth", "motion", "proof", "export")


def opens(visitor, made) -> None:
    for room in ROOMS:
        assert visitor.get(f"/scenes/{made.pk}/{room}/?layer=front").status_code == 200, room


def test_a_difference_against_another_shape_waits_and_every_room_opens(visitor, made) -> None:
    edit(visitor, made, "step-add", layer="back", step="crop", x="0", y="0", width="100", height="220")
    text = edit(visitor, made, "step-add", layer="front", step="difference", other="back").content.decode()
    assert "step that waits" in text
    opens(visitor, made)
    page = visitor.get(f"/scenes/{made.pk}/prepare/?layer=front").content.decode()
    assert "Waits: Back is 100 × 220 px" in page and "Crop one of them, or choose another layer" in page
    assert "Cut apart" not in page and "/spots/" not in page, "a cut that waits left nothing to take apart or to count"
    proof = visitor.get(f"/scenes/{made.pk}/fixes/?room=proof&layer=front").content.decode()
    assert "Switch “Cut by difference” off" in proof
    visitor.post(f"/scenes/{made.pk}/history/undo/", {"room": "prepare"})
    assert head(made).layer("front").recipe is None


def test_cropping_the_other_layer_afterwards_locks_nothing_either(visitor, made) -> None:
    edit(visitor, made, "step-add", layer="front", step="difference", other="back")
    assert "waits" not in visitor.get(f"/scenes/{made.pk}/prepare/?layer=front").content.decode()
    edit(visitor, made, "step-add", layer="back", step="crop", x="0", y="0", width="100", height="220")
    opens(visitor, made)
    assert "Waits: Back" in visitor.get(f"/scenes/{made.pk}/prepare/?layer=front").content.decode()


def test_a_larger_picture_of_the_same_place_is_fitted() -> None:
    art = noise(120, 80, 1, 12)
    subject = art.copy()
    subject[20:50, 30:70, :3] = 255 - subject[20:50, 30:70, :3] // 2
    import cv2

    larger = cv2.resize(art, (241, 160), interpolation=cv2.INTER_CUBIC)
    made = scene(
        layer("a", 120, 80), layer("b", 241, 160), view={"width": 120, "height": 80},
    )  # fmt: skip
    edited, _ = apply(made, "step-add", {"layer": "a", "step": "difference", "other": "b", "tolerance": "20"})
    assert waiting(edited, edited.layer("a")) == {}
    (step,) = edited.layer("a").recipe.steps
    alpha = step.work(subject, Around(1.0, lambda _: larger))[..., 3]
    assert alpha[25:45, 35:65].mean() > 200 and alpha[60:].mean() < 20


def test_a_step_that_waits_is_a_finding_and_its_fix_ends_it() -> None:
    made = scene(layer("a", 120, 80), layer("b", 100, 100), view={"width": 120, "height": 80})
    made, _ = apply(made, "step-add", {"layer": "a", "step": "difference", "other": "b"})
    (finding,) = [found for found in prove(made, full_sets(made)) if found.check == "wait"]
    assert (finding.layer, finding.severity) == ("a", "warning")
    (fix,) = finding.fixes
    mended, _ = apply(made, fix.edit, fix.values)
    assert [found for found in prove(mended, full_sets(mended)) if found.check == "wait"] == []
    art = {"a": noise(120, 80), "b": noise(100, 100)}
    assert (shelf_of(art).pixels(mended.layer("a")) == art["a"]).all()


def test_an_edit_whose_answer_cannot_be_drawn_is_not_saved(visitor, made, monkeypatch) -> None:
    before = Scene.objects.get(pk=made.pk).head_id

    def fails(self):
        raise ValueError("no drawing")

    monkeypatch.setattr(Desk, "stage", property(fails))
    with pytest.raises(ValueError, match="no drawing"):
        edit(visitor, made, "title", title="Never seen")
    monkeypatch.undo()
    assert Scene.objects.get(pk=made.pk).head_id == before and Revision.objects.filter(scene=made).count() == 1
    opens(visitor, made)


def test_a_document_that_cannot_be_read_is_said_and_can_be_undone(visitor, made) -> None:
    edit(visitor, made, "title", title="Fine")
    fine = Scene.objects.get(pk=made.pk).head
    data = json.loads(json.dumps(fine.document))
    data["layers"][0]["depth"] = -1e9
    broken = Revision.objects.create(scene=made, parent=fine, number=9, document=data, says="Something old")
    Scene.objects.filter(pk=made.pk).update(head=broken)
    answer = visitor.get(f"/scenes/{made.pk}/depth/")
    text = answer.content.decode()
    assert answer.status_code == 409 and "layers[0].depth" in text and "Something old" in text
    kept = visitor.get(f"/scenes/{made.pk}/scene.json")
    assert json.loads(kept.content) == data and "attachment" in kept["Content-Disposition"]
    toast = visitor.get(f"/scenes/{made.pk}/desk/?room=depth", headers={"HX-Request": "true"})
    assert toast.status_code == 200 and "layers[0].depth" in toast.content.decode()
    assert visitor.get("/").status_code == 200
    back = visitor.post(f"/scenes/{made.pk}/history/undo/", {"whole": "1", "room": "depth"}, follow=True)
    assert back.status_code == 200 and document.parse(Scene.objects.get(pk=made.pk).head.document).title == "Fine"
