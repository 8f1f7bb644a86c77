"""Answers carry what changed and nothing else; a hasty one leaves the verdict for later and loses nothing of it."""

import re
from functools import cache

import pytest

from bench.scenes import scene as bench_scene
from clinamen.art import store
from clinamen.core.checks import prove_subject
from clinamen.core.pictures.encoding import encode_png
from clinamen.scenes import answering, proving
from clinamen.scenes.models import Revision, Scene, SceneArt
from clinamen.scenes.rooms import desk
from clinamen.scenes.templatetags import fragments
from tests.conftest import noise


@cache
def crowds_art() -> bytes:
    return encode_png(noise(2400, 1300, 1), level=1)


@pytest.fixture
def crowd(visitor, someone) -> Scene:
    """24 layers, three drivers, a move that goes too far."""
    made = bench_scene(gap=True)
    row = Scene.objects.create(owner=someone, title="Crowd")
    picture = store.keep(crowds_art(), "all.png")
    SceneArt.objects.bulk_create([SceneArt(scene=row, file=x.art.file, picture=picture) for x in made.layers])
    row.head = Revision.objects.create(scene=row, document=made.to_json(), says="made")
    row.save()
    return row


class Page:
    """What a browser keeps of a page: the hidden fields that every request carries."""

    def __init__(self, visitor, scene, room: str = "depth", layer: str = "layer-12") -> None:
        self.visitor, self.scene = visitor, scene
        self.text = visitor.get(f"/scenes/{scene.pk}/{room}/?layer={layer}").content.decode()
        self.fields = self._fields(self.text)

    @staticmethod
    def _fields(text: str) -> dict[str, str]:
        form = re.search(r'<form id="choice".*?</form>', text, re.S).group(0)
        return dict(re.findall(r'name="(\w+)" value="([^"]*)"', form))

    def edit(self, name: str, /, **values: str) -> str:
        return self._taken(self.visitor.post(f"/scenes/{self.scene.pk}/edit/{name}/", {**self.fields, **values}))

    def look(self, **values: str) -> str:
        return self._taken(self.visitor.get(f"/scenes/{self.scene.pk}/desk/", {**self.fields, **values}))

    def _taken(self, answer) -> str:
        self.answer = answer
        text = answer.content.decode()
        self.fields = self._fields(text)
        return text

    def drag(self, rate: float, preview: str = "hasty") -> str:
        return self.edit("depth", layer="layer-12", rate=f"{rate:.4f}", preview=preview)


def swapped(text: str) -> set[str]:
    """Ids of the elements that an answer puts in place."""
    return set(re.findall(r'<\w+ hx-swap-oob="true"[^>]*? id="([^"]+)"', text)) | set(
        re.findall(r'<\w+ id="([^"]+)"[^>]*hx-swap-oob', text)
    )


def test_an_edit_that_was_previewed_is_not_proved_again(visitor, crowd, monkeypatch) -> None:
    proved: list[str] = []

    def counted(subject):
        proved.append("once")
        return prove_subject(subject)

    monkeypatch.setattr(proving, "prove_subject", counted)
    page = Page(visitor, crowd)
    proved.clear()
    page.drag(0.3333, preview="proved")
    assert proved == ["once"]
    page.edit("depth", layer="layer-12", rate="0.3333")
    assert proved == ["once"]
    assert crowd.revisions.count() == 2, "and it was saved"


def test_a_drag_in_24_layers_is_answered_in_less_than_20_kB(visitor, crowd) -> None:
    page = Page(visitor, crowd)
    sizes = [len(page.drag(rate).encode()) for rate in (0.31, 0.315, 0.32, 0.33)]
    assert max(sizes) < 20_000, sizes


def test_a_drag_brings_the_dragged_things_and_no_others(visitor, crowd) -> None:
    page = Page(visitor, crowd)
    page.drag(0.31)
    ids = swapped(page.drag(0.312))
    assert ids >= {"sheet-layer-12", "rung-layer-12", "row-layer-12", "stage-data", "choice"}
    assert not {name for name in ids if name.endswith(("-layer-11", "-layer-13"))} and "ladder" not in ids
    assert "verdict" not in ids, "the verdict comes when the hand rests"


def test_the_same_place_again_brings_next_to_nothing(visitor, crowd) -> None:
    page = Page(visitor, crowd)
    page.drag(0.31)
    assert swapped(page.drag(0.31)) <= {"choice", "toast"}


def test_the_verdict_follows_when_it_is_known(visitor, crowd) -> None:
    page = Page(visitor, crowd)
    page.drag(0.31)
    first = page.drag(1.4, "hasty")
    assert "gap" not in re.sub(r'class="[^"]*"', "", first)
    ids = swapped(page.drag(1.4, "proved"))
    assert ids & {"verdict", "scroll-marks", "stage-data"}


def test_a_row_that_is_redrawn_in_haste_keeps_the_sign_that_the_proof_gave_it(visitor, crowd) -> None:
    page = Page(visitor, crowd)
    sign = re.search(r'<span id="sign-layer-12" class="sign (\w*)"', page.text)
    assert sign and sign.group(1) in ("warning", "error")
    row = re.search(r'<div hx-swap-oob="true" id="row-layer-12".*?</div>', page.drag(0.31), re.S).group(0)
    assert f'class="sign {sign.group(1)}"' in row


def test_a_page_that_is_not_remembered_gets_everything(visitor, crowd) -> None:
    page = Page(visitor, crowd)
    page.fields |= {"page": "unknown", "number": "3"}
    ids = swapped(page.drag(0.31))
    assert ids >= {"ladder", "drawing", "readout", "verdict", "stage-data"}, (
        "all but the history, which no preview changes"
    )


def test_an_answer_that_never_arrived_is_made_up_for(visitor, crowd) -> None:
    page = Page(visitor, crowd)
    held = dict(page.fields)
    page.drag(0.31)
    page.fields = held  # the browser never saw it
    assert "sheet-layer-12" in swapped(page.drag(0.31))


@pytest.mark.parametrize("room", ["art", "prepare", "depth", "motion", "proof", "export"])
def test_every_room_answers_in_parts(visitor, made, room: str) -> None:
    page = Page(visitor, made, room, "front")
    text = page.edit("framing", layer="front", x="12")
    assert "stage-data" in swapped(text)
    whole = visitor.get(f"/scenes/{made.pk}/{room}/?layer=front").content.decode()
    for name in ("readout", "ladder", "drawing"):
        assert f'id="{name}"' in whole or room == "prepare"


def test_an_edit_is_answered_before_it_is_proved_and_the_verdict_is_asked_for(visitor, crowd) -> None:
    page = Page(visitor, crowd)
    text = page.edit("depth", layer="layer-12", rate="1.3741")
    assert page.answer.headers["HX-Trigger"] == "unproved" and "verdict" not in swapped(text)
    assert crowd.revisions.count() == 2, "it is saved"
    sign = re.search(r'<span id="sign-layer-12" class="sign (\w*)"', text)
    assert sign and sign.group(1), "what was known of it stands until then"
    text = page.look(verdict="1")
    assert "HX-Trigger" not in page.answer.headers and swapped(text) >= {"layer-findings", "stage-data"}
    assert "toast" not in swapped(text), "what was said of the edit stands"
    assert swapped(page.look()) <= {"choice", "toast"}, "nothing is missing now"
    page.edit("framing", layer="layer-12", x="3")
    page.look(verdict="1")
    page.edit("depth", layer="layer-12", rate="0.3041")
    assert page.look(room="proof").count("finding") and "HX-Trigger" not in page.answer.headers, (
        "the room Proof waits for it"
    )


def test_what_is_new_has_a_place_for_what_comes_with_the_proof(visitor, crowd) -> None:
    Page(visitor, crowd).edit("remove", layer="layer-11")
    page = Page(visitor, crowd)
    desk._proofs.clear()
    text = page._taken(visitor.post(f"/scenes/{crowd.pk}/history/undo/", page.fields))
    assert page.answer.headers["HX-Trigger"] == "unproved" and text.count('id="sign-layer-11"') == 1
    assert "sign-layer-11" in swapped(page.look(verdict="1"))


def test_what_a_page_says_of_itself_changes_no_driver(visitor, crowd) -> None:
    page = Page(visitor, crowd, "motion")
    assert page.fields["axis"] == "x", "the drawing's"
    page.edit("driver", driver="scroll", length="3000")
    drivers = Scene.objects.get(pk=crowd.pk).head.document["drivers"]
    assert drivers["scroll"]["length"] == 3000 and "axis" not in drivers["scroll"]
    page.edit("driver", driver="scroll", along="x")
    assert Scene.objects.get(pk=crowd.pk).head.document["drivers"]["scroll"]["axis"] == "x"


@pytest.mark.parametrize("odd", ["²", "9" * 5000, "1²", "-1", "1.0", ""])
def test_an_odd_number_in_a_hidden_field_is_never_a_fault_of_ours(visitor, crowd, odd) -> None:
    page = Page(visitor, crowd)
    hidden = dict.fromkeys(("base", "number", "step_chosen", "drawing", "index", "before"), odd)
    address = f"/scenes/{crowd.pk}/edit/"
    kept = crowd.head.document
    for name, values in (("step-set", {}), ("step-add", {"step": "smooth"}), ("step-remove", {})):
        assert (
            visitor.post(f"{address}{name}/", {**page.fields, "layer": "layer-12", **values, **hidden}).status_code
            == 200
        )
    assert (
        visitor.post(f"{address}depth/", {**page.fields, **hidden, "layer": "layer-12", "rate": "0.4"}).status_code
        == 200
    )
    crowd.refresh_from_db()
    assert crowd.head.document != kept, "the one edit that was whole was made"


def test_markup_that_is_kept_from_answer_to_answer_is_never_stale(visitor, made) -> None:
    def without_tokens(text: str) -> str:
        return re.sub(
            r'name="(page|number|csrfmiddlewaretoken)" value="[^"]*"|csrf[^"]*"[^"]*"|"X-CSRFToken[^}]*', "", text
        )

    edits = (
        ("depth", {"layer": "front", "depth": "-120"}), ("depth", {"layer": "back", "depth": "infinite"}),
        ("layer", {"layer": "middle", "visible": "0"}), ("layer", {"layer": "middle", "name": "<Café> & co"}),
        ("framing", {"layer": "front", "rotation": "12", "x": "60"}), ("lens", {"focal_length": "85"}),
        ("driver", {"driver": "time", "on": "1"}), ("travel", {"channel": "x", "driver": "scroll", "end": "900"}),
        ("step-add", {"layer": "front", "step": "soften"}), ("order", {"reverse": "1"}), ("view", {"width": "200"}),
    )  # fmt: skip
    page = Page(visitor, made, "depth", "front")
    addresses = [f"/scenes/{made.pk}/{room}/?layer={x}" for room, x in (("depth", "front"), ("motion", "back"))]
    for name, values in edits:
        before = Scene.objects.get(pk=made.pk).head_id
        page.edit(name, **values)
        assert Scene.objects.get(pk=made.pk).head_id != before, name
        kept = [without_tokens(visitor.get(address).content.decode()) for address in addresses]
        for address, text in zip(addresses, kept, strict=True):
            fragments.forget()
            assert text == without_tokens(visitor.get(address).content.decode()), (name, address)
        for address in addresses:  # what the next edit finds kept
            visitor.get(address)


def test_a_verdict_is_that_of_what_the_page_shows_also_when_another_page_went_on(visitor, crowd) -> None:
    page, other = Page(visitor, crowd), Page(visitor, crowd, layer="layer-03")
    page.edit("framing", layer="layer-12", x="900", y="40", scale="0.5")
    base = page.fields["base"]
    other.edit("framing", layer="layer-03", x="700", y="20", scale="0.5")
    assert other.fields["base"] != base
    alone = page.look(verdict="1")
    assert page.fields["base"] == base and 'id="drawing"' not in alone
    whole = page.look()
    assert page.fields["base"] == other.fields["base"] and 'id="sheet-layer-03"' in whole


@pytest.mark.parametrize("room", ["art", "depth", "motion", "look"])
def test_a_verdict_that_follows_an_answer_leaves_the_page_as_one_drawn_whole_would(visitor, crowd, room: str) -> None:
    page = Page(visitor, crowd, room)
    page.edit("framing", layer="layer-12", x=f"{900 + len(room)}", y=f"{ord(room[0])}", scale="0.5")
    assert page.answer["HX-Trigger"] == "unproved"
    asked = dict(page.fields)
    alone = page.look(verdict="1")
    held = answering.held_by(page.fields["page"], int(page.fields["number"]))
    answering._waiting.clear()  # as where another process gave the answer
    page.fields = asked
    page.look(verdict="1")
    assert held == answering.held_by(page.fields["page"], int(page.fields["number"]))
    assert 'id="drawing"' not in alone and ('id="layer-findings"' in alone) == (room in ("art", "depth"))
