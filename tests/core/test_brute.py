"""The proof against brute force: random scenes rendered at thousands of random states, and measured in the pictures."""

import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from clinamen.core.checks import CHECKS, Subject, prove
from clinamen.core.motion.states import State
from clinamen.core.raster import render
from tests.conftest import full_sets, layer, noise, scene, shelf_of, track

WIDE, HIGH, STATES = 64, 36, 2000
VIEW = {"width": WIDE, "height": HIGH}
DRIVERS = {"scroll": {}, "pointer": {"reach_x": 3, "reach_y": 2}}
QUIET = [HealthCheck.too_slow, HealthCheck.data_too_large]
FEW = settings(max_examples=3, deadline=None, derandomize=True, suppress_health_check=QUIET, phases=[Phase.generate])

small = st.integers(-9, 9)
depths = st.sampled_from([-30.0, 0.0, 60.0, 200.0, "infinite"])


@st.composite
def worlds(draw: st.DrawFn):
    """Two sheets under a camera that goes across, up, along and rolls: some cover the view throughout, some do not."""
    sizes = [
        (draw(st.integers(70, 110)), draw(st.integers(40, 70))),
        (draw(st.integers(30, 90)), draw(st.integers(30, 60))),
    ]
    layers = [layer(name, *size, depth=draw(depths)) for name, size in zip("ab", sizes, strict=True)]
    tracks = [
        track("camera", "x", "scroll", (0, draw(small), "ease"), (0.4, draw(small), "smooth"), (1, draw(small))),
        track("camera", "y", "scroll", (0, 0), (1, draw(small))),
        track("camera", "z", "scroll", (0, 0), (1, draw(st.integers(-12, 12)))),
        track("camera", "roll", "scroll", (0, 0), (1, draw(st.sampled_from([0, 0, 5])))),
    ]
    return scene(*layers, view=VIEW, drivers=DRIVERS, tracks=tracks)


def random_states(count: int, seed: int = 0) -> list[State]:
    rng = np.random.default_rng(seed)
    return [State(float(s), (float(u), float(v))) for s, u, v in rng.uniform([0, -1, -1], [1, 1, 1], (count, 3))]


def shown(made, art, scale: float = 1.0):
    loader = shelf_of(art, made).loader(made, scale)
    return lambda state: render(made, state, loader, scale, transparent=True)


@FEW
@given(worlds())
def test_no_state_shows_what_the_proof_says_is_covered_and_every_gap_is_there(made) -> None:
    art = {x.id: noise(x.art.width, x.art.height) for x in made.layers}
    draw = shown(made, art)
    gaps = [finding for finding in prove(made, full_sets(made), with_fixes=False) if finding.check == "gap"]
    if not gaps:
        least = min(int(draw(state)[..., 3].min()) for state in random_states(STATES))
        assert least >= 100, "half a pixel at an edge is the proof's tolerance, and no more is open anywhere"
    for gap in gaps:
        alpha = shown(made, art, 4.0)(gap.state)[..., 3]
        left, top = int(4 * gap.where.x) - 8, int(4 * gap.where.y) - 8
        right, bottom = left + int(4 * gap.where.width) + 17, top + int(4 * gap.where.height) + 17
        open_ = alpha[max(0, top) : bottom, max(0, left) : right] < 128
        assert gap.amount <= 1.5 or open_.any(), "a gap that is named is open"
    if gaps:
        worst = max(finding.amount for finding in gaps)
        for state in random_states(100, 1):
            open_ = draw(state)[..., 3] < 20
            deepest = max(_run(open_.any(axis=0) & open_.all(axis=0)), _run(open_.all(axis=1)))
            assert deepest <= worst + 1.5, "no strip is open farther than the worst that is named"


def _run(open_: np.ndarray) -> int:
    """How many rows or columns in a row, from either end, are open."""
    closed = np.flatnonzero(~open_)
    return 0 if not len(closed) else int(max(closed[0], len(open_) - 1 - closed[-1]))


@FEW
@given(
    far=st.integers(5, 60),
    scale=st.sampled_from([0.7, 1.0, 1.3]),
    ease=st.sampled_from(["linear", "ease", "smooth"]),
    depth=depths,
)
def test_softness_is_the_largest_enlargement_measured_in_pictures(far: int, scale: float, ease: str, depth) -> None:
    made = scene(
        layer("card", 40, 24, depth=depth, framing={"scale": scale}), view=VIEW, drivers={"scroll": {}},
        tracks=[track("camera", "z", "scroll", (0, 0, ease), (0.5, far / 2, ease), (1, far / 3))],
    )  # fmt: skip
    art = np.zeros((24, 40, 4), np.uint8)
    art[11:13, 9:11] = (255, 0, 0, 255)
    art[11:13, 29:31] = (0, 255, 0, 255)
    draw = shown(made, {"card": art}, 8.0)
    found = CHECKS["soft"].run(Subject(made, full_sets(made), False))
    uses = [
        _apart(draw(state)) / 8 / 20 for state in [State(float(s)) for s in np.random.default_rng(3).uniform(0, 1, 120)]
    ]
    if not found:
        assert max(uses) <= 1.03
    else:
        assert max(uses) <= found[0].amount + 0.01
        assert _apart(draw(found[0].state)) / 8 / 20 == pytest.approx(found[0].amount, abs=0.01)


def _apart(picture: np.ndarray) -> float:
    """Picture px between the red and the green dot."""
    places = []
    for channel in (0, 1):
        weight = picture[..., channel].astype(float) * (picture[..., 3] > 0)
        places.append((weight.sum(axis=0) * np.arange(picture.shape[1])).sum() / weight.sum())
    return abs(places[1] - places[0])


@FEW
@given(
    x=st.integers(-30, 30),
    y=st.integers(-14, 14),
    back=st.sampled_from([-40.0, 0.0]),
    front=st.sampled_from([90.0, 300.0]),
    far=small,
)
def test_a_wrong_order_is_as_large_as_the_pictures_show(x: int, y: int, back: float, front: float, far: int) -> None:
    made = scene(
        layer("back", 24, 16, depth=back), layer("front", 30, 20, depth=front, framing={"x": x, "y": y}), view=VIEW,
        drivers=DRIVERS, tracks=[track("camera", "x", "scroll", (0, 0), (1, far))],
    )  # fmt: skip
    found = CHECKS["order"].run(Subject(made, full_sets(made), False))
    alone = [made.model_copy(update={"layers": (each,)}) for each in made.layers]
    art = {"back": np.full((16, 24, 4), 255, np.uint8), "front": np.full((20, 30, 4), 255, np.uint8)}
    draws = [shown(each, art) for each in alone]

    def share(state: State) -> float:
        return float(np.logical_and(*(draw(state)[..., 3] > 127 for draw in draws)).mean())

    measured = max(share(state) for state in random_states(300, 2))
    if not found:
        assert measured < 0.004
    else:
        assert 100 * share(found[0].state) == pytest.approx(found[0].amount, abs=2.5), "a pixel along each side is 2 %"
        assert 100 * measured <= found[0].amount + 2.5


@FEW
@given(
    far=st.integers(-50, 50),
    ease=st.sampled_from(["linear", "ease-in-out", "ease-in"]),
    depth=depths,
    seconds=st.integers(1, 5),
)
def test_top_speed_is_the_quickest_step_between_pictures(far: int, ease: str, depth, seconds: int) -> None:
    from clinamen.core.bounds.speeds import top_speed
    from clinamen.core.motion.mixes import Motion

    made = scene(layer("dot", 8, 8, depth=depth), view=VIEW, drivers={"time": {"duration": seconds}},
                 tracks=[track("camera", "x", "time", (0, 0, ease), (seconds, far))])  # fmt: skip
    draw = shown(made, {"dot": np.full((8, 8, 4), 255, np.uint8)}, 8.0)
    at = []
    for time in np.linspace(0, seconds, 101):
        alpha = draw(State(time=float(time)))[..., 3].astype(float)
        at.append((alpha.sum(axis=0) * np.arange(alpha.shape[1])).sum() / alpha.sum() / 8)
    stepped = np.abs(np.array(at[4:]) - np.array(at[:-4])).max() / (seconds / 25)
    top = top_speed(made, Motion(made), made.layers[0], "time").whole / seconds
    assert stepped == pytest.approx(top, rel=0.03, abs=0.6)
