"""Lens, air, light and looks as edits: what is typed or dragged, what the document then says, and what is refused and how."""

import json
from dataclasses import replace

import numpy as np
import pytest

from clinamen.core.air import kept_share
from clinamen.core.checks import prove
from clinamen.core.document import parse
from clinamen.core.drawing import bench
from clinamen.core.edits import apply
from clinamen.core.errors import BadEdit
from clinamen.core.finish import finish_of, light
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import Cells, State, States
from clinamen.core.prep.colour import lab
from clinamen.core.stage import bound, stage, stage_at
from tests.conftest import layer, noise, scene, shelf_of, track

VIEW = {"width": 480, "height": 270}


def made(**fields):
    layers = [
        layer("far", 700, 400, depth=1200), layer("mid", 300, 200, depth=200, group="House / Porch"),
        layer("near", 200, 200, depth=-200), layer("sky", 900, 500, depth="infinite"),
    ]  # fmt: skip
    return scene(*layers, view=VIEW, drivers={"scroll": {"length": 900}}, **fields)


def done(document, *edits):
    for name, values in edits:
        document, _ = apply(document, name, values)
    return document


def soft(document, name: str, **state) -> float:
    return float(stage_at(document, State(**state))[name].blur[0])


def test_a_lens_opens_focuses_on_a_sheet_and_closes_again() -> None:
    document = done(made(), ("aperture", {"closed": "0"}), ("focus", {"on": "mid"}))
    assert soft(document, "mid") == 0 < soft(document, "far") < soft(document, "sky") < np.inf
    assert soft(done(document, ("aperture", {"aperture": "f/1.4"})), "far") == pytest.approx(2 * soft(document, "far"))
    assert soft(done(document, ("metre", {"pixels_per_metre": "300 px"})), "far") > soft(document, "far")
    assert soft(done(document, ("takes", {"layer": "far", "focus": "0"})), "far") == 0
    closed = done(document, ("aperture", {"closed": "1"}))
    assert soft(closed, "far") == 0 and closed.lens.aperture is None


def test_softness_that_is_typed_where_it_is_seen_comes_out() -> None:
    document = done(
        made(), ("aperture", {"closed": "0"}), ("focus", {"on": "near"}), ("aperture", {"layer": "far", "soft": "9 px"})
    )
    assert soft(document, "far") == pytest.approx(9, rel=1e-3)
    for values, says in (
        ({"layer": "near", "soft": "3"}, "in focus"),
        ({"aperture": "wide"}, "is not a number"),
        ({"aperture": "0"}, "range"),
    ):
        with pytest.raises(BadEdit, match=says):
            apply(document, "aperture", values)


def test_dragging_on_the_light_bench_goes_where_the_hand_is_and_the_tip_snaps() -> None:
    document = done(made(), ("aperture", {"closed": "0"}), ("focus", {"rate": "0.4"}))
    drawn = bench.draw(document)
    share = lambda rate: str(1 - rate / drawn.near)  # noqa: E731
    document = done(document, ("aperture", {"at": share(0.9), "near": str(drawn.near), "up": "5"}))
    probe = [float(v) for v in bench.draw(document).openings[0].points.split()[0].split(",")]
    assert soft(document, "near") / (stage_at(document, State())["near"].rate[0] - 0.4) == pytest.approx(
        5 / 0.5, rel=1e-3
    )
    assert probe[1] < drawn.floor
    mid = float(stage_at(document, State())["mid"].rate[0])
    snapped = done(document, ("focus", {"at": share(mid + 0.01), "near": str(drawn.near)}))
    assert snapped.camera.focus == pytest.approx(mid, abs=1e-9)
    free = done(document, ("focus", {"at": share(mid + 0.1), "near": str(drawn.near)}))
    assert free.camera.focus == pytest.approx(mid + 0.1, abs=1e-3)


def test_the_bench_draws_straight_sides_and_the_other_end_of_a_pull() -> None:
    document = done(made(), ("aperture", {"closed": "0"}), ("focus", {"on": "mid"}),
                    ("pull-focus", {"driver": "scroll", "first": "mid", "last": "far", "from": "0.2", "to": "0.7"}))  # fmt: skip
    one, two = bench.draw(document).openings
    points = np.array([[float(v) for v in pair.split(",")] for pair in one.points.split()])
    right = points[points[:, 0] > one.tip[0] + 1]
    slopes = np.diff(right[:, 1]) / np.diff(right[:, 0])
    assert np.ptp(slopes) < 0.02 * abs(slopes.mean()), "straight"
    assert two.rate == pytest.approx(float(stage_at(document, State())["far"].rate[0])) and two.says == "scroll 70 %"


def test_a_focus_pull_is_sharp_on_one_sheet_and_then_on_the_other() -> None:
    document = done(made(), ("aperture", {"closed": "0"}), ("focus", {"on": "sky"}),
                    ("pull-focus", {"driver": "scroll", "first": "near", "last": "far", "from": "20 %", "to": "70 %"}))  # fmt: skip
    assert soft(document, "near", scroll=0.1) < 1e-9 < soft(document, "far", scroll=0.1)
    assert soft(document, "far", scroll=0.9) < 1e-9 < soft(document, "near", scroll=0.9)
    again = done(document, ("no-pull", {}))
    assert soft(again, "sky", scroll=0.9) == 0
    for values, says in (
        ({"first": "far", "last": "far"}, "both ends"),
        ({"first": "far", "last": "gone"}, "no longer"),
        ({"driver": "time"}, "off"),
    ):
        with pytest.raises(BadEdit, match=says):
            apply(document, "pull-focus", {"driver": "scroll", "first": "near", **values})
    with pytest.raises(BadEdit, match="pinhole"):
        apply(made(), "pull-focus", {"driver": "scroll", "first": "near", "last": "far"})


def test_bounds_of_softness_hold_every_value() -> None:
    document = made(lens={"aperture": 2, "pixels_per_metre": 300}, camera={"focus": 0.6}, tracks=[
        track("camera", "focus", "scroll", (0, 0), (1, 0.5)), track("camera", "z", "scroll", (0, 0), (1, 120)),
        track("camera", "aperture", "scroll", (0, 1), (1, 2)), track("far", "depth", "scroll", (0, 0), (1, -500))])  # fmt: skip
    edges = np.linspace(0, 1, 41)
    boxes = np.zeros((40, 4, 2))
    boxes[:, 0] = np.column_stack([edges[:-1], edges[1:]])
    at = edges[:-1] + np.diff(edges) * np.linspace(0.05, 0.95, 40)
    for index, sheet in enumerate(bound(document, Cells.of(boxes), Motion(document))[1]):
        true = stage(document, States.still(40, scroll=at)).sheets[index].blur
        assert np.all((sheet.blur.low <= true + 1e-9) & (true <= sheet.blur.high + 1e-9))


def test_air_by_kind_by_sight_by_what_a_sheet_keeps_and_by_hand() -> None:
    hazy = done(made(), ("air", {"kind": "haze"}))
    assert (
        kept_share(hazy, hazy.layer("far")) == pytest.approx(0.55, abs=0.01)
        and kept_share(hazy, hazy.layer("sky")) == 0
    )
    kept = done(hazy, ("air", {"layer": "mid", "keeps": "40 %"}))
    assert kept_share(kept, kept.layer("mid")) == pytest.approx(0.4, abs=0.001)
    assert finish_of(done(kept, ("air", {"visibility": "clear"})), kept.layer("mid")) is None
    assert kept_share(done(kept, ("takes", {"layer": "mid", "air": "0"})), made().layer("mid")) < 1
    with pytest.raises(BadEdit, match="infinitely far"):
        apply(kept, "air", {"layer": "sky", "keeps": "40 %"})
    dragged = done(kept, ("air", {"at": "0.5", "near": "1.2", "kept": "0.25"}))
    assert dragged.air.visibility != kept.air.visibility


def test_look_steps_are_added_set_moved_switched_and_taken_out_of_layers_and_groups() -> None:
    document = done(made(), ("look-add", {"layer": "mid", "step": "hue", "angle": "30°"}), ("look-add", {"layer": "mid", "step": "glow"}),
                    ("look-set", {"layer": "mid", "index": "1", "of": "whole"}), ("look-move", {"layer": "mid", "index": "1", "by": "-1"}),
                    ("look-add", {"group": "House", "layer": "mid", "step": "invert"}))  # fmt: skip
    assert [step.kind for step in document.layer("mid").look] == ["glow", "hue"]
    assert [step.kind for step in finish_of(document, document.layer("mid")).steps] == ["glow", "hue", "invert"]
    assert parse(document.to_json()) == document
    off = done(
        document,
        ("look-set", {"layer": "mid", "index": "0", "on": "0"}),
        ("look-remove", {"group": "House", "index": "0"}),
    )
    assert [step.kind for step in finish_of(off, off.layer("mid")).steps] == ["hue"] and off.groups == ()
    copied = done(document, ("look-copy", {"layer": "mid", "to": "far near"}))
    assert len(copied.layer("near").look) == 2
    for name, values, says in (
        ("look-set", {"layer": "mid", "index": "7", "on": "1"}, "no longer"), ("look-add", {"layer": "mid", "step": "shine"}, "not one of"),
        ("look-set", {"layer": "mid", "index": "1", "angle": "900"}, "Hue: angle"), ("look-add", {"group": "Nobody", "step": "hue"}, "no layer"),
    ):  # fmt: skip
        with pytest.raises(BadEdit, match=says):
            apply(document, name, values)


def test_a_fades_end_goes_where_it_is_dragged_on_a_turned_sheet_and_the_proof_counts_less_on_it() -> None:
    document = scene(layer("a", 800, 500, framing={"rotation": 30, "scale": 2}), view=VIEW, drivers={"scroll": {}})
    art = {"a": np.full((500, 800, 4), 255, np.uint8)}
    found = prove(document, replace(shelf_of(art), scene=document).opaque_sets(document))
    assert [finding.check for finding in found] == ["soft"], "shown twice as large"
    document = done(
        document,
        ("look-add", {"layer": "a", "step": "fade"}),
        ("fade-at", {"layer": "a", "index": "0", "end": "gone", "x": "300", "y": "200"}),
    )
    fade = document.layer("a").look[0]
    seen = stage_at(document, State())["a"].matrix[0] @ [fade.to_x / 2, fade.to_y / 2, 1]
    assert seen[:2] / seen[2] == pytest.approx([300, 200], abs=0.2)
    found = prove(document, replace(shelf_of(art), scene=document).opaque_sets(document))
    assert any(finding.check == "gap" for finding in found), "what fades does not cover"


def test_a_key_light_is_switched_on_dragged_and_never_behind_the_camera() -> None:
    document = done(made(), ("light", {"on": "1"}))
    assert document.light.key and document.light.ambient == 0.5
    document = done(
        document, ("light", {"to_x": "340", "to_y": "35"}), ("light", {"level": "2", "key_colour": "#FF8000"})
    )
    assert (document.light.key.x, document.light.key.y, document.light.key.level, document.light.key.colour) == (
        100,
        -100,
        2,
        "#ff8000",
    )
    with pytest.raises(BadEdit, match="depth"):
        apply(document, "light", {"depth": "-99999"})
    with pytest.raises(BadEdit, match="switched off"):
        apply(made(), "light", {"x": "1"})
    with pytest.raises(BadEdit, match="colour"):
        apply(made(), "light", {"colour": "red"})


def test_bringing_together_brings_mean_and_spread_as_far_as_it_says() -> None:
    """By half the way, both ways of counting: the mean moves half, and at full strength it is the reference's."""
    art = {name: noise(200, 160, seed, 30) for seed, name in enumerate(("far", "mid"))}
    art["mid"][..., :3] = art["mid"][..., :3] // 3 + 20
    told = {}
    for name, pixels in art.items():
        values = lab(pixels[..., :3]).reshape(-1, 3)
        told[name] = {"mean": values.mean(axis=0).tolist(), "spread": values.std(axis=0).tolist()}
    for strength in (0.5, 1.0):
        document = done(
            made(), ("bring-together", {"data": json.dumps(told), "other": "far", "strength": str(strength)})
        )
        after = lab(finish_of(document, document.layer("mid")).work(art["mid"])[..., :3]).reshape(-1, 3).mean(axis=0)
        before, goal = np.array(told["mid"]["mean"]), np.array(told["far"]["mean"])
        assert after == pytest.approx(before + strength * (goal - before), abs=1.5)
    assert (
        not done(document, ("bring-together", {"data": json.dumps(told), "other": "far", "strength": "0"}))
        .layer("mid")
        .look
    )
    with pytest.raises(BadEdit, match="one layer alone"):
        apply(document, "bring-together", {"data": json.dumps({"mid": told["mid"]})})


@pytest.mark.parametrize(
    ("ambient", "reach", "visibility"), [(0, 30, None), (0.3, 400, 60000), (1.4, 90, 3000), (0.02, 1e4, None)]
)
@pytest.mark.parametrize("keyed", [True, False])
def test_light_by_compiled_code_is_that_of_planes(monkeypatch, ambient, reach, visibility, keyed) -> None:
    key = {"x": 40, "y": -25, "depth": -60, "reach": reach, "level": 1.7, "colour": "#ffcc99"}
    told = scene(layer("one", 90, 60, depth=200, tilt={"turn": 25}, framing={"skew": 10, "stretch": 1.4})).to_json()
    told["light"] = {"ambient": ambient, "colour": "#a0b8ff", "key": key if keyed else None}
    told["air"] = {"colour": "#c9d6df", "visibility": visibility}
    lit = parse(told)
    finish = finish_of(lit, lit.layers[0])
    art = np.random.default_rng(3).integers(0, 256, (60, 90, 4), np.uint8)
    quick, seen = finish.work(art), finish.work(art, clear=False)
    monkeypatch.setattr(light, "compiled", lambda: None)
    whole = finish.work(art)
    assert np.abs(quick.astype(int) - whole).max() <= 1, "a table in the place of a power"
    assert (quick != whole).mean() < 0.02
    assert np.array_equal(seen[art[..., 3] > 0], quick[art[..., 3] > 0])
