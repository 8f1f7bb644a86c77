"""Every control of every room is pressed over a scene that has one of everything: each does something that undo takes back, or says
why not; none is silent, none breaks."""

from typing import Any

import numpy as np
import pytest

from clinamen.core.checks.base import CHECKS
from clinamen.core.document import Scene as Document
from clinamen.core.document import parse
from clinamen.core.edits import EDITS
from clinamen.core.pictures.encoding import encode_png
from clinamen.scenes.models import Scene
from tests.agreement.cases import ART, strip
from tests.browser.test_whole_job import make_scene
from tests.browser.walking import OWN, WHOLE, Walk
from tests.conftest import layer, noise, scene, track

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.slow]


def one_of_everything() -> tuple[Document, dict[str, np.ndarray]]:
    """A scene with one of all that a control is for; little moves far, so that it is quickly proved."""
    art = {
        "back": ART["back"],
        "piece": ART["piece"],
        "walker": strip(3, 2, 5),
        "cut": noise(260, 200, 4),
        "path": noise(300, 80, 5),
    }
    files = {"width": 260, "height": 200}
    made = scene(
        layer("back", 620, 430, depth=900, framing={"scale": 2.2}),
        layer("piece", 260, 200, depth=-120, framing={"x": 30, "y": 10, "rotation": 12}, tilt={"turn": 8}, anchor={"x": -70, "y": 40},
              carrier="raft", group="House / Porch"),
        layer("walker", 260, 200, depth=60, framing={"x": -60, "y": 20, "scale": 0.4}, frames={"columns": 3, "rows": 2, "count": 5, "fps": 6}),
        layer("cut", 260, 200, depth=200, group="House", art={"file": "art/cut.png", "width": 200, "height": 150}, recipe={**files, "steps": [
            {"step": "rectangle", "box": {"x": 20, "y": 20, "width": 200, "height": 150}}, {"step": "crop", "x": 20, "y": 20, "width": 200, "height": 150}]},
            look=[{"step": "drop", "distance": 12, "blur": 4}, {"step": "curve", "points": [{"x": 0, "y": 0}, {"x": 0.4, "y": 0.6}, {"x": 1, "y": 1}]}]),
        layer("path", 300, 80, depth=40, framing={"y": 90}, repeat={"x": "tile", "y": "none"}, foot={"x": 0, "y": 40}),
        layer("words", 240, 80, art={"made": {"kind": "text", "text": "Quarry"}, "width": 240, "height": 80}, depth=-40),
        layer("mist", 300, 120, art={"made": {"kind": "fog"}, "width": 300, "height": 120}, depth=100),
        layer("pane", 120, 90, art={"made": {"kind": "panel"}, "width": 120, "height": 90}, depth=-80, backdrop={"blur": 6}),
        view={"width": 480, "height": 270, "background": "#3a6a74"}, lens={"aperture": 2.8, "pixels_per_metre": 300},
        carriers=[{"id": "raft", "at": {"x": -40, "y": 30}}, {"id": "house", "at": {"x": 0, "y": 60}, "depth": 30}],
        groups=[{"name": "House", "carrier": "house"}], ground={"horizon": -60, "eye": 220}, light={"key": {}}, frame={"aspect": 2.0},
        drivers={"scroll": {"length": 900}, "pointer": {"reach_x": 6, "reach_y": 3}, "time": {"duration": 4, "loop": True}},
        tracks=[
            track("camera", "x", "scroll", (0, 0, "ease-in-out"), (0.5, 12, [0.3, 0, 0.4, 1]), (1, 20)), track("camera", "z", "scroll", (0, 0), (1, 8)),
            track("camera", "focus", "scroll", (0, 0), (1, 0.1)), track("piece", "x", "scroll", (0, 0), (1, 9)),
            track("walker", "x", "time", (0, 0), (2, 8), (4, 0)), track("raft", "y", "scroll", (0, 0), (1, -5)),
            {"target": "mist", "channel": "x", "driver": "time", "drift": {"reach": 4, "pace": 0.5, "seed": 3}},
        ],
    )  # fmt: skip
    return made, art


UNWORKED = ("art",)  # rooms in which nothing waits for the worker, which would prove every press beside the walk


@pytest.fixture
def walk(visitor: Any, request: Any, monkeypatch: Any) -> Walk:
    if request.node.callspec.params["room"] not in UNWORKED:
        request.getfixturevalue("worker")
    # what is found has its buttons in Proof; edges and cuts take longer than all else, and have none that gaps have not
    for name in ("edge", "cut") if request.node.callspec.params["room"] == "proof" else CHECKS:
        monkeypatch.setattr(type(CHECKS[name]), "run", lambda check, subject: [])
    made, art = one_of_everything()
    make_scene(visitor, **{name: encode_png(pixels) for name, pixels in art.items()}, width="480", height="270")
    kept = Scene.objects.select_related("head").latest("created")
    files = {each["id"]: each["art"]["file"] for each in kept.head.document["layers"]}
    told = made.to_json()
    for each in told["layers"]:
        if "file" in each["art"]:
            each["art"]["file"] = files[each["id"]]
    kept.head.document = parse(told).to_json()
    kept.head.save()
    names = [*(each.id for each in made.layers), *(carrier.id for carrier in made.carriers), "House", "Porch"]
    return Walk(visitor, kept, names)


PLACES = {
    "art": ["layer=back", "layer=piece"],
    "prepare": ["layer=cut", "layer=cut&step_chosen=0", "layer=back"],
    "depth": ["layer=back", "layer=piece", "layer=path", "layer=back&drawn=turntable", "layer=cut&many=cut back"],
    "motion": ["layer=piece", "layer=piece&fan_driver=scroll&knots=camera x scroll 0.5", "layer=piece&drawn=curve&fan_driver=scroll&open_thread=thread-camera-x-scroll",
               "layer=walker&fan_driver=time", "layer=piece&drawn=fan", "layer=piece&drawn=way", "layer=back&hand=layer&fan_driver=scroll"],
    "look": ["layer=cut", "layer=words", "layer=mist", "layer=pane", "layer=walker", "layer=cut&drawn=tones"],
    "proof": ["layer=back", "layer=back&drawn=map"],
    "export": ["layer=back"],
}  # fmt: skip


# The edits that each room's controls make here. An edit that is new stands here, or below with how it is reached.
EDITS_OF = {
    "art": "group group-as-one group-shift layer order remove remove-many rename-group rename-many show-many step-many view",
    "prepare": "cut-apart recipe-copy step-move step-remove step-set tidy",
    "depth": "depth foot framing ground group-shift lay-out layer lens spread tilt title",
    "motion": "actor add-knot anchor bend carrier carry copy-motion cross drift driver enter even-pace fit-depth keep-pose loop move new-carrier "
              "paste-knots path-bends path-knot remove-carrier remove-knots retime ride set-knots settle target travel turn-round",
    "look": "air aperture confusion film focus frame layer light look-add look-move look-remove look-set made-add made-set metre no-pull pull-focus takes",
    "proof": "purpose",
    "export": "description",
}  # fmt: skip
NOT_WALKED = {
    "fixes of findings that this scene has not": "ease-at extend focus-at level meet-ends pointer-reach shorten take-sizes open-behind scale-many extend-many order-by-depth accept unaccept",
    "a hand on a drawing, the view or the light table": "anchor-at fade-at mark move-knots order-many path-tie reverse-knots scale-knots",
    "views of their own that look at the art first": "bring-together cast-shadow extend-needed fill-reach look-copy step-add",
}  # fmt: skip


def test_every_edit_has_a_control_that_is_pressed_or_is_known_to_have_none_here() -> None:
    pressed = {edit for edits in EDITS_OF.values() for edit in edits.split()}
    apart = {edit for edits in NOT_WALKED.values() for edit in edits.split()}
    assert pressed | apart == set(EDITS) and not pressed & apart


COMMON = r"\bf-(?!purpose)[a-z-]+ "  # fields of the layer and the view, which stand in the room Art too


@pytest.mark.long
@pytest.mark.parametrize("room", PLACES)
def test_every_control_does_something_or_says_why_not(walk: Walk, live_server: Any, room: str) -> None:
    for number, place in enumerate(PLACES[room]):
        # the bar, the drivers and the ladder are the same in every room
        walk.over(
            f"{live_server.url}/scenes/{walk.scene.pk}/{room}/?{place}",
            WHOLE if room == "depth" and not number else OWN,
            COMMON if room in ("proof", "export") else "(?!)",
        )
    assert not walk.wrong, "\n".join(walk.wrong)
    assert set(EDITS_OF[room].split()) - walk.edits == set()
