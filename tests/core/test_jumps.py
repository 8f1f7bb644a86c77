"""A value that jumps: each side of the jump is a stretch of its own, and the moment itself belongs to the later side."""

import numpy as np
import pytest

from clinamen.core.bounds.boxes import parted
from clinamen.core.bounds.region import uncovered
from clinamen.core.checks import prove
from clinamen.core.motion.curves import Curve
from clinamen.core.motion.states import State
from tests.conftest import full_sets, layer, scene, track

EASES = ["hold", "step-start", "step-end"]
VIEW = {"width": 640, "height": 360, "background": "#000000"}


def curve_of(*keys):
    return Curve(scene(layer("a", 10, 10), drivers={"scroll": {}}, tracks=[track("a", "x", "scroll", *keys)]).tracks[0])


@pytest.mark.parametrize("ease", EASES)
@pytest.mark.parametrize("last", [0.5, 1.0])
def test_the_range_of_a_stretch_is_that_of_its_own_values(ease, last: float) -> None:
    curve = curve_of((0.1, 3, ease), (last, 900), (0.8, 900)) if last < 1 else curve_of((0.1, 3, ease), (last, 900))
    assert len(curve.jump_at) == 1
    at = curve.jump_at[0]
    for low, high in [(0.0, np.nextafter(at, 0)), (at, 1.0), (at, at), (0.0, 1.0), (0.0, at)]:
        seen = curve.value(np.unique(np.concatenate([np.linspace(low, high, 999), [high]])))
        least, most = curve.range(np.array([low]), np.array([high]))
        assert (least[0], most[0]) == pytest.approx((seen.min(), seen.max()), abs=1e-6), (low, high)


def test_cells_are_cut_at_jumps_and_miss_no_place() -> None:
    jumps = [np.array([0.2, 0.25, 0.9, 1.0])]
    for parts in (2, 8):
        cells = np.array([[[0.0, 1.0]]])
        for _ in range(12):
            cells = parted(cells, np.zeros(len(cells), dtype=int), parts, jumps)[:4000]
            edges = cells[:, 0]
            assert (edges[:, 0] <= edges[:, 1]).all()
            if parts**_ < 300:
                places = np.concatenate([np.linspace(0, 1, 1001), jumps[0], np.nextafter(jumps[0], 0)])
                assert ((edges[:, :1] <= places) & (places <= edges[:, 1:])).any(axis=0).all()
        inside = (edges[:, :1] < jumps[0]) & (jumps[0] <= edges[:, 1:])
        assert parts == 8 or not inside.any(), "no cell holds both sides"


@pytest.mark.parametrize("ease", EASES)
@pytest.mark.parametrize("last", [0.5, 1.0])
def test_two_sheets_that_change_places_at_once_leave_no_gap(ease, last: float) -> None:
    tracks = [
        track("a", "x", "scroll", (0, 0, ease), (last, 900)),
        track("b", "x", "scroll", (0, -900, ease), (last, 0)),
    ]
    made = scene(layer("a", 700, 400), layer("b", 700, 400), view=VIEW, drivers={"scroll": {}}, tracks=tracks)
    assert [f.message for f in prove(made, full_sets(made)) if f.check == "gap"] == []


@pytest.mark.parametrize("ease", ["hold", "step-start"])
def test_what_is_bare_on_one_side_of_a_jump_is_said_with_a_state_that_shows_it(ease) -> None:
    """The sheet leaves 80 px bare before the jump and covers after it, or the other way round."""
    keys = ((0, 110, ease), (0.5, 0)) if ease == "hold" else ((0, 0, ease), (0.5, 110))
    made = scene(layer("a", 700, 400), view=VIEW, drivers={"scroll": {}}, tracks=[track("a", "x", "scroll", *keys)])
    (found,) = [f for f in prove(made, full_sets(made)) if f.check == "gap"]
    assert found.amount == pytest.approx(80, abs=0.6) and found.side == "left"
    bare = uncovered(made, full_sets(made), found.state)
    assert bare.any(axis=0).sum() == 80
    if ease == "hold":
        assert found.state.scroll < 0.5 and not uncovered(made, full_sets(made), State(0.5)).any()
