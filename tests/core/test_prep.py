"""Prep steps and recipes: what a user sees of a cut, an edge, a fill, an extension, and where everything stays."""

from typing import Any

import cv2
import numpy as np
import pytest

from clinamen.core import document
from clinamen.core.edits import apply
from clinamen.core.errors import BadDocument, BadEdit
from clinamen.core.motion.states import State
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.prep import assisted, retouch
from clinamen.core.prep.base import Around, Cancelled
from clinamen.core.prep.extend import best_overlap, seam_at
from clinamen.core.prep.recipe import Recipe
from clinamen.core.prep.run import recipe_key, run
from clinamen.core.prep.shapes import Box, Mark, Node, Point, Stroke
from clinamen.core.prep.steps import (  # fmt: skip
    STEPS,
    AssistedCut,
    Bleed,
    BrightnessCut,
    Canvas,
    Crop,
    DifferenceCut,
    Extend,
    Fill,
    Flip,
    Fringe,
    Grow,
    KeyCut,
    Match,
    OutlineCut,
    RectangleCut,
    Resize,
    Retouch,
    Smooth,
    Soften,
    Solid,
    Turn,
)
from clinamen.core.prep.tidy import spots
from clinamen.core.raster import render
from clinamen.core.recipes import placed_as_before, recipe_of, scaled_steps, waiting, with_steps
from tests.conftest import layer, noise, psnr, scene


def prepared(pixels: np.ndarray, *steps: object, around: Around | None = None) -> np.ndarray:
    return run(Recipe(width=pixels.shape[1], height=pixels.shape[0], steps=steps), pixels, around)


def flat(width: int, height: int, *colour: int) -> np.ndarray:
    return np.full((height, width, 4), colour, np.uint8)


def disc(width: int, height: int, radius: float) -> np.ndarray:
    """A red disc in the middle of green ground, its edge one pixel wide."""
    y, x = np.mgrid[0:height, 0:width] + 0.5
    share = np.clip(radius + 0.5 - np.hypot(x - width / 2, y - height / 2), 0, 1)[..., None]
    colour = share * [220, 40, 30] + (1 - share) * [30, 180, 60]
    return np.dstack([np.rint(colour), np.full((height, width), 255)]).astype(np.uint8)


# --- cuts -------------------------------------------------------------------------------------------------------------


def test_an_outline_keeps_what_is_inside_and_inverted_what_is_outside() -> None:
    nodes = (Node(x=20, y=10), Node(x=80, y=10), Node(x=80, y=50), Node(x=20, y=50))
    kept = prepared(flat(100, 60, 9, 9, 9, 255), OutlineCut(nodes=nodes, soften=0))[..., 3]
    rest = prepared(flat(100, 60, 9, 9, 9, 255), OutlineCut(nodes=nodes, soften=0, invert=True))[..., 3]
    assert kept[10:50, 20:80].min() == 255 and kept.astype(int).sum() == 255 * 60 * 40
    assert (kept.astype(int) + rest == 255).all()


def test_a_bezier_outline_of_a_circle_has_the_circles_area() -> None:
    k = 30 * 0.5522847498  # the usual handle length of a circle's quarter
    nodes = (
        Node(x=50, y=20, in_x=-k, out_x=k), Node(x=80, y=50, in_y=-k, out_y=k),
        Node(x=50, y=80, in_x=k, out_x=-k), Node(x=20, y=50, in_y=k, out_y=-k),
    )  # fmt: skip
    alpha = prepared(flat(100, 100, 9, 9, 9, 255), OutlineCut(nodes=nodes, soften=0))[..., 3]
    assert alpha.sum() / 255 == pytest.approx(np.pi * 30**2, rel=0.002)


def test_a_half_covered_pixel_is_half_clear() -> None:
    nodes = (Node(x=10.5, y=0), Node(x=30, y=0), Node(x=30, y=20), Node(x=10.5, y=20))
    assert prepared(flat(40, 20, 9, 9, 9, 255), OutlineCut(nodes=nodes, soften=0))[10, 10, 3] == pytest.approx(
        128, abs=2
    )


def test_a_rounded_rectangle_loses_its_corners_only() -> None:
    box = Box(x=10, y=10, width=80, height=40)
    alpha = prepared(flat(100, 60, 9, 9, 9, 255), RectangleCut(box=box, radius=12, soften=0))[..., 3]
    assert alpha[10, 50] == 255 and alpha[30, 10] == 255 and alpha[10, 10] == 0
    assert alpha.sum() / 255 == pytest.approx(80 * 40 - (4 - np.pi) * 12**2, rel=0.002)


def test_a_key_takes_its_colour_out_of_the_edge_too() -> None:
    picture = disc(80, 80, 25)
    made = prepared(picture, KeyCut(colour="#1eb43c", tolerance=12, softness=60, soften=0))
    assert made[2, 2, 3] == 0 and made[40, 40].tolist() == [220, 40, 30, 255]
    edge = (made[..., 3] > 100) & (made[..., 3] < 250)
    assert edge.any() and made[edge][:, 1].max() < 110, "no green is left in the edge's own colour"


def test_brightness_and_difference_keep_what_they_say() -> None:
    steps = np.repeat(np.arange(0, 256, 32, dtype=np.uint8), 10)[None].repeat(10, 0)
    grey = np.dstack([steps, steps, steps, np.full_like(steps, 255)])
    alpha = prepared(grey, BrightnessCut(low=0.5, high=1, softness=0, soften=0))[0, ::10, 3]
    assert (alpha > 0).tolist() == [False] * 4 + [True] * 4  # L* passes 50 between 96 and 128
    empty, subject = noise(120, 90, 3), noise(120, 90, 3)
    subject[30:60, 40:80, :3] = 255 - subject[30:60, 40:80, :3]
    around = Around(art=lambda layer: empty)
    found = prepared(subject, DifferenceCut(layer="empty", tolerance=8, softness=2), around=around)[..., 3] > 128
    assert found[33:57, 43:77].all() and not found[:26].any() and not found[:, :36].any()
    other_shape = prepared(subject, DifferenceCut(layer="empty"), around=Around(art=lambda layer: empty[:50]))
    assert (other_shape == subject).all(), "pictures of two shapes have nothing to compare: all stays"


def test_an_assisted_cut_finds_the_subject_and_obeys_marks() -> None:
    picture = disc(240, 180, 50)
    picture[..., :3] = np.clip(
        picture[..., :3].astype(int) + np.random.default_rng(1).integers(-8, 9, (180, 240, 3)), 0, 255
    )
    box = Box(x=55, y=30, width=130, height=120)
    alpha = prepared(picture, AssistedCut(box=box))[..., 3] >= 128
    y, x = np.mgrid[0:180, 0:240] + 0.5
    truth = np.hypot(x - 120, y - 90) <= 50
    assert (alpha & truth).sum() / (alpha | truth).sum() > 0.98
    mark = Mark(belongs=False, radius=12, points=(Point(x=120, y=90),))
    assert not (prepared(picture, AssistedCut(box=box, marks=(mark,)))[84:96, 114:126, 3] > 0).any()


# --- edges ------------------------------------------------------------------------------------------------------------


def test_growing_and_shrinking_move_the_edge_by_what_they_say() -> None:
    art = flat(120, 120, 9, 9, 9, 255)
    y, x = np.mgrid[0:120, 0:120] + 0.5
    art[..., 3] = np.clip(30.5 - np.hypot(x - 60, y - 60), 0, 1) * 255
    for by in (-7.0, 0.0, 5.0):
        area = (prepared(art, Grow(by=by))[..., 3] / 255).sum()
        assert np.sqrt(area / np.pi) == pytest.approx(30 + by, abs=0.3)


def test_smoothing_fills_a_notch_and_solid_leaves_no_half_tones() -> None:
    art = flat(100, 60, 9, 9, 9, 255)
    art[:10, :, 3] = art[50:, :, 3] = 0
    art[10:14, 48:51, 3] = 0
    made = prepared(art, Smooth(radius=10))[..., 3]
    assert made[12, 49] > 200 and made[30, 50] == 255 and made[5, 20] == 0
    assert set(np.unique(prepared(art, Soften(radius=3), Solid(threshold=0.5))[..., 3])) == {0, 255}


def test_fringe_removal_leaves_no_old_background_and_bleeding_darkens_no_edge() -> None:
    soft = disc(120, 120, 30)
    y, x = np.mgrid[0:120, 0:120] + 0.5
    soft[..., 3] = np.clip(31.5 - np.hypot(x - 60, y - 60), 0, 1) * 255  # cut a pixel too wide: green comes along
    shown = soft[..., 3] > 0
    assert (soft[shown][:, 1].astype(int) > 100).any()
    clean = prepared(soft, Fringe(reach=3))
    assert (clean[shown][:, 1].astype(int) <= 60).all()
    clean[..., :3][~shown] = 0
    half = cv2.resize(prepared(clean, Bleed(reach=6)), (60, 60), interpolation=cv2.INTER_AREA)
    ring = (half[..., 3] > 20) & (half[..., 3] < 235)
    assert half[ring][:, 0].min() > 190, "straight-alpha filtering finds colour under clear pixels"


# --- behind -----------------------------------------------------------------------------------------------------------


def test_a_fill_reaches_as_far_as_it_says_and_no_farther() -> None:
    art = noise(200, 160, 5)
    art[40:120, 50:150, 3] = 0
    art[40:120, 50:150, :3] = 0
    made = prepared(art, Fill(reach=12, grow=6))
    assert (made[46:50, 60:140, 3] == 255).all() and (made[60:100, 70:130, 3] == 0).all()
    assert (made[:30] == art[:30]).all(), "what is away from the hole is not touched"
    grown = made[34:40, 60:140, :3].astype(int) - art[34:40, 60:140, :3]
    assert np.abs(grown).max() > 0, "the hole was grown before it was filled"


def test_a_filled_band_is_closer_to_the_truth_than_a_plain_colour() -> None:
    truth = noise(260, 200, 8, cell=30)
    art = truth.copy()
    art[80:120, 100:170] = 0
    made = prepared(art, Fill(reach=20, grow=2))
    hole = np.s_[80:120, 100:170]
    plain = np.broadcast_to(truth[..., :3].mean(axis=(0, 1)), truth[hole][..., :3].shape)
    assert psnr(made[hole][..., :3], truth[hole][..., :3]) > psnr(plain, truth[hole][..., :3]) + 3


def test_texture_is_continued_not_smeared() -> None:
    stripes = np.zeros((160, 240, 4), np.uint8)
    stripes[..., :3] = np.where((np.arange(240) // 8) % 2, 220, 40)[None, :, None]
    stripes[..., 3] = 255
    hole = stripes.copy()
    hole[60:100, 90:150] = 0
    made = prepared(hole, Fill(reach=60, grow=0, method="texture"))
    assert psnr(made[60:100, 90:150, :3], stripes[60:100, 90:150, :3]) > 25


def test_retouching_clones_with_the_light_of_where_it_goes_and_heals_a_spot() -> None:
    x = np.mgrid[0:120, 0:200][1]
    base = np.dstack([60 + x * 0.6, 90 + x * 0.4, 80 + x * 0.3, np.full(x.shape, 255)]).astype(np.uint8)
    spot = base.copy()
    cv2.circle(spot, (140, 60), 8, (250, 10, 10, 255), -1)
    there = (Point(x=140, y=60),)
    healed = prepared(spot, Retouch(strokes=(Stroke(radius=12, points=there),)))
    assert psnr(healed[..., :3], base[..., :3]) > 38
    cloned = prepared(spot, Retouch(strokes=(Stroke(kind="clone", radius=12, points=there, from_x=-90),)))
    assert psnr(cloned[..., :3], base[..., :3]) > 38, "the copy is as light as the place it comes to"


def _face(spot_at: tuple[int, int]) -> tuple[np.ndarray, np.ndarray]:
    """Skin that darkens downwards, with an eye and a spot beside it on one height; the same without the spot."""
    y = np.mgrid[0:300, 0:400][0]
    skin = np.dstack([215 - y * 0.3, 170 - y * 0.3, 150 - y * 0.3, np.full(y.shape, 255)]).astype(np.uint8)
    skin[..., :3] = np.clip(skin[..., :3].astype(int) + np.random.default_rng(8).integers(-2, 3, (300, 400, 1)), 0, 255)
    cv2.circle(skin, (200, 150), 14, (60, 40, 40, 255), -1)
    spotted = skin.copy()
    cv2.circle(spotted, spot_at, 8, (180, 60, 60, 255), -1)
    return spotted, skin


@pytest.mark.parametrize("away", [44, 60])
def test_a_spot_beside_an_eye_is_healed_with_skin(away: int) -> None:
    spotted, skin = _face((200 + away, 150))
    stroke = Stroke(radius=20, points=(Point(x=200 + away, y=150),))
    healed = prepared(spotted, Retouch(strokes=(stroke,)))
    assert (
        np.abs(
            healed[130:170, 180 + away : 220 + away, :3].astype(int) - skin[130:170, 180 + away : 220 + away, :3]
        ).max()
        < 14
    )


def test_a_spot_can_be_healed_from_the_next_best_place_and_a_preview_chooses_the_same() -> None:
    spotted, _ = _face((260, 150))
    spotted[..., :3] = np.clip(spotted[..., :3].astype(int) + noise(400, 300, 4)[..., :1] // 8, 0, 255)
    made = []
    for source in (0, 1, 2):
        step = Retouch(strokes=(Stroke(radius=20, points=(Point(x=260, y=150),), source=source),))
        made.append(prepared(spotted, step)[130:170, 240:280, :3])
    assert psnr(made[0], made[1]) < 45 and psnr(made[1], made[2]) < 45 and psnr(made[0], made[2]) < 45
    spotted, _ = _face((260, 150))
    cv2.circle(spotted, (260, 90), 12, (30, 90, 60, 255), -1)  # above and on the left no place is good
    cv2.circle(spotted, (320, 150), 12, (30, 90, 60, 255), -1)
    half = cv2.resize(spotted, (200, 150), interpolation=cv2.INTER_AREA)
    large, small = (np.zeros(art.shape[:2], bool) for art in (spotted, half))
    large[130:171, 240:281] = small[65:86, 120:141] = True
    for nth in (0, 1):
        full, preview = retouch._nearby(spotted, large, 20, nth), retouch._nearby(half, small, 10, nth)
        assert full is not None and preview is not None
        assert np.hypot(full[0] - 2 * preview[0], full[1] - 2 * preview[1]) < 8


# --- extend, shape, match ---------------------------------------------------------------------------------------------


def test_extensions_repeat_mirror_and_stretch_and_the_joint_is_measured() -> None:
    art = noise(160, 100, 2)
    mirrored = prepared(art, Extend(right=40, method="flip"))
    assert (mirrored[:, 160:] == art[:, 120:][:, ::-1]).all()
    repeated = prepared(art, Extend(left=40, method="repeat"))
    assert (repeated[:, :40] == art[:, 120:]).all()
    stretched = prepared(art, Extend(top=10, bottom=20))
    assert (stretched[:10] == art[:1]).all() and (stretched[110:] == art[-1:]).all()
    assert not seam_at(mirrored, "right", 40).seen and seam_at(repeated, "left", 40).seen
    softly = prepared(art, Extend(left=40, method="repeat", overlap=24))
    assert softly.shape == repeated.shape and not seam_at(softly, "left", 40).seen
    filled = prepared(art, Extend(right=40, method="fill"))
    assert filled.shape == (100, 200, 4) and seam_at(filled, "right", 40).across < 8


def test_the_best_joint_is_where_the_pattern_repeats() -> None:
    wave = (128 + 100 * np.sin(np.arange(300) * 2 * np.pi / 60 + 1.0)).astype(np.uint8)
    art = np.dstack([wave[None].repeat(80, 0)] * 3 + [np.full((80, 300), 255, np.uint8)])
    art = art[:, :282]  # 4.7 periods: 42 px of overlap bring the wave back into step
    assert best_overlap(art, "right", "repeat") in (40, 42, 44)


def test_shapes_change_size_and_turn_as_they_say() -> None:
    art = noise(90, 60, 4)
    assert (prepared(art, Crop(x=10, y=5, width=30, height=20)) == art[5:25, 10:40]).all()
    assert prepared(art, Crop(x=80, y=50, width=100, height=100)).shape == (10, 10, 4)
    assert (prepared(art, Turn(quarters=1))[0, -1] == art[0, 0]).all(), "the top left corner comes to the top right"
    assert (prepared(art, Flip(axis="x"), Flip(axis="x")) == art).all()
    assert prepared(art, Resize(width=45, height=30)).shape == (30, 45, 4)
    wide = prepared(art, Canvas(width=110, height=40))
    assert (wide[:, 10:100] == art[10:50]).all() and not wide[:, :10, 3].any()


def test_matching_brings_mean_and_spread_over_by_its_strength() -> None:
    dull, bright = noise(80, 60, 1), noise(80, 60, 2)
    dull[..., :3] = 90 + dull[..., :3] // 8
    around = Around(art=lambda layer: bright)
    full = prepared(dull, Match(layer="bright"), around=around)[..., :3].astype(float)
    half = prepared(dull, Match(layer="bright", strength=0.5), around=around)[..., :3].astype(float)
    want, had = bright[..., :3].astype(float), dull[..., :3].astype(float)
    assert np.abs(full.mean((0, 1)) - want.mean((0, 1))).max() < 8
    assert had.std() < half.std() < full.std() < 1.2 * want.std()


# --- recipes on layers ------------------------------------------------------------------------------------------------


def test_every_step_can_stand_in_a_document_and_a_wrong_one_is_named() -> None:
    assert len(STEPS) == 22
    base = layer("a", 100, 80, recipe={"width": 100, "height": 80, "steps": [{"step": "soften", "radius": 2}]})
    assert document.parse(scene(base).to_json()) == scene(base)
    for steps, path in (
        ([{"step": "glue"}], r"layers\[0\].recipe.steps\[0\]"),
        ([{"step": "soften", "raduis": 2}], r"recipe.steps\[0\].soften.raduis: this field is not known"),
        ([{"step": "crop", "x": 0, "y": 0, "width": 10, "height": 10}], r"100 × 80 px is not the 10 × 10 px"),
        ([{"step": "match", "layer": "ghost"}], "there is no layer 'ghost' to look at"),
    ):
        with pytest.raises(BadDocument, match=path):
            scene(layer("a", 100, 80, recipe={"width": 100, "height": 80, "steps": steps}))


def test_layers_may_not_look_at_each_other_in_a_circle() -> None:
    def looks_at(name: str, other: str) -> dict:
        return layer(name, 9, 9, recipe={"width": 9, "height": 9, "steps": [{"step": "match", "layer": other}]})

    with pytest.raises(BadDocument, match="looks back at this layer"):
        scene(looks_at("a", "b"), looks_at("b", "a"))
    scene(looks_at("a", "b"), layer("b", 9, 9))


STEPS_THAT_MOVE = [
    Crop(x=20, y=10, width=60, height=50), Extend(left=30, bottom=12), Resize(width=50, height=40), Canvas(width=140, height=90),
]  # fmt: skip


@pytest.mark.parametrize("step", STEPS_THAT_MOVE, ids=lambda step: step.step)
@pytest.mark.parametrize("rotation", [0.0, 30.0])
def test_what_a_layer_shows_stays_where_it_is(step, rotation: float) -> None:
    art = noise(100, 80, 6)
    art[..., 3] = 0
    art[30:50, 40:70, 3] = 255
    made = scene(
        layer("a", 100, 80, framing={"x": 12, "y": -7, "scale": 1.5, "rotation": rotation}),
        view={"width": 240, "height": 180},
    )
    changed_layer = with_steps(made.layers[0], [step])
    changed = document.parse(made.model_copy(update={"layers": (changed_layer,)}).to_json())
    before = render(made, State(), lambda x: art)
    after = render(changed, State(), lambda x: prepared(art, step))
    assert psnr(before, after) > (30 if step.step == "resize" else 50)
    back = placed_as_before(changed_layer, Recipe(width=100, height=80))
    assert back.framing.x == pytest.approx(12) and back.framing.scale == pytest.approx(1.5) and back.recipe is None


def test_a_piece_and_what_is_behind_it_meet_at_one_edge_that_is_looked_for_once(monkeypatch) -> None:
    looked: list[int] = []
    refine = assisted.refine
    monkeypatch.setattr(assisted, "refine", lambda *given: looked.append(1) or refine(*given))
    art = noise(160, 120, 5)
    art[40:90, 50:110, :3] = art[40:90, 50:110, :3] // 6
    art[..., 3] = 255
    cut = AssistedCut.model_validate({"box": {"x": 40, "y": 30, "width": 80, "height": 70}})
    piece, rest = prepared(art, cut), prepared(art, cut.model_copy(update={"invert": True}))
    assert len(looked) == 1
    both = piece[..., 3].astype(int) + rest[..., 3]
    assert np.abs(both - 255).max() <= 1


def test_a_step_that_looks_at_art_with_a_heavy_step_gets_it_in_its_own_size() -> None:
    art = noise(1800, 1200, 6)
    art[..., 3] = 255
    size = {"width": 1800, "height": 1200}
    cut = {"step": "assisted", "box": {"x": 300, "y": 300, "width": 900, "height": 600}}
    given = scene(
        layer("cut", 1800, 1200, recipe={**size, "steps": [cut]}),
        layer("other", 1800, 1200, recipe={**size, "steps": [{"step": "difference", "layer": "cut"}]}),
    )
    shelf = ArtShelf(lambda file: encode_png(art, level=1), scene=given)
    rough, rough_scale = shelf.preview(given.layers[0])
    fine, scale = shelf.preview(given.layers[1])
    assert max(rough.shape[:2]) < max(fine.shape[:2]) == 900 and rough_scale < scale == 0.5


def test_a_preview_shows_what_the_full_size_will_be() -> None:
    picture = cv2.resize(noise(300, 200, 9), (1500, 1000), interpolation=cv2.INTER_CUBIC)
    recipe = [
        {"step": "rectangle", "box": {"x": 200, "y": 150, "width": 900, "height": 600}, "radius": 80},
        {"step": "extend", "right": 300, "method": "flip"}, {"step": "turn", "quarters": 1},
        {"step": "crop", "x": 100, "y": 100, "width": 700, "height": 1400}, {"step": "soften", "radius": 6},
    ]  # fmt: skip
    made = Recipe.model_validate({"width": 1500, "height": 1000, "steps": recipe})
    data = {"art/a.png": encode_png(picture)}
    one = scene(layer("a", made.final.width, made.final.height, recipe=made.model_dump()))
    shelf = ArtShelf(data.__getitem__, scene=one)
    small, scale = shelf.preview(one.layers[0], 600)
    full = shelf.pixels(one.layers[0])
    assert scale == 0.4 and small.shape[:2] == (round(full.shape[0] * 0.4), round(full.shape[1] * 0.4))
    like = cv2.resize(full, (small.shape[1], small.shape[0]), interpolation=cv2.INTER_AREA)
    assert psnr(small[..., 3], like[..., 3]) > 30


def test_art_is_prepared_once_and_anew_when_what_it_looks_at_changes() -> None:
    pictures = {"art/a.png": encode_png(noise(40, 30, 1)), "art/b.png": encode_png(noise(40, 30, 2))}
    steps = {"width": 40, "height": 30, "steps": [{"step": "match", "layer": "b"}]}
    made = scene(layer("a", 40, 30, recipe=steps), layer("b", 40, 30))

    def key() -> str:
        return ArtShelf(pictures.__getitem__, scene=made).key_of(made.layers[0])

    first = key()
    assert key() == first
    pictures["art/b.png"] = encode_png(noise(40, 30, 3))
    assert key() != first
    recipe = recipe_of(made.layers[0])
    off = recipe.model_copy(update={"steps": (recipe.steps[0].model_copy(update={"on": False}),)})
    assert recipe_key("x", off, {}) == recipe_key("x", Recipe(width=40, height=30), {}), (
        "a step that is off costs nothing"
    )


def test_work_stops_when_it_is_called_off() -> None:
    def tick(share: float) -> None:
        raise Cancelled("called off")

    with pytest.raises(Cancelled):
        prepared(noise(40, 30), Soften(), around=Around(tick=tick))


def test_steps_scale_with_the_picture() -> None:
    (crop, soft, turn) = scaled_steps([Crop(x=10, y=20, width=30, height=40), Soften(radius=2), Turn(quarters=3)], 2.5)
    assert (crop.x, crop.y, crop.width, crop.height, soft.radius, turn.quarters) == (25, 50, 75, 100, 5.0, 3)


# --- edits of recipes -------------------------------------------------------------------------------------------------


def edited(made, name: str, **values: str):
    return apply(made, name, values)[0]


def test_steps_are_added_set_moved_switched_copied_and_taken_out() -> None:
    made = scene(layer("a", 100, 80), layer("b", 50, 40))
    made = edited(made, "step-add", layer="a", step="soften", radius="1,5 px")
    made = edited(made, "step-add", layer="a", step="crop", x="0", y="0", width="60", height="40")
    assert made.layer("a").art.width == 60 and made.layer("a").recipe.steps[0].radius == 1.5
    made = edited(made, "step-set", layer="a", index="1", width="70")
    made = edited(made, "step-move", layer="a", index="1", by="-1")
    assert [step.step for step in made.layer("a").recipe.steps] == ["crop", "soften"] and made.layer(
        "a"
    ).art.width == 70
    made = edited(made, "step-set", layer="a", index="0", on="0")
    assert made.layer("a").art.width == 100
    made = edited(made, "recipe-copy", layer="a", to="b")
    assert len(made.layer("b").recipe.steps) == 2
    made = edited(made, "step-remove", layer="a", index="0")
    made = edited(made, "step-remove", layer="a", index="0")
    assert made.layer("a").recipe is None
    for name, values, says in (
        ("step-add", {"layer": "a", "step": "glue"}, "'glue' is not one of"),
        ("step-add", {"layer": "a", "step": "soften", "radius": "wide"}, "'wide' is not a number"),
        ("step-set", {"layer": "a", "index": "7"}, "no longer in its recipe"),
        ("step-add", {"layer": "a", "step": "resize", "width": "60000", "height": "60000"}, "64 megapixels"),
        ("cut-apart", {"layer": "b", "index": "1"}, "is no cut"),
    ):
        with pytest.raises(BadEdit, match=says):
            edited(made, name, **values)


def test_cut_apart_leaves_the_resting_picture_as_it_was() -> None:
    art = noise(200, 150, 7)
    made = scene(
        layer("a", 200, 150), view={"width": 200, "height": 150}, drivers={"pointer": {"reach_x": 20, "reach_y": 0}}
    )
    made = edited(
        made,
        "step-add",
        layer="a",
        step="rectangle",
        data='{"box": {"x": 60, "y": 40, "width": 80, "height": 60}}',
        soften="0",
    )
    made = edited(made, "cut-apart", layer="a", index="0")
    rest, piece = made.layers
    assert (rest.id, piece.id) == ("a-behind", "a") and rest.depth > piece.depth
    assert isinstance(rest.recipe.steps[-1], Fill) and rest.recipe.steps[-1].behind == "a"
    shelf = ArtShelf({"art/a.png": encode_png(art)}.__getitem__, scene=made)
    assert psnr(render(made, State(), shelf.pixels)[..., :3], art[..., :3]) > 35


def test_one_click_extends_by_what_the_move_needs() -> None:
    made = scene(
        layer("a", 200, 150), view={"width": 200, "height": 150}, drivers={"pointer": {"reach_x": 20, "reach_y": 6}}
    )
    grown = edited(made, "extend-needed", layer="a").layer("a")
    assert (grown.art.width, grown.art.height) == (240, 162)
    with pytest.raises(BadEdit, match="has all the art"):
        edited(edited(made, "extend-needed", layer="a"), "extend-needed", layer="a")


def test_many_layers_are_grouped_renamed_and_moved_at_once_also_by_a_rule() -> None:
    names = ("Far reef", "Far kelp", "Bell", "Frond")
    made = scene(*(layer(name.lower().replace(" ", "-"), 9, 9, name=name) for name in names))
    made = edited(made, "group", match="far *", group="Distance")
    assert [x.group for x in made.layers] == ["Distance", "Distance", "", ""]
    made = edited(made, "order-many", layers="far-reef far-kelp", before="frond")
    assert [x.id for x in made.layers] == ["bell", "far-reef", "far-kelp", "frond"]
    made = edited(made, "step-many", layers="far-reef far-kelp", by="1")
    assert [x.id for x in made.layers] == ["bell", "frond", "far-reef", "far-kelp"]
    made = edited(made, "rename-many", layers="bell frond", to="Near #")
    assert [x.name for x in made.layers][:2] == ["Near 1", "Near 2"]
    made = edited(made, "remove-many", match="Near ?")
    assert len(made.layers) == 2
    with pytest.raises(BadEdit, match="no layer is called like"):
        edited(made, "group", match="sky*", group="x")


@pytest.mark.parametrize("method", ["smooth", "texture"])
def test_a_piece_that_is_partly_clear_deep_inside_lets_no_hole_be_seen(method: str) -> None:
    """Cut apart and laid over one another, also moved by the reach against each other, both cover all there is."""
    picture, y, x = noise(240, 200, 5, 30), *np.mgrid[0:200, 0:240]
    piece = np.clip(90 - np.hypot(x - 120, y - 100) + 0.5, 0, 1)
    for spot, left in (((100, 110), 0.55), ((140, 90), 0.02), ((121, 100), 0.9)):
        piece[np.hypot(x - spot[0], y - spot[1]) < 5] = left
    rest = picture.copy()
    rest[..., 3] = 255 - np.rint(piece * 255)
    filled = prepared(rest, Fill(reach=14, grow=6, method=method))[..., 3] / 255
    for dx, dy in ((0, 0), (12, 0), (-8, 9)):
        moved = np.roll(piece, (dy, dx), (0, 1))
        cover = 1 - (1 - moved) * (1 - filled)
        assert cover.min() > 0.98, (dx, dy, float(cover.min()))
    assert filled[60:70, 110:130].max() == 0, "what the move never shows stays clear"


def test_a_resize_keeps_the_shape_unless_told_otherwise() -> None:
    made = edited(scene(layer("a", 400, 300)), "step-add", layer="a", step="resize", width="400", height="300")

    def size(one) -> tuple[int, int]:
        return one.layer("a").art.width, one.layer("a").art.height

    made = edited(made, "step-set", layer="a", index="0", width="200")
    assert size(made) == (200, 150)
    made = edited(made, "step-set", layer="a", index="0", height="600")
    assert size(made) == (800, 600)
    made = edited(made, "step-set", layer="a", index="0", keep="0")
    made = edited(made, "step-set", layer="a", index="0", width="100")
    assert size(made) == (100, 600)
    assert size(edited(made, "step-set", layer="a", index="0", keep="1")) == (100, 75)


def test_copied_steps_go_after_or_in_place_of_others() -> None:
    made = scene(layer("a", 40, 30), layer("b", 40, 30))
    made = edited(made, "step-add", layer="a", step="soften")
    made = edited(made, "step-add", layer="b", step="flip")
    after = edited(made, "recipe-copy", layer="a", to="b")
    assert [step.kind for step in after.layer("b").recipe.steps] == ["flip", "soften"]
    instead = edited(made, "recipe-copy", layer="a", to="b", replace="1")
    assert [step.kind for step in instead.layer("b").recipe.steps] == ["soften"]


def test_a_brightness_from_above_to_waits_and_a_cut_that_keeps_nothing_is_known() -> None:
    made = edited(scene(layer("a", 40, 30)), "step-add", layer="a", step="brightness", low="0.8", high="0.2")
    assert "Make “from” the smaller one" in waiting(made, made.layer("a"))[0]
    art = noise(40, 30)
    assert (prepared(art, made.layer("a").recipe.steps[0]) == art).all()
    assert spots(np.zeros((30, 40), np.uint8)).nothing and not spots(art[..., 3]).nothing


def test_rows_dropped_into_a_group_join_it_and_moved_away_leave_it() -> None:
    layers = [layer("a", 9, 9), layer("b", 9, 9, group="Far"), layer("c", 9, 9, group="Far"), layer("d", 9, 9)]
    made = scene(*layers)
    joined = edited(made, "order-many", layers="d", before="c")
    assert [(x.id, x.group) for x in joined.layers] == [("a", ""), ("b", "Far"), ("d", "Far"), ("c", "Far")]
    left = edited(made, "order-many", layers="b", before="")
    assert [(x.id, x.group) for x in left.layers] == [("a", ""), ("c", "Far"), ("d", ""), ("b", "")]
    beside = edited(made, "order-many", layers="c", before="b")
    assert [(x.id, x.group) for x in beside.layers] == [("a", ""), ("c", "Far"), ("b", "Far"), ("d", "")]
    bottom = edited(made, "order-many", layers="d", before="a")
    assert [x.id for x in bottom.layers] == ["d", "a", "b", "c"] and bottom.layer("d").group == ""
    alone = edited(scene(layers[1], layers[0]), "order-many", layers="b", before="")
    assert alone.layer("b").group == "Far", "who is the whole group takes it along"


@pytest.mark.parametrize(
    "fields", [{}, {"frames": {"columns": 2, "rows": 1, "count": 2}}, {"recipe": [{"step": "flip"}]}]
)
def test_what_is_kept_while_a_scene_says_a_wrong_size_is_not_taken_for_the_right_one(fields: dict) -> None:
    """Looked at on a draft with half its true size, then with the true one where nothing may be stretched."""
    data = {"art/a.png": encode_png(noise(80, 60))}
    sets: dict[str, Any] = {}

    class Kept:
        def get(self, name: str, make: Any) -> Any:
            return sets.setdefault(name, None) or sets.__setitem__(name, make()) or sets[name]

    def said(width: int, height: int) -> Any:
        own = dict(fields)
        if "recipe" in own:
            own["recipe"] = {"width": width, "height": height, "steps": own["recipe"]}
        return scene(layer("a", width // 2 if "frames" in own else width, height, **own))

    wrong, right = said(40, 30), said(80, 60)
    draft = ArtShelf(data.__getitem__, scene=wrong, draft_over=0.4, set_keeper=Kept())
    assert draft.opaque(wrong.layers[0]).width == wrong.layers[0].art.width
    sure = ArtShelf(data.__getitem__, scene=right, set_keeper=Kept())
    assert sure.opaque(right.layers[0]).width == right.layers[0].art.width
    assert sure.pixels(right.layers[0]).shape[:2] == (60, 80)
