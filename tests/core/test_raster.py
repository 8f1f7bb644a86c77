import io
from statistics import NormalDist

import numpy as np
import pytest
from PIL import Image

from clinamen.core.errors import BadArt
from clinamen.core.motion.states import State
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.reading import decode, inspect
from clinamen.core.pixels import shrink
from clinamen.core.raster import render
from clinamen.core.raster.blending import BLENDS, blend_over
from tests.conftest import layer, noise, scene


def draw(made, art: dict[str, np.ndarray], scale: float = 1.0, state: State = State()) -> np.ndarray:
    return render(made, state, lambda x: art[x.id], scale)


def flat(width: int, height: int, *rgba: int) -> np.ndarray:
    return np.full((height, width, 4), rgba, np.uint8)


VIEW = {"width": 120, "height": 80, "background": "#102030"}


def test_the_background_shows_where_nothing_is() -> None:
    made = scene(layer("a", 40, 40), view=VIEW)
    picture = draw(made, {"a": flat(40, 40, 200, 100, 50, 255)})
    assert picture[0, 0].tolist() == [16, 32, 48, 255]
    assert picture[40, 60].tolist() == [200, 100, 50, 255]
    assert (picture[20:60, 40:80] == [200, 100, 50, 255]).all(), "pixel for pixel, the art stays sharp to its edge"


def test_half_opacity_is_half_of_both() -> None:
    made = scene(layer("a", 200, 200, opacity=0.5), view=VIEW)
    assert draw(made, {"a": flat(200, 200, 200, 100, 50, 255)})[5, 5, :3].tolist() == [108, 66, 49]


def test_clear_pixels_lend_no_colour_when_art_is_scaled() -> None:
    art = flat(40, 40, 255, 255, 255, 0)
    art[:, 20:] = (0, 200, 0, 255)
    made = scene(layer("a", 40, 40, framing={"scale": 1.7}), view={**VIEW, "background": "#00c800"})
    assert np.abs(draw(made, {"a": art}).astype(int) - [0, 200, 0, 255]).max() <= 1


@pytest.mark.parametrize("repeat", ["tile", "mirror"])
def test_repeats_continue_the_art(repeat: str) -> None:
    art = noise(50, 30, 3, 10)
    made = scene(layer("a", 50, 30, repeat={"x": repeat, "y": repeat}), view={"width": 200, "height": 150})
    picture = draw(made, {"a": art})
    unit = np.pad(art, ((60, 60), (75, 75), (0, 0)), mode="wrap" if repeat == "tile" else "symmetric")
    assert (picture == unit).all()


def test_what_lies_behind_the_camera_is_cut_away_not_mirrored() -> None:
    made = scene(layer("floor", 200, 4000, tilt={"lean": 90}, framing={"y": 30}), view=VIEW)
    picture = draw(made, {"floor": flat(200, 4000, 255, 0, 0, 255)})
    assert (picture[:38, :, 0] == 16).all(), "above the horizon there is no floor"
    assert (picture[75:, 60, 0] == 255).all()


def test_strong_reduction_keeps_the_mean_grey() -> None:
    art = flat(1024, 1024, 0, 0, 0, 255)
    art[::2, ::2, :3] = art[1::2, 1::2, :3] = 255
    made = scene(layer("a", 1024, 1024, framing={"scale": 0.11}), view=VIEW)
    middle = draw(made, {"a": art})[30:50, 50:70, 0]
    assert np.abs(middle.astype(int) - 127).max() < 12


def test_blur_spreads_by_its_radius() -> None:
    made = scene(
        layer("a", 60, 200), view=VIEW, drivers={"scroll": {}},
        tracks=[{"target": "a", "channel": "blur", "driver": "scroll", "keys": [{"at": 0, "value": 6}]}],
    )  # fmt: skip
    row = draw(made, {"a": flat(60, 200, 255, 255, 255, 255)})[40, :, 0].astype(float)
    # art from 30 px on under a Gaussian: the normal distribution at the pixels' middles
    wanted = [16 + 239 * NormalDist(30, 6).cdf(x + 0.5) for x in range(60)]
    assert row[:60] == pytest.approx(wanted, abs=1.5)


@pytest.mark.parametrize("mode", sorted(BLENDS))
def test_blend_modes_leave_the_back_where_the_front_is_clear(mode: str) -> None:
    back = np.array([[[0.3, 0.5, 0.7, 1.0]]], np.float32)
    assert blend_over(back, np.zeros_like(back), mode) == pytest.approx(back)
    assert blend_over(back, np.array([[[0.2, 0.6, 0.9, 1.0]]], np.float32), mode).min() >= 0


def test_known_values_of_blend_modes() -> None:
    def mixed(mode: str, back: float, front: float) -> float:
        pixel = [np.array([[[v, v, v, 1.0]]], np.float32) for v in (back, front)]
        return float(blend_over(*pixel, mode)[0, 0, 0])

    assert mixed("multiply", 0.5, 0.5) == pytest.approx(0.25)
    assert mixed("screen", 0.5, 0.5) == pytest.approx(0.75)
    assert mixed("overlay", 0.25, 0.5) == pytest.approx(0.25)
    assert mixed("difference", 0.2, 0.9) == pytest.approx(0.7)
    assert mixed("color-dodge", 0.4, 1.0) == 1 and mixed("color-burn", 0.4, 0.0) == 0


@pytest.mark.parametrize("data,why", [(b"", "is empty"), (b"hello", "not a PNG"), (b"\x89PNG\r\n\x1a\n", "not a PNG")])
def test_files_that_are_no_pictures_are_named(data: bytes, why: str) -> None:
    with pytest.raises(BadArt, match=rf"^reef\.png: .*{why}"):
        inspect(data, "reef.png")


def test_a_cut_short_picture_is_refused_and_a_huge_one_before_it_is_decoded() -> None:
    whole = encode_png(noise(300, 200))
    with pytest.raises(BadArt, match="damaged or cut short"):
        decode(whole[: len(whole) // 2], "half.png")
    bomb = io.BytesIO()
    Image.new("1", (60_000, 1_200)).save(bomb, "PNG")
    assert len(bomb.getvalue()) < 20_000
    with pytest.raises(BadArt, match="64 megapixels"):
        inspect(bomb.getvalue(), "bomb.png")


def test_shrinking_keeps_colour_beside_clear_pixels() -> None:
    art = flat(8, 8, 255, 255, 255, 0)
    art[:, 4:] = (0, 90, 0, 255)
    small = shrink(art, 2, 2)
    assert small[0, 1].tolist() == [0, 90, 0, 255] and small[0, 0, 3] == 0
