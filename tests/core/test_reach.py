"""Fill reach: how far a move uncovers what was cut out, against brute force, and what the proof makes of it."""

import numpy as np
import pytest

from clinamen.core.bounds.fill_reach import hull_of, reach_between
from clinamen.core.bounds.opaque import opaque_set
from clinamen.core.checks import prove
from clinamen.core.document import Scene
from clinamen.core.edits import apply
from clinamen.core.motion.states import State, States
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.stage import corners, project, stage, stage_at
from tests.conftest import fixed, layer, noise, scene, track

VIEW = {"width": 400, "height": 300}


def pair(front: dict | None = None, behind: dict | None = None, **fields: object) -> Scene:
    """A piece at depth 0 in front of a sheet at 400, unless told otherwise."""
    return scene(
        layer("behind", 500, 400, depth=400, **(behind or {})), layer("front", 200, 160, **(front or {})),
        view=VIEW, lens={"focal_length": 36, "sensor_width": 36}, **fields,
    )  # fmt: skip


def brute(made: Scene, states: int = 4000, seed: int = 1) -> float:
    """The largest displacement over random states, by the placement itself."""
    rng = np.random.default_rng(seed)
    time = made.drivers.time.duration if made.drivers.time else 0.0
    pointer = 1.0 if made.drivers.pointer else 0.0
    some = States(
        rng.random(states) if made.drivers.scroll else np.zeros(states),
        rng.choice([-1, 1, 0.3], states) * pointer, rng.choice([-1, 1, -0.6], states) * pointer, rng.random(states) * time,
    )  # fmt: skip
    behind, front = stage(made, some).sheets
    still = made.model_copy(update={"tracks": (), "drivers": type(made.drivers)(), "camera": type(made.camera)()})
    rest_b, rest_f = stage_at(still, State()).sheets
    points = corners(made.layer("front"))

    def seen(f: np.ndarray, b: np.ndarray) -> np.ndarray:
        return project(np.linalg.inv(b), project(f, points)[0])[0]

    start = seen(rest_f.matrix[0], rest_b.matrix[0])
    return max(
        float(np.linalg.norm(seen(f, b) - start, axis=1).max())
        for f, b in zip(front.matrix, behind.matrix, strict=True)
    )


MOVES = {
    "a pointer": {"drivers": {"pointer": {"reach_x": 40, "reach_y": 25}}},
    "a truck": {"drivers": {"scroll": {}}, "tracks": [track("camera", "x", "scroll", (0, -30), (1, 90))]},
    "a dolly": {"drivers": {"scroll": {}}, "tracks": [track("camera", "z", "scroll", (0, 0), (1, 150))]},
    "an arc": {"drivers": {"scroll": {}}, "tracks": [track("camera", "arc", "scroll", (0, 0), (1, 6))]},
    "everything at once": {
        "drivers": {"scroll": {}, "pointer": {"reach_x": 12, "reach_y": 9}, "time": {"duration": 8}},
        "tracks": [
            track("camera", "x", "scroll", (0, 0), (1, 60)), track("camera", "z", "time", (0, 0, "ease-in-out"), (8, 90)),
            track("camera", "roll", "scroll", (0, 0), (1, 8)), track("camera", "yaw", "time", (0, 0), (8, 5)),
        ],
    },
    "a spike": {
        "drivers": {"scroll": {}},
        "tracks": [track("camera", "x", "scroll", (0, 0), (0.4, 0), (0.405, 70), (0.41, 0), (1, 0))],
    },
}  # fmt: skip


@pytest.mark.parametrize("move", MOVES)
def test_the_reach_is_what_trying_thousands_of_states_finds_and_a_little_more(move: str) -> None:
    made = pair(**MOVES[move])
    found, tried = reach_between(made, "front", "behind").pixels, brute(made)
    assert tried <= found + 1e-6
    assert found <= tried + (2.0 if move != "a spike" else 20.0), "bounded, not guessed"


def test_a_truck_uncovers_the_difference_of_the_rates() -> None:
    made = pair(drivers={"scroll": {}}, tracks=[track("camera", "x", "scroll", (0, 0), (1, 80))])
    rate = 400 / (400 + 400)
    assert reach_between(made, "front", "behind").pixels == pytest.approx(80 * (1 - rate), abs=1e-6)
    half = pair(
        behind={"framing": {"scale": 0.5}},
        drivers=made.drivers.model_dump(),
        tracks=[t.model_dump() for t in made.tracks],
    )
    assert reach_between(half, "front", "behind").pixels == pytest.approx(160 * (1 - rate), abs=1e-6), (
        "in the sheet's own px"
    )


def test_turning_and_zooming_uncover_nothing_and_neither_does_standing_at_one_depth() -> None:
    turns = [track("camera", "yaw", "scroll", (0, 0), (1, 12)), track("camera", "zoom", "scroll", (0, 1), (1, 1.4))]
    assert reach_between(pair(drivers={"scroll": {}}, tracks=turns), "front", "behind").pixels < 0.5
    level = pair(front={"depth": 400}, **MOVES["a pointer"])
    assert reach_between(level, "front", "behind").pixels < 1e-6
    assert reach_between(level, "front", "nowhere").pixels == 0


def test_only_what_the_piece_shows_counts() -> None:
    alpha = np.zeros((160, 200), np.uint8)
    alpha[60:100, 80:120] = 255
    made = pair(**MOVES["a dolly"])
    small = opaque_set(alpha, 200, 160)
    hull = hull_of(made.layer("front"), small)
    assert hull.min(axis=0).tolist() == [-20, -20] and hull.max(axis=0).tolist() == [20, 20]
    assert reach_between(made, "front", "behind", small).pixels < 0.3 * reach_between(made, "front", "behind").pixels


def test_tilted_sheets_are_tried_at_their_keys_and_ends() -> None:
    made = pair(behind={"tilt": {"lean": 30}}, **MOVES["a truck"])
    assert reach_between(made, "front", "behind").pixels == pytest.approx(brute(made), rel=0.02)


def test_a_short_fill_is_found_at_its_worst_moment_and_its_fix_closes_it() -> None:
    art = noise(500, 400, 4)
    made = scene(
        layer("a", 500, 400),
        view=VIEW,
        drivers={"scroll": {}},
        tracks=[track("camera", "x", "scroll", (0, 0), (1, 20))],
    )
    made = apply(
        made,
        "step-add",
        {"layer": "a", "step": "rectangle", "data": '{"box": {"x": 200, "y": 150, "width": 90, "height": 80}}'},
    )[0]
    made = apply(made, "cut-apart", {"layer": "a", "index": "0"})[0]

    def ghosts(one: Scene) -> list:
        shelf = ArtShelf({"art/a.png": encode_png(art, level=1)}.__getitem__, scene=one)
        return [finding for finding in prove(one, shelf.opaque_sets(one)) if finding.check == "ghost"]

    assert ghosts(made) == []
    tracks = tuple(
        t.model_copy(update={"keys": (t.keys[0], t.keys[1].model_copy(update={"value": 200.0}))}) for t in made.tracks
    )
    longer = made.model_copy(update={"tracks": tracks})
    (finding,) = ghosts(longer)
    assert finding.layer == "a-behind" and finding.state.scroll == 1.0 and finding.severity == "error"
    assert finding.amount == pytest.approx(200 * 0.25 - made.layer("a-behind").recipe.steps[-1].reach, abs=1)
    assert ghosts(fixed(longer, finding.fixes[0])) == []
    assert len(ghosts(fixed(longer, finding.fixes[0], finding.fixes[0].value - 1))) == 1, "a pixel less would leave it"
    hidden = apply(longer, "layer", {"layer": "a", "visible": "0"})[0]
    assert ghosts(hidden) == [], "behind a piece that is hidden everything shows anyway"
    again = apply(longer, "fill-reach", {"layer": "a-behind"})[0]
    assert ghosts(again) == []


def test_before_any_pixel_is_known_the_cuts_own_box_stands_for_the_piece() -> None:
    made = scene(layer("a", 500, 400), view=VIEW, **MOVES["a dolly"])
    box = '{"box": {"x": 220, "y": 180, "width": 60, "height": 40}}'
    made = apply(made, "step-add", {"layer": "a", "step": "rectangle", "data": box})[0]
    assert hull_of(made.layer("a"), None).tolist() == [[-30, -20], [30, -20], [30, 20], [-30, 20]]
    apart = apply(made, "cut-apart", {"layer": "a", "index": "0"})[0]
    reach = apart.layer("a-behind").recipe.steps[-1].reach
    assert reach < 20, "a dolly parts what is near the middle little, the corners of the art much"
    cropped = apply(
        made, "step-add", {"layer": "a", "step": "crop", "x": "0", "y": "0", "width": "300", "height": "300"}
    )[0]
    assert (hull_of(cropped.layer("a"), None) == corners(cropped.layer("a"))).all()
