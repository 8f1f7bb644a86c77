import math

import pytest

from clinamen.core import document
from clinamen.core.edits import apply
from clinamen.core.errors import BadEdit
from clinamen.core.optics import rate_of
from clinamen.core.quantities import number, shown
from tests.conftest import layer, scene, track


def base():
    return scene(
        layer("a", 100, 100, depth=4000), layer("b", 100, 100, depth=900), layer("c", 100, 100), layer("sky", 9, 9, depth="infinite"),
        drivers={"scroll": {}, "pointer": {}, "time": {"duration": 10}}, tracks=[track("b", "x", "time", (0, 0), (5, 9), (10, 0))],
    )  # fmt: skip


def rates(made) -> list[float]:
    return [rate_of(x.depth, made.lens_distance) for x in made.layers]


@pytest.mark.parametrize(
    ("text", "units", "value"),
    [("12", "", 12), ("1 200", "", 1200), ("1\u202f200,5", "", 1200.5), ("−3.5 px", "px", -3.5), ("50mm", "mm", 50), ("5 cm", "mm cm", 50),
     ("40°", "°", 40), ("30 %", "%", 0.3), ("350 ms", "s ms", 0.35), (".5", "", 0.5)],
)  # fmt: skip
def test_numbers_are_read_as_people_type_them(text: str, units: str, value: float) -> None:
    assert number(text, "field", units=units) == pytest.approx(value)


@pytest.mark.parametrize("text", ["", "banana", "1e999", "12 kg", "1.2.3", "nan", "--4"])
def test_what_is_no_number_is_refused_by_its_field(text: str) -> None:
    with pytest.raises(BadEdit, match="^reach: "):
        number(text, "reach", -1e6, 1e6, "px")


@pytest.mark.parametrize(
    ("text", "bounds", "says"),
    [("2e6", (-1e6, 1e6), "2 000 000 is out of range; type a number from −1 000 000 to 1 000 000"),
     ("-1", (0,), "−1 is out of range; type a number of 0 or more"), ("0.5", (-math.inf, 0.25), "a number of 0.25 or less"),
     ("1e999", (), "inf is out of range; type one of fewer digits")],
)  # fmt: skip
def test_a_number_out_of_range_is_told_what_would_be_in_it(text: str, bounds: tuple[float, ...], says: str) -> None:
    with pytest.raises(BadEdit) as caught:
        number(text, "reach", *bounds)
    assert says in str(caught.value).replace("\u202f", " ")


def test_numbers_are_shown_with_thin_spaces_and_a_true_minus() -> None:
    assert (shown(-1200.5), shown(0.0001), shown(3.0)) == ("−1\u202f200.5", "0", "3")


def test_depth_by_number_by_rate_and_by_place() -> None:
    assert apply(base(), "depth", {"layer": "a", "depth": "1 100 px"})[0].layer("a").depth == 1100
    assert rates(apply(base(), "depth", {"layer": "a", "rate": "0.5"})[0])[0] == pytest.approx(0.5, abs=1e-4)
    assert apply(base(), "depth", {"layer": "a", "depth": "infinite"})[0].layer("a").depth == "infinite"
    placed = apply(base(), "depth", {"layer": "a", "at": "0.75", "near": "2"})[0]
    assert rates(placed)[0] == pytest.approx(0.5, abs=1e-4)
    assert apply(base(), "depth", {"layer": "a", "at": "1", "near": "2"})[0].layer("a").depth == "infinite"


def test_a_depth_behind_the_camera_is_refused_in_words() -> None:
    with pytest.raises(BadEdit, match=r"layers\[0\]\.depth"):
        apply(base(), "depth", {"layer": "a", "depth": "-3000"})


def test_spreading_keeps_the_ends_and_leaves_infinity_alone() -> None:
    by_rate, _ = apply(base(), "spread", {"by": "rate"})
    assert rates(by_rate)[:3] == pytest.approx([0.4, 0.7, 1.0], abs=1e-3)
    by_depth, _ = apply(base(), "spread", {"by": "depth"})
    assert [x.depth for x in by_depth.layers] == [4000, 2000, 0, "infinite"]


def test_a_change_of_lens_or_view_keeps_every_rate() -> None:
    for name, values in (
        ("lens", {"angle": "60°"}),
        ("lens", {"focal_length": "85 mm"}),
        ("view", {"width": "1280", "height": "800"}),
    ):
        assert rates(apply(base(), name, values)[0]) == pytest.approx(rates(base()), abs=1e-4)


def test_travel_is_made_changed_and_taken_away() -> None:
    made, _ = apply(base(), "travel", {"driver": "scroll", "channel": "x", "end": "300 px", "ease": "ease"})
    track_ = made.tracks[-1]
    assert (track_.keys[0].value, track_.keys[-1].value, track_.keys[0].ease) == (0, 300, "ease")
    gone, _ = apply(made, "travel", {"driver": "scroll", "channel": "x", "end": "0"})
    assert len(gone.tracks) == 1
    with pytest.raises(BadEdit, match="switched off"):
        off, _ = apply(base(), "driver", {"driver": "scroll", "on": "0"})
        apply(off, "travel", {"driver": "scroll", "channel": "x", "end": "5"})


def test_a_new_duration_stretches_time_tracks() -> None:
    made, _ = apply(base(), "driver", {"driver": "time", "duration": "4 s"})
    assert [key.at for key in made.tracks[0].keys] == [0, 2, 4]


def test_order_rename_hide_and_remove() -> None:
    moved, _ = apply(base(), "order", {"layer": "a", "by": "1"})
    assert [x.id for x in moved.layers] == ["b", "a", "c", "sky"]
    assert [x.id for x in apply(base(), "order", {"reverse": "1"})[0].layers] == ["sky", "c", "b", "a"]
    assert apply(base(), "layer", {"layer": "a", "name": " Far reef "})[0].layer("a").name == "Far reef"
    assert not apply(base(), "layer", {"layer": "a", "visible": "0"})[0].layer("a").visible
    gone, _ = apply(base(), "remove", {"layer": "b"})
    assert len(gone.layers) == 3 and gone.tracks == (), "a layer's tracks go with it"


def test_unknown_edits_and_layers_are_refused() -> None:
    for name, values in (
        ("fly", {}),
        ("depth", {"layer": "ghost", "depth": "1"}),
        ("layer", {"layer": "a", "blend": "glow"}),
    ):
        with pytest.raises(BadEdit):
            apply(base(), name, values)


def test_where_in_a_page_a_scene_moves_is_set_and_read_back() -> None:
    made, _ = apply(base(), "driver", {"driver": "scroll", "along": "x", "begin": "-120 px", "end": "40"})
    assert made.drivers.scroll.held == made.drivers.scroll.length - 80
    assert document.parse(made.to_json()) == made and "axis" not in base().to_json()["drivers"]["scroll"]
    by, _ = apply(base(), "driver", {"driver": "scroll", "pinned": "0"})
    assert by.drivers.scroll.begin == -by.drivers.scroll.length / 2 and by.drivers.scroll.held == 0, (
        "half while it comes in"
    )
    back, _ = apply(by, "driver", {"driver": "scroll", "pinned": "1"})
    assert back == base()
    made, _ = apply(base(), "driver", {"driver": "pointer", "dead_zone": "20 %", "returns": "0"})
    made, _ = apply(made, "driver", {"driver": "time", "start": "seen"})
    assert (made.drivers.pointer.dead_zone, made.drivers.pointer.returns, made.drivers.time.start) == (
        0.2,
        False,
        "seen",
    )
    for driver, name, text, says in (
        ("pointer", "dead_zone", "95 %", "dead zone: .*90 %|dead zone: .*0.9"),
        ("scroll", "along", "z", "'z' is not one of y, x"),
        ("scroll", "begin", "soon", "begin: "),
        ("time", "start", "later", "not one of load, seen"),
    ):
        with pytest.raises(BadEdit, match=says):
            apply(base(), "driver", {"driver": driver, name: text})


def test_a_layers_channels_travel_as_the_cameras_do() -> None:
    made = scene(layer("leaf", 200, 100), drivers={"scroll": {}})
    made, says = apply(
        made, "travel", {"target": "leaf", "channel": "rotation", "driver": "scroll", "end": "40°", "ease": "smooth"}
    )
    assert says.endswith("rotation from 0 to 40 over scroll")
    made, _ = apply(made, "travel", {"target": "leaf", "channel": "scale", "driver": "scroll", "start": "0.5"})
    made, _ = apply(made, "travel", {"channel": "x", "driver": "scroll", "end": "9"})
    assert {(t.target, t.channel, t.keys[0].value, t.keys[-1].value) for t in made.tracks} == {
        ("leaf", "rotation", 0, 40), ("leaf", "scale", 0.5, 1), ("camera", "x", 0, 9),
    }  # fmt: skip
    made, _ = apply(made, "travel", {"target": "leaf", "channel": "scale", "driver": "scroll", "start": "1"})
    assert {t.channel for t in made.tracks} == {"rotation", "x"}, "from rest to rest is no travel"
    for values, says in (
        ({"target": "leaf", "channel": "zoom"}, "'zoom' is not one of x, y, scale"),
        ({"target": "gone", "channel": "x"}, "no longer in the scene"),
    ):
        with pytest.raises(BadEdit, match=says):
            apply(made, "travel", {"driver": "scroll", "end": "2", **values})


def test_what_the_camera_goes_round_is_set_by_layer_or_by_place_and_stays_before_the_eye() -> None:
    made = scene(layer("leaf", 200, 100, depth=300, framing={"x": 40}), layer("sky", 200, 100, depth="infinite"))
    there, says = apply(made, "target", {"round": "leaf"})
    assert "Arcs go round" in says and there.camera.target.model_dump() == {"x": 40, "y": 0, "depth": 300}
    moved, _ = apply(there, "target", {"depth": "500"})
    assert moved.camera.target.model_dump() == {"x": 40, "y": 0, "depth": 500}
    with pytest.raises(BadEdit, match="infinitely far"):
        apply(made, "target", {"round": "sky"})
    with pytest.raises(BadEdit, match="camera.target.depth.*at or behind the camera"):
        apply(made, "target", {"depth": "-9000"})


def test_a_locked_layer_is_left_as_it_is_until_it_is_unlocked() -> None:
    document = scene(
        layer("far", 400, 240, depth=500), layer("near", 200, 120), view={"width": 320, "height": 180}, drivers={"scroll": {}},
        tracks=[track("far", "x", "scroll", (0, 0), (1, 40))],
    )  # fmt: skip
    taken, says = apply(document, "layer", {"layer": "far", "locked": "1"})
    assert says == "far locked" and taken.layer("far").locked
    for name, values in (
        ("depth", {"layer": "far", "depth": "300"}), ("framing", {"layer": "far", "x": "3"}), ("remove", {"layer": "far"}),
        ("layer", {"layer": "far", "name": "Back"}),
        ("travel", {"layer": "far", "driver": "scroll", "axis": "x", "distance": "90"}),
    ):  # fmt: skip
        try:
            edited, _ = apply(taken, name, values)
        except BadEdit as error:
            assert "far is locked; unlock it first" in str(error) or name == "travel", name
        else:
            assert edited.layer("far") == taken.layer("far") and edited.tracks == taken.tracks, name
    assert apply(taken, "depth", {"layer": "near", "depth": "10"})[0].layer("near").depth == 10, "others move on"
    assert not apply(taken, "layer", {"layer": "far", "visible": "0"})[0].layer("far").visible
    freed, _ = apply(taken, "layer", {"layer": "far", "locked": "0"})
    assert apply(freed, "depth", {"layer": "far", "depth": "300"})[0].layer("far").depth == 300


def test_a_locked_group_holds_all_its_layers() -> None:
    document = scene(
        layer("far", 400, 240, group="House / Porch"), layer("near", 200, 120), view={"width": 320, "height": 180},
        groups=[{"name": "House", "locked": True}],
    )  # fmt: skip
    with pytest.raises(BadEdit, match="far is locked"):
        apply(document, "framing", {"layer": "far", "x": "3"})
    assert apply(document, "framing", {"layer": "near", "x": "3"})[0].layer("near").framing.x == 3
