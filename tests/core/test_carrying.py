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


def test_a_layer_that_goes_takes_its_motion_with_it_and_leaves_its_riders() -> None:
    made = carried()
    after, _ = apply(made, "remove", {"layer": "a"})
    assert after.layer("b").carrier == "raft", "what carried it carries its riders"
    assert corners(after, "b") == pytest.approx(corners(made, "b"), abs=1e-9)


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
