"""Sampling and blending against Pillow and OpenCV."""

import cv2
import numpy as np
import pytest
from PIL import Image

from clinamen.core.motion.states import State
from clinamen.core.raster import render
from clinamen.core.stage import stage_at
from tests.conftest import layer, noise, psnr, scene


def test_source_over_is_pillows_alpha_composite() -> None:
    rng = np.random.default_rng(4)
    art = {name: rng.integers(0, 256, (90, 160, 4)).astype(np.uint8) for name in ("a", "b", "c")}
    made = scene(*(layer(name, 160, 90) for name in art), view={"width": 160, "height": 90, "background": "#336699"})
    theirs = Image.new("RGBA", (160, 90), "#336699")
    for pixels in art.values():
        theirs = Image.alpha_composite(theirs, Image.fromarray(pixels))
    ours = render(made, State(), lambda x: art[x.id])
    assert np.abs(ours.astype(int) - np.asarray(theirs)).max() <= 2, "Pillow rounds after every layer"


def test_bilinear_sampling_is_opencvs_remap_of_premultiplied_pixels() -> None:
    art = noise(400, 300, 6, 14)
    art[..., 3] = noise(400, 300, 7, 40)[..., 0]
    made = scene(
        layer("a", 400, 300, framing={"x": 7.3, "y": -4.6, "scale": 0.83, "rotation": 13}, tilt={"turn": 30}),
        view={"width": 320, "height": 200, "background": "#000000"},
    )  # fmt: skip
    ours = render(made, State(), lambda x: art, sampling="draft")
    inverse = np.linalg.inv(stage_at(made, State()).sheets[0].from_origin()[0])
    y, x = np.mgrid[0:200, 0:320] + 0.5
    a, b, w = (inverse[i, 0] * x + inverse[i, 1] * y + inverse[i, 2] for i in range(3))
    premultiplied = art[..., :3].astype(np.float32) * art[..., 3:] / 255
    maps = [(v / w - 0.5).astype(np.float32) for v in (a, b)]
    theirs = cv2.remap(premultiplied, *maps, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    assert np.abs(ours[..., :3].astype(int) - np.round(theirs)).max() <= 8, "OpenCV's weights are in 1/32 of a pixel"
    assert psnr(ours[..., :3], theirs.clip(0, 255)) > 48


def test_reduction_is_near_pillows_box_filter() -> None:
    art = noise(1200, 800, 2, 25)
    made = scene(layer("a", 1200, 800, framing={"scale": 0.25}), view={"width": 300, "height": 200})
    theirs = np.asarray(Image.fromarray(art).resize((300, 200), Image.Resampling.BOX))
    assert psnr(render(made, State(), lambda x: art)[..., :3], theirs[..., :3]) > 40


@pytest.mark.parametrize("degrees", [90, 180, 270])
def test_quarter_turns_are_exact(degrees: int) -> None:
    art = noise(120, 120, 5, 12)
    made = scene(layer("a", 120, 120, framing={"rotation": degrees}), view={"width": 120, "height": 120})
    theirs = np.asarray(Image.fromarray(art).rotate(-degrees))
    assert np.abs(render(made, State(), lambda x: art).astype(int) - theirs).max() <= 1
