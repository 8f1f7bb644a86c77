"""What a hand-set start and end stand for: the rate they imply, the depth that fits, and whether they go level."""

import numpy as np
import pytest

from clinamen.core.edits import apply, pose
from clinamen.core.errors import BadEdit
from clinamen.core.motion.implied import implied_rates, off_level
from clinamen.core.motion.states import State
from clinamen.core.optics import rate_of
from clinamen.core.stage import corners, project, stage_at
from tests.conftest import layer, scene, track

LAYERS = (
    layer("wall", 2400, 1300, depth=900),
    layer("leaf", 300, 200, framing={"x": 40, "y": 60}),
    layer("ground", 2400, 900),
)


def made(*tracks, **fields):
    return scene(*LAYERS, drivers={"scroll": {}}, tracks=list(tracks), **fields)


def seen(made_, at: float, index: int) -> np.ndarray:
    sheet = stage_at(made_, State(at)).sheets[index]
    return project(sheet.matrix[0], corners(sheet.layer))[0]


def test_beside_a_camera_the_rate_is_what_is_seen_to_move_and_its_depth_moves_the_layer_the_same() -> None:
    one = made(track("camera", "x", "scroll", (0, -200), (1, 100)), track("leaf", "x", "scroll", (0, 0), (1, 120)))
    (found,) = implied_rates(one, one.layer("leaf"), "scroll")
    went = seen(one, 1, 1) - seen(one, 0, 1)
    assert found.rate == pytest.approx(-went[0, 0] / 300) and found.against == "" and not found.fits
    fits, says = apply(one, "fit-depth", {"layer": "leaf", "driver": "scroll", "axis": "x"})
    assert "the camera moves it now" in says and {t.target for t in fits.tracks} == {"camera"}
    assert seen(fits, 1, 1) - seen(fits, 0, 1) == pytest.approx(went, abs=0.05)
    assert rate_of(fits.layer("leaf").depth, fits.lens_distance) == pytest.approx(found.rate, abs=1e-4)


def test_without_a_camera_the_layer_nearest_to_the_picture_plane_says_how_far_it_would_have_gone() -> None:
    one = made(track("ground", "x", "scroll", (0, 0), (1, -400)), track("leaf", "x", "scroll", (0, 0), (1, -100)))
    (found,) = implied_rates(one, one.layer("leaf"), "scroll")
    assert found.rate == pytest.approx(0.25) and found.against == "ground" and found.own == 1
    fits, says = apply(one, "fit-depth", {"layer": "leaf", "driver": "scroll", "axis": "x"})
    assert "beside ground" in says and len(fits.tracks) == 2, "nobody else moves it"
    assert rate_of(fits.layer("leaf").depth, fits.lens_distance) == pytest.approx(0.25, abs=1e-4)
    (now,) = implied_rates(fits, fits.layer("leaf"), "scroll")
    assert now.fits


def test_what_no_depth_does_is_refused_and_what_stands_still_is_infinitely_far() -> None:
    against = made(track("camera", "x", "scroll", (0, 0), (1, 100)), track("leaf", "x", "scroll", (0, 0), (1, 300)))
    assert implied_rates(against, against.layer("leaf"), "scroll")[0].depth is None
    with pytest.raises(BadEdit, match="as no depth does; turn its way round first"):
        apply(against, "fit-depth", {"layer": "leaf", "driver": "scroll", "axis": "x"})
    still = made(track("camera", "x", "scroll", (0, 0), (1, 100)), track("leaf", "x", "scroll", (0, 0), (1, 100)))
    assert implied_rates(still, still.layer("leaf"), "scroll")[0].depth == "infinite"
    alone = made(track("leaf", "x", "scroll", (0, 0), (1, 100)))
    assert implied_rates(alone, alone.layer("leaf"), "scroll") == []
    with pytest.raises(BadEdit, match="beside a camera or layer that does; move it first"):
        apply(alone, "fit-depth", {"layer": "leaf", "driver": "scroll", "axis": "x"})


def test_a_way_that_is_not_level_is_said_and_made_level() -> None:
    one = made(track("leaf", "x", "scroll", (0, 0), (1, 300)), track("leaf", "y", "scroll", (0, 0), (1, 12)))
    assert off_level(one, one.layer("leaf"), "scroll") == ("y", 12)
    level, says = apply(one, "level", {"layer": "leaf", "driver": "scroll", "axis": "y"})
    assert off_level(level, level.layer("leaf"), "scroll") is None and [t.channel for t in level.tracks] == ["x"]
    assert "level" in says


@pytest.mark.parametrize(("lock", "kept"), [("x", "y"), ("y", "x")])
def test_a_locked_axis_stays_while_the_hand_drags(lock: str, kept: str) -> None:
    one = made(camera={"roll": 20})
    values = {
        "gesture": "move",
        "layer": "leaf",
        "from_x": "1000",
        "from_y": "600",
        "to_x": "1100",
        "to_y": "680",
        "lock": lock,
    }
    own = pose.gestured(one, {}, values, "scroll")["leaf"]
    free = pose.gestured(one, {}, {**values, "lock": ""}, "scroll")["leaf"]
    assert kept not in own and own[lock] != 0 and set(free) == {"x", "y"}
