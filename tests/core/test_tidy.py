"""Islands and holes of a cut: counted, dropped, closed; a piece made solid inside; and the gap that this closes."""

import cv2
import numpy as np
import pytest

from clinamen.core.checks import prove
from clinamen.core.edits import apply
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.prep.tidy import spots, tidied
from tests.conftest import fixed, layer, noise, scene, track


def disc(alpha: np.ndarray, x: int, y: int, radius: int, value: int) -> None:
    cv2.circle(alpha, (x, y), radius, value, -1)


@pytest.fixture
def cut() -> np.ndarray:
    """A piece of 60 px radius with a pinhole, a larger hole and a half-clear place, and two islands beside it."""
    alpha = np.zeros((200, 300), np.uint8)
    disc(alpha, 110, 100, 60, 255)
    disc(alpha, 90, 80, 2, 0)
    disc(alpha, 130, 110, 9, 0)
    disc(alpha, 95, 125, 10, 170)
    disc(alpha, 230, 60, 3, 255)
    disc(alpha, 250, 150, 12, 255)
    return alpha


def test_spots_are_counted_with_how_large_they_are(cut) -> None:
    found = spots(cut)
    assert (found.islands, found.holes) == (2, 2)
    assert found.largest_island == pytest.approx(np.sqrt(np.pi * 12**2), rel=0.06)
    assert found.largest_hole == pytest.approx(np.sqrt(np.pi * 9**2), rel=0.06)


def test_only_what_is_smaller_is_dropped_or_closed(cut) -> None:
    left = tidied(cut, 10, 8, 0)
    assert (spots(left).islands, spots(left).holes) == (1, 1)
    assert left[150, 250] == 255 and left[60, 230] == 0 and left[80, 90] == 255 and left[110, 130] == 0
    assert left[125, 95] == 170, "what is half clear is no hole"
    assert (tidied(cut, 0, 0, 0) == cut).all()
    assert (tidied(cut, 1000, 0, 0)[100, 60:160] == cut[100, 60:160]).all(), "the largest part always stays"


def test_solid_inside_leaves_the_edge_alone(cut) -> None:
    soft = cv2.GaussianBlur(cut, (0, 0), 1.5)
    made = tidied(soft, 0, 0, 4)
    assert (made[100, 70:150] == 255).all() and made[125, 95] == 255
    y, x = np.mgrid[0:200, 0:300]
    rim = (soft > 0) & (soft < 128) & (np.hypot(x - 110, y - 100) > 52)  # the outline's, not that of the holes within
    assert (made[rim] == soft[rim]).all(), "the soft rim is as it was"
    touching = np.full((50, 50), 255, np.uint8)
    touching[20:24, 20:24] = 0
    assert (tidied(touching, 0, 0, 5) == 255).all(), "a side cut by the canvas is no edge"


def test_the_edit_tidies_after_its_cut_and_again_in_the_same_step() -> None:
    made = scene(layer("a", 300, 200))
    made = apply(made, "step-add", {"layer": "a", "step": "key", "colour": "#00ff00"})[0]
    made = apply(made, "tidy", {"layer": "a", "holes": "12"})[0]
    made = apply(made, "tidy", {"layer": "a", "index": "0", "solid": "3 px"})[0]
    steps = made.layer("a").recipe.steps
    assert [step.kind for step in steps] == ["key", "tidy"] and (steps[1].holes, steps[1].solid) == (12, 3)


@pytest.fixture
def portrait() -> tuple[ArtShelf, object]:
    """A photograph cut apart whose piece has a highlight that the cut took half away."""
    art = noise(500, 400, 5)
    art[180:215, 235:270, :3] = (0, 255, 0)
    made = scene(
        layer("a", 500, 400), view={"width": 400, "height": 300}, drivers={"scroll": {}},
        tracks=[track("camera", "x", "scroll", (0, 0), (1, 30))],
    )  # fmt: skip
    made = apply(
        made,
        "step-add",
        {"layer": "a", "step": "rectangle", "data": '{"box": {"x": 150, "y": 100, "width": 200, "height": 200}}'},
    )[0]
    made = apply(made, "cut-apart", {"layer": "a", "index": "0"})[0]
    made = apply(made, "step-add", {"layer": "a", "step": "key", "colour": "#00ff00", "spill": "0"})[0]
    return {"art/a.png": encode_png(art, level=1)}, made


def test_a_gap_through_a_piece_offers_what_closes_it(portrait) -> None:
    files, made = portrait

    def inside(one) -> list:
        sets = ArtShelf(files.__getitem__, scene=one).opaque_sets(one)
        return [f for f in prove(one, sets) if f.check == "gap" and not f.side]

    (gap,) = inside(made)
    kinds = {(fix.kind, fix.edit) for fix in gap.fixes}
    assert {("solid", "tidy"), ("fill", "step-set")} <= kinds
    for fix in gap.fixes:
        if fix.kind in ("solid", "fill"):
            assert inside(fixed(made, fix)) == [], fix.text
