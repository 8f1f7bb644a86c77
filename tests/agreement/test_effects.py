"""A scene that wears every look and has every kind of made art in it, in air and light, through a lens: the exported page beside the
render at three states (`bench.effects` takes ten), away from where a lens blurs (a page's softness is a Gaussian, a render's a disc)."""

import cv2
import numpy as np
import pytest

from clinamen.core.look.steps import LOOKS
from clinamen.core.made.kinds import KINDS
from clinamen.core.motion.states import State
from clinamen.core.raster import render
from tests.agreement.cases import ART, HEIGHT, VIEW, WIDTH, Case, soft_piece, strip
from tests.agreement.hands import PageHand
from tests.conftest import fresh_context, layer, psnr, scene, shelf_of, track

LIKE = 38.0  # dB
LITTLE = 6  # of 255: what the lens changes less than this is away from its discs
EACH = {
    "saturation": {"amount": 1.5}, "hue": {"angle": 40.0}, "white": {"temperature": 0.5, "tint": -0.2}, "toned": {"strength": 0.5},
    "brightness": {"amount": 1.15}, "contrast": {"amount": 0.85}, "levels": {"black": 0.06, "white": 0.92, "gamma": 1.2},
    "curve": {"points": [{"x": 0, "y": 0.05}, {"x": 0.5, "y": 0.6}, {"x": 1, "y": 1}]}, "posterise": {"tones": 4}, "invert": {"amount": 0.9},
    "drop": {"distance": 9, "blur": 4}, "rim": {"width": 6}, "glow": {"radius": 9}, "soft": {"radius": 2.5}, "fade": {"y": -60, "to_y": 90},
    "together": {"strength": 0.6, "own": {"mean": [55, 4, 6], "spread": [14, 9, 9]}, "other": {"mean": [48, -4, 12], "spread": [11, 6, 9]}},
}  # fmt: skip
WORN = [("saturation", "curve", "drop"), ("hue", "white", "rim"), ("toned", "levels", "glow"), ("brightness", "posterise"),
        ("together", "contrast", "fade"), ("invert", "soft")]  # fmt: skip
SIZES = {
    "text": (230, 80),
    "snow": (200, 180),
    "rain": (200, 180),
    "dust": (200, 180),
    "grain": (160, 160),
    "panel": (150, 70),
    "grid": (240, 120),
}
BEHIND = ("solid", "gradient", "grid", "fog")  # which would hide the rest
FAINT = {"solid": 0.15, "gradient": 0.3, "grid": 0.5, "fog": 0.3, "grain": 0.2, "leak": 0.25, "vignette": 0.6}
BLENDS = {
    "rain": "screen",
    "snow": "normal",
    "leak": "add",
    "grain": "overlay",
    "fog": "soft-light",
    "shadow": "multiply",
}


def dressed():
    """Six pieces that wear every step between them, an actor with its shadow, and made art of every kind."""
    pieces = [
        layer(f"piece-{n}", 260, 200, depth=260 - 60 * n, framing={"x": 75 * n - 190, "y": 26 * (n % 3) - 30, "scale": 0.55},
              look=[{"step": kind, **EACH[kind]} for kind in worn], repeat={"x": "none", "y": "none"})
        for n, worn in enumerate(WORN)
    ]  # fmt: skip
    walker = layer(
        "walker",
        260,
        200,
        depth=30,
        framing={"x": 40, "y": 40, "scale": 0.4},
        frames={"columns": 3, "rows": 2, "count": 5, "fps": 5},
    )
    made = [
        {"id": f"made-{word}", "art": {"made": {"kind": word, **({"of": "walker"} if word == "shadow" else {"text": "Abc", "size": 52} if word == "text" else {})},
                                       "width": SIZES.get(word, (WIDTH, HEIGHT))[0], "height": SIZES.get(word, (WIDTH, HEIGHT))[1]},
         "depth": 90 - 14 * n, "blend": BLENDS.get(word, "normal"), "opacity": FAINT.get(word, 0.9),
         "framing": {"x": 0, "y": 0, "scale": 1.1} if word in FAINT else {"x": 36 * n - 130, "y": 90 - 14 * n, "scale": 0.7},
         **({"frames": walker["frames"], "carrier": "walker", "tilt": {"lean": 80}} if word == "shadow" else {}),
         **({"repeat": {"x": "tile", "y": "tile"}} if word in ("snow", "rain", "dust", "grain") else {}),
         **({"backdrop": {"blur": 5, "saturation": 1.3}, "takes": {"focus": False}} if word == "panel" else {})}
        for n, word in enumerate(KINDS)
    ]  # fmt: skip
    return scene(
        layer("back", 620, 430, depth=900, framing={"scale": 1.9}), *(x for x in made if x["id"][5:] in BEHIND), *pieces, *(x for x in made if x["id"][5:] == "shadow"), walker, *(x for x in made if x["id"][5:] not in (*BEHIND, "shadow")), view=VIEW,
        lens={"aperture": 0.5, "pixels_per_metre": 300}, camera={"focus": 0.95}, air={"colour": "#c9d6df", "visibility": 15000},
        light={"ambient": 0.7, "key": {"x": -60, "y": -40, "depth": -100, "reach": 300, "level": 0.5, "colour": "#ffdca0"}},
        frame={"aspect": 1.9, "corners": 12}, drivers={"scroll": {"length": 900}, "pointer": {"reach_x": 20, "reach_y": 10}, "time": {"duration": 8}},
        tracks=[track("camera", "x", "scroll", (0, -20), (1, 40)), track("walker", "x", "time", (0, -60), (8, 60)),
                track("made-snow", "y", "time", (0, 0), (8, 126)), track("piece-2", "rotation", "time", (0, 0), (8, 25))],
    )  # fmt: skip


@pytest.fixture
def page(webgl, tmp_path):
    context = fresh_context(webgl, viewport={"width": WIDTH, "height": HEIGHT})
    yield PageHand(context.new_page(), tmp_path)
    context.close()


def test_the_scene_wears_every_step_and_has_every_kind() -> None:
    made = dressed()
    assert {step.kind for each in made.layers for step in each.look} == set(LOOKS)
    assert {each.art.made.word for each in made.layers if each.art.made} == set(KINDS)


def test_a_page_with_every_effect_looks_like_the_render(page) -> None:
    made = dressed()
    art = {**ART, **{f"piece-{n}": soft_piece() for n in range(len(WORN))}, "walker": strip(3, 2, 5)}
    page.take(Case("effects", made, art=art))
    shelf, shut = shelf_of(art, made), made.model_copy(update={"lens": made.lens.model_copy(update={"aperture": None})})
    found = {}
    for number in (0, 4, 9):
        state = State(0.1 * number, (0.2 * number - 1, 0.9 - 0.2 * number), 0.7 * number + 0.05)
        shown, _ = page.at(state)
        ours, sharp = (render(each, state, shelf.loader(each))[..., :3] for each in (made, shut))
        discs = (np.abs(ours.astype(int) - sharp).max(axis=2) > LITTLE).astype(np.uint8)
        away = cv2.dilate(discs, np.ones((9, 9), np.uint8)) == 0
        assert away.mean() > 0.2, "much of it is in focus"
        found[state.time] = psnr(shown, ours, away)
    assert min(found.values()) > LIKE, found
