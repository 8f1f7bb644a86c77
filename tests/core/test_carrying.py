"""Carriers: what is written of them, what is refused, and that nothing jumps when one is given or taken out."""

import math

import numpy as np
import pytest

from clinamen.core.document import parse
from clinamen.core.edits import apply
from clinamen.core.errors import BadDocument, BadEdit
from clinamen.core.motion.states import Cells, State, States
from clinamen.core.stage import bound, project, stage, stage_at
from tests.conftest import layer, scene, track

VIEW = {"width": 480, "height": 270}


def carried(**fields):
    return scene(
        layer("a", 300, 200, framing={"x": 60, "y": -20, "scale": 1.2, "rotation": 20}, carrier="raft", **fields),
        layer("b", 300, 200, carrier="a"),
        layer("c", 300, 200, group="House / Porch"),
        view=VIEW,
        drivers={"scroll": {}},
        carriers=[{"id": "raft", "at": {"x": 20, "y": 10}, "x": 30, "y": -5, "scale": 1.3, "rotation": 40, "depth": 120, "carrier": "float"},
                  {"id": "float", "at": {"x": -90, "y": 0}, "x": 10, "rotation": -15, "opacity": 0.5}],
        groups=[{"name": "House", "carrier": "float"}],
    )  # fmt: skip


def corners(made, name: str, state: State = State()) -> np.ndarray:
    return project(stage_at(made, state)[name].matrix[0], np.array([[-150.0, -100], [150, -100], [150, 100]]))[0]


def test_a_point_goes_round_its_carrier_and_that_round_its_own() -> None:
    made = scene(
        layer("a", 2, 2, framing={"x": 100, "y": 0}, carrier="raft"), view=VIEW,
        carriers=[{"id": "raft", "rotation": 90, "carrier": "float"}, {"id": "float", "at": {"x": 0, "y": 100}, "scale": 2, "x": 7}],
    )  # fmt: skip
    # (100, 0) turned by 90° about the middle is (0, 100), which is the outer one's own point: grown nowhere, moved by 7
    (at,), _ = project(stage_at(made, State())["a"].matrix[0], np.zeros((1, 2)))
    assert at == pytest.approx((240 + 7, 135 + 100))


@pytest.mark.parametrize("gone", ["raft", "float"])
@pytest.mark.parametrize("tilt", [{}, {"lean": 30, "turn": -20}])
def test_what_a_carrier_that_goes_carried_stays_where_it_is_seen(gone: str, tilt: dict) -> None:
    made = carried(tilt=tilt)
    after, says = apply(made, "remove-carrier", {"of": gone})
    assert says == f"{gone} taken out"
    for name in ("a", "b", "c"):
        assert corners(after, name) == pytest.approx(corners(made, name), abs=1e-9), name
        assert stage_at(after, State())[name].opacity == pytest.approx(stage_at(made, State())[name].opacity)
    assert all(carrier.id != gone for carrier in after.carriers)


TURNS = [
    track("raft", "rotation", "scroll", (0, 0, "ease-in-out"), (0.6, 70), (1, -20)),
    track("raft", "scale", "scroll", (0.2, 1), (1, 1.6)),
]
GONE_MOTION = {
    "goes": [track("raft", "x", "scroll", (0, 0, "ease"), (1, 50)), track("raft", "opacity", "scroll", (0, 1), (1, 0.2)),
             track("raft", "depth", "time", (0, 0), (2, 90, "ease-in"), (4, 0))],
    "goes beside its rider": [track("raft", "x", "scroll", (0, 0, "ease"), (1, 50)), track("a", "x", "scroll", (0.1, -9, "ease-out"), (0.7, 30)),
                              track("a", "y", "time", (0, 0), (4, 25)), track("raft", "y", "time", (1, 0, [0.1, 0.8, 0.3, 1]), (4, -40))],
    "turns": TURNS,
    "turns a rider that goes": [*TURNS, track("a", "x", "scroll", (0, 0), (1, 80)), track("raft", "y", "time", (0, 0), (4, 30))],
    "jumps": [track("raft", "rotation", "scroll", (0, 0, "hold"), (0.5, 40), (1, 60)), track("raft", "x", "scroll", (0, 0), (1, 35))],
    "drifts": [{"target": "raft", "channel": "x", "driver": "time", "drift": {"reach": 20, "pace": 0.4, "seed": 2}},
               track("a", "x", "time", (0, 0), (4, 30))],
}  # fmt: skip


@pytest.mark.parametrize("motion", GONE_MOTION)
@pytest.mark.parametrize("rides", ["by itself", "on another carrier", "with its group"])
def test_a_carrier_that_goes_hands_its_motion_on(motion: str, rides: str) -> None:
    """What it carried is seen where it was at every state."""
    on_raft = {
        "by itself": {"carrier": "raft"},
        "on another carrier": {"carrier": "inner"},
        "with its group": {"group": "House"},
    }
    if motion == "drifts" and rides == "on another carrier":
        pytest.skip("the inner carrier is turned, and keeps its own drift apart")
    straight = {"scale": 1.0, "rotation": 0.0} if motion == "drifts" else {"scale": 1.3, "rotation": 40}
    made = scene(
        layer("a", 300, 200, framing={"x": 60, "y": -20, "scale": 1.2, "rotation": 20}, anchor={"x": 30, "y": -10}, **on_raft[rides]),
        layer("b", 300, 200, framing={"x": -50}),
        view=VIEW, drivers={"scroll": {}, "time": {"duration": 4}}, groups=[{"name": "House", "carrier": "raft"}], tracks=GONE_MOTION[motion],
        carriers=[{"id": "raft", "at": {"x": 20, "y": 10}, "x": 30, "y": -5, "depth": 120, **straight},
                  {"id": "inner", "at": {"x": -40, "y": 30}, "rotation": 15, "x": 6, "carrier": "raft"}],
    )  # fmt: skip
    after, _ = apply(made, "remove-carrier", {"of": "raft"})
    assert all(each.target != "raft" for each in after.tracks) and after.carriers[0].id == "inner"
    for scroll in np.linspace(0, 1, 23):
        for time in (0, 0.4, 1.7, 4):
            state = State(scroll, time=time)
            assert corners(after, "a", state) == pytest.approx(corners(made, "a", state), abs=0.15), state
            assert stage_at(after, state)["a"].opacity == pytest.approx(stage_at(made, state)["a"].opacity, abs=2e-3)
    assert sum(len(each.keys) for each in after.tracks) < 60, "few keys"


def test_a_carrier_whose_motion_cannot_be_handed_on_stays_and_says_why() -> None:
    made = scene(
        layer("a", 300, 200, framing={"x": 60}, carrier="raft"), view=VIEW, drivers={"scroll": {}, "time": {"duration": 4}},
        carriers=[{"id": "raft", "name": "Raft"}], tracks=[*TURNS, track("a", "x", "time", (0, 0), (4, 80))],
    )  # fmt: skip
    with pytest.raises(
        BadEdit, match="^Raft: turns over one driver and a moves over another; take its keys out first, or let it stay$"
    ):
        apply(made, "remove-carrier", {"of": "raft"})


def test_a_layer_that_goes_takes_its_motion_with_it_and_leaves_its_riders() -> None:
    made = carried()
    after, _ = apply(made, "remove", {"layer": "a"})
    assert after.layer("b").carrier == "raft", "what carried it carries its riders"
    assert corners(after, "b") == pytest.approx(corners(made, "b"), abs=1e-9)


def test_what_is_said_of_groups_stays_when_a_layer_or_a_carrier_goes() -> None:
    """Its look, whether it is hidden or locked: a group needs no carrier to keep them."""
    made = scene(
        layer("a", 30, 20, group="House"), layer("b", 30, 20, group="Yard"), layer("c", 30, 20), view=VIEW, carriers=[{"id": "raft"}],
        groups=[{"name": "House", "look": [{"step": "drop"}], "visible": False}, {"name": "Yard", "locked": True, "carrier": "raft"}],
    )  # fmt: skip
    house, yard = made.groups
    assert apply(made, "remove", {"layer": "c"})[0].groups == (house, yard)
    after = apply(made, "remove-carrier", {"of": "raft"})[0]
    assert after.groups == (house, yard.model_copy(update={"carrier": None}))


def test_riding_and_getting_off_move_nothing_while_the_carrier_rests() -> None:
    made = scene(layer("a", 300, 200, framing={"x": 60, "y": -20}), view=VIEW)
    on, says = apply(made, "new-carrier", {"name": "Raft", "layer": "a"})
    assert says == "a rides on Raft"
    (raft,) = on.carriers
    assert (raft.at.x, raft.at.y) == (60, -20)
    assert corners(on, "a") == pytest.approx(corners(made, "a"))
    off, _ = apply(on, "carry", {"layer": "a", "carrier": ""})
    assert off.layer("a").carrier is None


def test_a_group_rides_as_one() -> None:
    made = scene(layer("a", 9, 9, group="House"), layer("b", 9, 9, group="House / Porch"), layer("c", 9, 9), view=VIEW)
    made, _ = apply(made, "new-carrier", {})
    made, _ = apply(made, "carry", {"group": "House", "carrier": "carrier-1"})
    made, _ = apply(made, "carrier", {"of": "carrier-1", "x": "40 px"})
    moved = {name: corners(made, name)[0][0] - (240 - 150) for name in "abc"}
    assert moved == pytest.approx({"a": 40, "b": 40, "c": 0})


def test_bounds_hold_every_place_of_a_carried_sheet() -> None:
    document = carried(anchor={"x": 30, "y": 40}).to_json()
    document["tracks"] = [
        track("raft", "rotation", "scroll", (0, -40), (1, 80)), track("float", "scale", "scroll", (0, 1), (1, 1.7)),
        track("raft", "depth", "scroll", (0, -60), (1, 90)), track("a", "x", "scroll", (0, 0), (1, -70)),
    ]  # fmt: skip
    made = parse(document)
    edges = np.linspace(0, 1, 41)
    boxes = np.zeros((40, 4, 2))
    boxes[:, 0] = np.column_stack([edges[:-1], edges[1:]])
    sheet = next(x for x in bound(made, Cells.of(boxes))[1] if x.layer.id == "a")
    at = (edges[:-1] + np.diff(edges) * np.linspace(0.05, 0.95, 40)).clip(0, 1)
    true = stage(made, States.still(40, scroll=at))["a"].evaluated
    for bounds, value in (
        (sheet.scale, true.scale),
        (sheet.rate, true.rate),
        *zip(sheet.place, true.place, strict=True),
    ):
        assert np.all((bounds.low <= value + 1e-9) & (value - 1e-9 <= bounds.high))
        assert np.max(bounds.high - bounds.low) < 40, "and tightly"


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: d["carriers"][1].update(carrier="raft"), "carried by itself"),
        (lambda d: d["layers"][0].update(carrier="b"), "carried by itself"),
        (lambda d: d["layers"][0].update(carrier="nobody"), "no carrier or layer 'nobody'"),
        (lambda d: d["carriers"][0].update(id="c"), "'c' is taken"),
        (lambda d: d["groups"].append({"name": "House"}), "told of twice"),
        (lambda d: d.update(tracks=[track("raft", "lean", "scroll", (0, 0))]), "a carrier has no 'lean'"),
        (lambda d: d["carriers"][0].update(depth=-2 * 480 * 50 / 36), "behind the camera"),
    ],
)  # fmt: skip
def test_what_cannot_be_carried_is_said(change, says: str) -> None:
    document = carried().to_json()
    change(document)
    with pytest.raises(BadDocument) as wrong:
        parse(document)
    assert says in str(wrong.value.problems[0])


def test_a_ring_made_by_hand_is_refused_and_nothing_is_lost() -> None:
    made = carried()
    with pytest.raises(BadEdit, match="carried by itself"):
        apply(made, "carry", {"of": "float", "carrier": "b"})


def test_a_sheet_that_is_stretched_and_skewed_is_sheared_before_it_turns() -> None:
    made = scene(
        layer("a", 200, 200, framing={"stretch": 0.5, "skew": 45, "rotation": 90}), view={"width": 400, "height": 400}
    )
    seen = project(stage_at(made, State())["a"].matrix[0], np.array([[0.0, 100.0], [100.0, 0.0]]))[0]
    # an art pixel down is half as high and moves one across: (0, 100) → (100, 50), turned clockwise → (−50, 100)
    assert seen == pytest.approx(np.array([[150, 300], [200, 300]]))
    assert math.isclose(stage_at(made, State())["a"].centre()[1][0], 1.0)
