"""A sheet that still shows what was cut out of it is found where the move uncovers it, and cured, with the picture as judge."""

import numpy as np
import pytest

from clinamen.core.checks import prove
from clinamen.core.document import Scene
from clinamen.core.motion.states import State
from clinamen.core.pictures.telling import Telling
from clinamen.core.prep.tracing import traced
from clinamen.core.raster import render
from clinamen.core.stage import stage_at
from tests.conftest import fixed, layer, noise, scene, shelf_of, track

AT_THE_END = State(scroll=1.0)
VIEW = {"width": 400, "height": 260}
Y, X = np.mgrid[0:360, 0:560]
DISC = np.hypot(X - 280, Y - 180)


def wall() -> np.ndarray:
    """A place without red."""
    place = noise(560, 360, 7, 40)
    place[..., 0] //= 4
    return place


def painted(subject: str) -> np.ndarray:
    """A place with a subject in it: a flat disc, a ring through which the place is seen, or one with a pattern."""
    place = wall()
    inside = (DISC < 60) & ((DISC > 25) if subject == "ring" else True)
    colours = noise(560, 360, 8, 6) if subject == "patterned" else np.full((360, 560, 4), (220, 60, 30, 255), np.uint8)
    place[inside] = colours[inside]
    return place


def cut_out(place: np.ndarray, subject: str) -> np.ndarray:
    piece = place.copy()
    share = np.clip(60.5 - DISC, 0, 1)
    if subject == "ring":
        share = share * np.clip(DISC - 24.5, 0, 1)
    piece[..., 3] = np.rint(255 * share)
    return piece


def made(truck: float = 120, **piece) -> Scene:
    return scene(
        layer("wall", 560, 360, depth=600), layer("lamp", 560, 360, depth=0, **piece), view=VIEW,
        drivers={"scroll": {}}, tracks=[track("camera", "x", "scroll", (0, 0), (1, truck))],
    )  # fmt: skip


def doubles(one: Scene, art: dict[str, np.ndarray]) -> list:
    shelf = shelf_of(art, one)
    found = prove(one, shelf.opaque_sets(one), art=Telling(shelf))
    return [finding for finding in found if finding.check == "ghost"]


def seen_twice(one: Scene, art: dict[str, np.ndarray]) -> int:
    """Pixels at the end of the move, besides the piece, that show the red of the subject."""
    shelf = shelf_of(art, one)
    alone = one.model_copy(update={"layers": one.layers[:1]})
    pictures = [render(each, AT_THE_END, shelf.loader(each))[..., :3].astype(int) for each in (one, alone)]
    piece = np.abs(pictures[0] - pictures[1]).sum(axis=2) > 0
    red = np.abs(pictures[1] - (220, 60, 30)).sum(axis=2) < 40
    return int((red & ~piece).sum())


@pytest.mark.parametrize("subject", ["disc", "ring", "patterned"])
def test_a_subject_that_is_left_in_the_sheet_behind_is_found_and_its_cure_takes_it_out(subject: str) -> None:
    place = painted(subject)
    art = {"wall": place, "lamp": cut_out(place, subject)}
    one = made()
    (finding,) = doubles(one, art)
    assert finding.layer == "wall" and finding.severity == "error" and finding.state.scroll == 1.0
    far, near = (float(sheet.rate[0]) for sheet in stage_at(one, State()).sheets)
    assert finding.amount == pytest.approx(120 * (near - far), abs=1.0), "what the two come apart by"
    cured = fixed(one, finding.fixes[0])
    assert doubles(cured, art) == []
    if subject == "disc":
        assert seen_twice(one, art) > 500 and seen_twice(cured, art) == 0
    rest = [render(each, State(), shelf_of(art, each).loader(each)).astype(int) for each in (one, cured)]
    assert (np.abs(rest[0] - rest[1]).max(axis=2) > 40).mean() < 0.02, (
        "at rest the picture stays but for the grown ring"
    )


def test_what_was_painted_out_behind_a_piece_is_no_double() -> None:
    place = painted("disc")
    assert doubles(made(), {"wall": wall(), "lamp": cut_out(place, "disc")}) == []


def test_a_double_that_the_move_never_uncovers_is_none() -> None:
    place = painted("disc")
    art = {"wall": place, "lamp": cut_out(place, "disc")}
    assert doubles(made(truck=0.5), art) == []
    hidden = scene(
        layer("wall", 560, 360, depth=600), layer("new", 560, 360, depth=600), layer("lamp", 560, 360), view=VIEW,
        drivers={"scroll": {}}, tracks=[track("camera", "x", "scroll", (0, 0), (1, 120))],
    )  # fmt: skip
    assert doubles(hidden, {**art, "new": wall()}) == [], "another sheet hides it"


def test_two_dark_ridges_over_each_other_are_no_double() -> None:
    back, front = (np.zeros((360, 560, 4), np.uint8) for _ in "ab")
    ridge = (8, 10, 14, 255)
    back[130:] = ridge
    front[220 + 25 * np.sin(X / 30) < Y] = ridge
    assert doubles(made(), {"wall": back, "lamp": front}) == []


def test_a_silhouette_with_holes_and_parts_is_one_outline() -> None:
    alpha = np.zeros((120, 200), np.uint8)
    alpha[20:100, 20:100] = 255
    alpha[40:80, 40:80] = 0
    alpha[50:70, 150:180] = 255
    x, y = traced(alpha).T
    area = 0.5 * abs(float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))))
    wanted = 79 * 79 - 41 * 41 + 19 * 29
    assert area == pytest.approx(wanted, rel=0.02) or area == pytest.approx(79 * 79 + 41 * 41 + 19 * 29, rel=0.02)
    assert len(traced(np.zeros((10, 10), np.uint8))) == 0
