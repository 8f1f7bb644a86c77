"""Ground shadows after edits of what throws them: they stand at its feet, whatever became of it, and go when it goes."""

import pytest

from clinamen.core.edits import apply
from clinamen.core.edits.follow import followed
from clinamen.core.edits.registry import with_layer
from clinamen.core.motion.states import State
from clinamen.core.stage import stage_at
from tests.conftest import layer, scene, track

LIGHT = {"key": {"x": -100, "y": -200, "depth": -50}}
FEET = {"layer": "a", "foot": "180"}  # px below the top of art 200 px high: 80 below its middle


def thrown(lit: bool = True, **fields):
    """A layer `a`, turned a little, and its shadow: thrown by the key light, or by hand."""
    made = scene(layer("a", 100, 200, framing={"x": 10, "y": 50, "rotation": 4, "stretch": 0.8, "skew": 12}), view={"width": 800, "height": 600}, light=LIGHT, **fields)  # fmt: skip
    return apply(made, "cast-shadow", FEET if lit else {**FEET, "towards": "60", "height": "50"})[0]


def stands(made) -> tuple[float, float]:
    """How far the shadow's feet are from those of its layer, in view pixels."""
    staged = stage_at(made, State())
    feet, shadow = staged["a"].matrix[0] @ [0, 80, 1], staged["a-shadow"].matrix[0] @ [0, 0, 1]
    return tuple(shadow[:2] / shadow[2] - feet[:2] / feet[2])


@pytest.mark.parametrize(
    ("edit", "values"),
    [("framing", {"x": "160"}), ("framing", {"scale": "2.5", "rotation": "-20"}), ("depth", {"depth": "400"}), ("framing", {"y": "-30"})],
)  # fmt: skip
@pytest.mark.parametrize("lit", [True, False])
def test_a_shadow_goes_along_with_its_layer(edit: str, values: dict[str, str], lit: bool) -> None:
    made, _ = apply(thrown(lit), edit, {"layer": "a", **values})
    assert stands(made) == pytest.approx((0, 0), abs=0.01)
    before, after = thrown(lit).layer("a-shadow"), made.layer("a-shadow")
    assert after.depth == made.layer("a").depth and after.framing.scale == made.layer("a").framing.scale
    same = (before.framing.stretch, before.framing.skew) == (after.framing.stretch, after.framing.skew)
    assert same == (not lit), "thrown by hand it falls as it fell, by the light as that now stands to it"


def test_feet_are_followed_through_another_stretch_and_skew_too() -> None:
    made = thrown(lit=False)
    framing = made.layer("a").framing.model_copy(update={"stretch": 1.4, "skew": -15.0, "scale": 0.6})
    changed = with_layer(made, made.layer("a").model_copy(update={"framing": framing}))
    assert stands(changed) != pytest.approx((0, 0), abs=1)
    assert stands(followed(made, changed)) == pytest.approx((0, 0), abs=0.01)


def test_a_moved_light_lays_what_it_throws_anew_and_nothing_else() -> None:
    for lit in (True, False):
        made, again = thrown(lit), apply(thrown(lit), "light", {"x": "300"})[0]
        assert stands(again) == pytest.approx((0, 0), abs=0.01)
        assert (again.layer("a-shadow").framing.skew > 0) == (lit or made.layer("a-shadow").framing.skew > 0)
        assert (again.layer("a-shadow") == made.layer("a-shadow")) == (not lit)
    below = apply(thrown(), "light", {"y": "500"})[0]
    assert below.layer("a-shadow") == thrown().layer("a-shadow"), "from below it throws none: it lies as it lay"


def test_a_crop_keeps_the_feet_where_they_are_seen_and_makes_the_shadow_as_large_as_its_layer() -> None:
    made = thrown()
    crop = {"layer": "a", "step": "crop", "x": "10", "y": "60", "width": "80", "height": "140"}
    cropped, _ = apply(made, "step-add", crop)
    before, after = made.layer("a-shadow"), cropped.layer("a-shadow")
    assert (after.framing.x, after.framing.y) == (before.framing.x, before.framing.y)
    assert after.art.width == before.art.width - 20 and after.art.height == before.art.height - 2 * 60


def test_a_shadow_is_hidden_and_taken_out_with_its_layer() -> None:
    made = thrown(tracks=[track("a", "x", "scroll", (0, 0), (1, 9))], drivers={"scroll": {}})
    assert not apply(made, "layer", {"layer": "a", "visible": "0"})[0].layer("a-shadow").visible
    gone, _ = apply(made, "remove", {"layer": "a"})
    assert [each.id for each in gone.layers] == [] and gone.tracks == ()


def test_a_shadow_that_is_moved_by_hand_stays_there() -> None:
    moved, _ = apply(thrown(), "framing", {"layer": "a-shadow", "x": "77"})
    assert moved.layer("a-shadow").framing.x == 77 and moved.layer("a") == thrown().layer("a")
