"""How far cover would have to reach further, against SciPy's exact Euclidean distance transform of rendered pictures.

The judge is a picture of the scene with margins around the view: the same scene in a larger view, its lens distance kept. What
it shows of a state is its alpha; the amount of an opening is the largest distance of one of its pixels in the view from the
nearest covered pixel anywhere in the picture.
"""

import numpy as np
import pytest
from scipy import ndimage

from clinamen.core.checks import Finding, prove
from clinamen.core.document import Scene
from clinamen.core.motion.states import State
from clinamen.core.raster import render
from tests.conftest import layer, scene, shelf_of, track

WIDE, HIGH = 96, 54
VIEW = {"width": WIDE, "height": HIGH}
FINE = 3  # pixels of the judge's picture a view pixel
Art = dict[str, np.ndarray]


class Judge:
    """Pictures of a scene with a margin of view px around the view."""

    def __init__(self, made: Scene, art: Art, margin: int, fine: int = FINE) -> None:
        view = made.view.model_copy(
            update={"width": made.view.width + 2 * margin, "height": made.view.height + 2 * margin}
        )
        sensor = made.lens.sensor_width * view.width / made.view.width
        wide = made.model_copy(update={"view": view, "lens": made.lens.model_copy(update={"sensor_width": sensor})})
        loader = shelf_of(art, wide).loader(wide, fine)
        self.alpha = lambda state: render(wide, state, loader, fine, transparent=True)[..., 3]
        self.inner = np.s_[margin * fine : -margin * fine, margin * fine : -margin * fine]
        self.fine = fine

    def away(self, state: State) -> np.ndarray:
        """Distance in view px of each pixel of the view from what is covered, 0 where it is itself; inf where nothing is."""
        bare = self.alpha(state) < 128
        if bare.all():
            return np.full(bare[self.inner].shape, np.inf)
        return ndimage.distance_transform_edt(bare)[self.inner] / self.fine

    def at(self, finding: Finding) -> float:
        """The amount of the opening that a finding names, at its state."""
        away = self.away(finding.state)
        labels, _ = ndimage.label(away > 0, np.ones((3, 3)))
        where = finding.where
        rows = slice(max(0, int(where.y * self.fine) - 2), int((where.y + where.height) * self.fine) + 3)
        columns = slice(max(0, int(where.x * self.fine) - 2), int((where.x + where.width) * self.fine) + 3)
        mine = np.isin(labels, np.setdiff1d(labels[rows, columns], 0))
        return float(away[mine].max(initial=0.0))


def found_gaps(made: Scene, art: Art, fixes: bool = False) -> list[Finding]:
    sets = shelf_of(art, made).opaque_sets(made)
    return [finding for finding in prove(made, sets, fixes) if finding.check == "gap"]


def flat(width: int, height: int, inside: np.ndarray | None = None) -> np.ndarray:
    art = np.full((height, width, 4), 255, np.uint8)
    if inside is not None:
        art[~inside, 3] = 0
    return art


def test_a_sheet_that_leaves_altogether_is_named_at_the_edge_it_left_last() -> None:
    """700 px in a view of 640, trucked by 700: the far edge is 670 px from art, and so the whole view is open."""
    made = scene(
        layer("a", 700, 400), view={"width": 640, "height": 360}, drivers={"scroll": {}},
        tracks=[track("camera", "x", "scroll", (0, 0), (1, 700))],
    )  # fmt: skip
    art = {"a": flat(700, 400)}
    (found,) = found_gaps(made, art, fixes=True)
    assert (found.amount, found.side, found.state.scroll) == (pytest.approx(670, abs=0.5), "right", 1.0)
    assert Judge(made, art, 64, 1).at(found) == pytest.approx(670, abs=1)
    assert {fix.kind for fix in found.fixes} == {"extend", "repeat"}
    (extend,) = (fix for fix in found.fixes if fix.kind == "extend")
    assert extend.value == 670


@pytest.mark.parametrize(("middle", "side"), [(19.8, "left"), (45.0, ""), (620.2, "right")])
def test_a_round_hole_has_its_radius_whether_it_touches_an_edge_or_not(middle: float, side: str) -> None:
    y, x = np.mgrid[0:600, 0:900] + 0.5
    made = scene(layer("a", 900, 600), view={"width": 640, "height": 360})
    art = {"a": flat(900, 600, np.hypot(x - 130 - middle, y - 300) > 30)}
    (found,) = found_gaps(made, art)
    assert found.side == side and found.amount == pytest.approx(30, abs=1)
    assert Judge(made, art, 8, 2).at(found) == pytest.approx(found.amount, abs=1)


def random_scene(seed: int) -> tuple[Scene, Art]:
    """Two to four sheets, some ragged, leaning, carried or turning, under a camera that goes several ways."""
    rng = np.random.default_rng(seed)
    layers, art, tracks = [], {}, []
    for name in "abcd"[: rng.integers(2, 5)]:
        width, height = int(rng.integers(70, 150)), int(rng.integers(45, 90))
        fields = {"depth": rng.choice([-40.0, 0.0, 80.0, 300.0])} if rng.random() < 0.8 else {"depth": "infinite"}
        fields["framing"] = {
            "x": float(rng.integers(-20, 20)),
            "y": float(rng.integers(-8, 8)),
            "scale": float(rng.choice([0.8, 1, 1.2])),
        }
        if rng.random() < 0.2:
            fields["tilt"] = {"lean": float(rng.integers(-20, 20)), "turn": float(rng.integers(-20, 20))}
        if rng.random() < 0.3:
            fields["carrier"] = "raft"
        blocks = ndimage.zoom(rng.random((4, 6)), (height / 4, width / 6), order=1)[:height, :width]
        inside = np.pad(blocks, ((0, height - blocks.shape[0]), (0, width - blocks.shape[1])), "edge") > 0.35
        art[name] = flat(width, height, inside if rng.random() < 0.6 else None)
        layers.append(layer(name, width, height, **fields))
        if rng.random() < 0.3:
            channel, most = [("x", 20), ("y", 12), ("rotation", 12), ("scale", 0)][rng.integers(4)]
            ends = (
                (1.0, float(rng.choice([0.9, 1.15])))
                if channel == "scale"
                else (0.0, float(rng.integers(-most, most + 1)))
            )
            tracks.append(
                track(
                    name,
                    channel,
                    str(rng.choice(["scroll", "time"])),
                    (0, ends[0], str(rng.choice(["linear", "hold", "ease"]))),
                    (1, ends[1]),
                )
            )
    for channel, most in (("x", 22), ("y", 10), ("z", 40), ("roll", 6), ("yaw", 4)):
        if rng.random() < (0.9 if channel == "x" else 0.3):
            ease = str(rng.choice(["linear", "ease", "smooth", "hold"]))
            tracks.append(
                track(
                    "camera",
                    channel,
                    "scroll",
                    (0, 0, ease),
                    (0.6, float(rng.integers(-most, most + 1)), ease),
                    (1, float(rng.integers(-most, most + 1))),
                )
            )
    if rng.random() < 0.4:
        tracks.append(track("raft", "x", "time", (0, 0), (1, float(rng.integers(-15, 15)))))
    made = scene(
        *layers, view=VIEW, carriers=[{"id": "raft", "name": "Raft"}], tracks=tracks,
        drivers={"scroll": {}, "time": {"duration": 1, "loop": False}} | ({"pointer": {"reach_x": 6, "reach_y": 3}} if rng.random() < 0.4 else {}),
    )  # fmt: skip
    return made, art


def sampled(made: Scene, seed: int, count: int = 16) -> list[State]:
    rng = np.random.default_rng(seed)
    ends = [State(s, (u, v), t) for s in (0, 0.6, 1) for u in (-1, 1) for v in (-1, 1) for t in (0, 1)]
    pointer = made.drivers.pointer is not None
    free = rng.uniform([0, -1, -1, 0], 1, (count, 4))
    states = [*ends, *(State(float(s), (float(u), float(v)), float(t)) for s, u, v, t in free)]
    return states if pointer else [State(each.scroll, (0.0, 0.0), each.time) for each in states]


@pytest.mark.parametrize("seed", range(12))
def test_every_amount_is_the_opening_s_own_and_no_state_has_a_larger_one(seed: int) -> None:
    made, art = random_scene(seed)
    judge = Judge(made, art, 60)
    found = found_gaps(made, art)
    for finding in found:
        if "could be proved" in finding.message:
            continue
        measured = judge.at(finding)
        if np.isfinite(measured) and measured < 60:
            assert finding.amount == pytest.approx(measured, abs=1), finding.message
    most = max((finding.amount for finding in found), default=0.0)
    for state in sampled(made, seed):
        away = judge.away(state)
        deepest = float(away.max())
        if np.isfinite(deepest) and deepest < 60:
            assert deepest <= most + 1, (state, [f.message for f in found])
