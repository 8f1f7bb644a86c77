"""What checks measure against reference libraries: Shapely's areas, SciPy's extremes, scikit-image's colours; WCAG's numbers."""

import cv2
import numpy as np
import pytest
from scipy.optimize import minimize_scalar
from shapely import Polygon, box
from skimage.color import deltaE_cie76, rgb2lab, rgb2xyz

from clinamen.core.bounds.largest import largest
from clinamen.core.bounds.sharpness import sharpest
from clinamen.core.bounds.speeds import top_speed
from clinamen.core.checks import CHECKS, Subject, speed
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State, States
from clinamen.core.pictures.rims import rim_of
from clinamen.core.pictures.telling import CHANGE, DARK, Telling, luminance
from clinamen.core.stage import corners, project, stage, stage_at
from tests.conftest import full_sets, layer, noise, scene, shelf_of, track


@pytest.mark.parametrize(("x", "y", "turn"), [(120, -60, 0), (-300, 90, 12), (500, 200, -35)])
def test_the_share_of_a_wrong_order_is_shapelys_overlap(x: int, y: int, turn: int) -> None:
    made = scene(
        layer("back", 900, 600, depth=-400),
        layer("front", 800, 700, depth=700, framing={"x": x, "y": y, "rotation": turn}),
    )
    (finding,) = CHECKS["order"].run(Subject(made, full_sets(made), False))
    outlines = [Polygon(project(sheet.matrix[0], corners(sheet.layer))[0]) for sheet in stage_at(made, State()).sheets]
    both = outlines[0].intersection(outlines[1]).intersection(box(0, 0, 1920, 1080))
    cell = (1920 / 120) ** 2  # the check looks at cells: along the outline it is off by a part of one
    assert finding.amount == pytest.approx(
        100 * both.area / (1920 * 1080), abs=100 * 0.6 * both.length * cell**0.5 / (1920 * 1080)
    )


@pytest.mark.parametrize("ease", ["linear", "ease", "ease-in", "ease-in-out", [0.9, 0.1, 0.2, 1.0]])
def test_top_speed_is_scipys_extreme_of_the_place(ease) -> None:
    made = scene(layer("a", 300, 200, depth=500), drivers={"time": {"duration": 6}},
                 tracks=[track("camera", "x", "time", (0, 0, ease), (6, 900)), track("camera", "z", "time", (0, 0, ease), (6, 700))])  # fmt: skip
    motion, step = Motion(made), 1e-4

    def away(time: float) -> float:
        states = States.still(2, time=np.array([time - step, time + step]))
        at, _ = stage(made, states, motion, made.layers).sheets[0].centre()
        return -float(np.linalg.norm(at[1] - at[0])) / (2 * step)

    grid = np.linspace(0.01, 5.99, 61)
    start = grid[np.argmin([away(float(t)) for t in grid])]
    best = minimize_scalar(
        away, bounds=(max(0.001, start - 0.2), min(5.9998, start + 0.2)), method="bounded", options={"xatol": 1e-7}
    )
    assert top_speed(made, motion, made.layers[0], "time").whole / 6 == pytest.approx(-best.fun, rel=2e-3)


def test_sharpest_use_is_scipys_extreme_of_the_enlargement() -> None:
    made = scene(layer("a", 800, 600, depth=300), drivers={"scroll": {}},
                 tracks=[track("camera", "z", "scroll", (0, 0, "ease"), (0.37, 900, "ease"), (1, 100))])  # fmt: skip
    motion = Motion(made)
    best = minimize_scalar(
        lambda s: -float(stage(made, States.still(1, scroll=np.array([s])), motion, made.layers).sheets[0].centre()[1][0]),
        bounds=(0.2, 0.6), method="bounded", options={"xatol": 1e-9},
    )  # fmt: skip
    assert sharpest(made, made.layers[0])[0] == pytest.approx(-best.fun, rel=1e-6)


def test_the_largest_value_is_closed_in_on_as_scipy_finds_it() -> None:
    """A hump in one driver, bounded by its slope: the general search that checks share."""

    def value(s: np.ndarray) -> np.ndarray:
        return 3 * np.exp(-((s - 0.613) ** 2) / 0.004) + s

    def bound(cells: np.ndarray) -> np.ndarray:
        wide = cells[:, 0, 1] - cells[:, 0, 0]
        return value(cells[:, 0].mean(axis=1)) + 45 * wide / 2

    def tried(states: np.ndarray) -> tuple[float, State]:
        row = int(value(states[:, 0]).argmax())
        return float(value(states[:, 0])[row]), State(float(states[row, 0]))

    whole = np.array([[0.0, 1.0], [0, 0], [0, 0], [0, 0]])
    best, state = largest(whole[None], bound, tried, tried(np.zeros((1, 4))), 1e-3)
    exact = minimize_scalar(lambda s: -float(value(np.array(s))), bounds=(0.5, 0.7), method="bounded")
    assert best == pytest.approx(-exact.fun, abs=1e-3) and state.scroll == pytest.approx(exact.x, abs=0.01)


def test_a_joints_colour_difference_is_scikit_images() -> None:
    art = noise(240, 160, 3)
    made = scene(layer("a", 240, 160, repeat={"x": "tile"}))
    told = Telling(shelf_of({"a": art}, made)).joint(made.layers[0], "x")
    both = [rgb2lab(art[:, column, :3][None]) for column in (-1, 0)]
    assert told.across == pytest.approx(float(deltaE_cie76(*both).mean()), rel=2e-3)


def test_a_rims_colour_difference_is_scikit_images() -> None:
    """A red disc whose outermost three pixels are blue: how far the rim lies from the inside is one colour difference."""
    away = np.hypot(*(np.mgrid[0:200, 0:200] - 100))
    art = np.zeros((200, 200, 4), np.uint8)
    art[away < 60] = (200, 40, 40, 255)
    art[(away >= 56) & (away < 60)] = (30, 60, 190, 255)
    rim = rim_of(art, None)
    two = [rgb2lab(np.array([[colour]], np.uint8)) for colour in ((200, 40, 40), (30, 60, 190))]
    assert rim.away == pytest.approx(float(deltaE_cie76(*two)[0, 0]), rel=0.02)


def test_relative_luminance_is_scikit_images_y() -> None:
    art = noise(64, 48, 5)
    assert luminance(art) == pytest.approx(rgb2xyz(art[..., :3])[..., 1], abs=2e-4)


def test_flashes_are_judged_by_the_numbers_of_wcag_2_2() -> None:
    """WCAG 2.2, 2.3.1 and the definition of general flash and red flash thresholds: three flashes in a second; changes of 10 % of the
    maximum relative luminance, the darker below 0.80; 25 % of any 341 × 256 px of a view of 1024 × 768."""
    assert (speed.FLASHES, CHANGE, DARK) == (3, 0.1, 0.8)
    assert pytest.approx(0.25 * 341 * 256) == speed.LARGE * 1024 * 768


def test_the_outline_that_is_followed_is_opencvs_hull() -> None:
    from clinamen.core.bounds.opaque import opaque_set

    rng = np.random.default_rng(8)
    alpha = np.zeros((90, 120), np.uint8)
    for _ in range(6):
        cv2.circle(alpha, (int(rng.integers(20, 100)), int(rng.integers(20, 70))), int(rng.integers(4, 18)), 255, -1)
    ys, xs = np.nonzero(alpha)
    squares = np.concatenate([np.stack([xs + dx, ys + dy], 1) for dx in (0, 1) for dy in (0, 1)])
    wanted = Polygon(cv2.convexHull(squares.astype(np.int32))[:, 0])
    assert Polygon(opaque_set(alpha, 120, 90).hull).symmetric_difference(wanted).area < 1e-6
