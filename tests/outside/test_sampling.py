"""What a canvas pixel shows, against the truth: the original that the art was made of, averaged over the pixel's area.

The original is four times as fine as the art; a canvas pixel's truth is the mean of 4 × 4 samples of it, in float64.
"""

import functools
import math

import cv2
import numpy as np
import pytest
import scipy.ndimage

from clinamen.core.compiled import fitted, table
from clinamen.core.raster import Laid, draw
from clinamen.core.raster.softness import reduction
from clinamen.core.raster.tiled import Canvas
from tests.conftest import psnr
from tests.seen import shot

FINER, WIDTH, HEIGHT = 4, 480, 300


@functools.cache
def original() -> np.ndarray:
    """Sharp shapes and thin lines, [4 · HEIGHT, 4 · WIDTH, 3] float64."""
    rng = np.random.default_rng(5)
    size = np.array([WIDTH * FINER, HEIGHT * FINER])
    big = np.full((size[1], size[0], 3), 120, np.uint8)
    for _ in range(250):
        points = rng.random((int(rng.integers(3, 7)), 2)) * rng.integers(20, 240) + rng.random(2) * size
        cv2.fillPoly(big, [points.astype(np.int32)], rng.integers(10, 245, 3).tolist(), cv2.LINE_AA)
    for _ in range(120):
        ends = (rng.random((2, 2)) * size).astype(int).tolist()
        cv2.line(big, ends[0], ends[1], rng.integers(0, 255, 3).tolist(), int(rng.integers(2, 9)), cv2.LINE_AA)
    return big.astype(np.float64)


@functools.cache
def art() -> np.ndarray:
    mean = original().reshape(HEIGHT, FINER, WIDTH, FINER, 3).mean(axis=(1, 3))
    return np.dstack([np.round(mean), np.full((HEIGHT, WIDTH), 255)]).astype(np.uint8)


def truth(matrix: np.ndarray, width: int, height: int, samples: int = 4) -> np.ndarray:
    """The canvas [height, width, 3] in float64 under a matrix from art to canvas pixels."""
    inverse, out = np.linalg.inv(matrix), np.zeros((height, width, 3))
    for i in range(samples):
        for j in range(samples):
            y, x = np.mgrid[0:height, 0:width].astype(float)
            at = np.stack([x + (i + 0.5) / samples, y + (j + 0.5) / samples, np.ones_like(x)])
            u, v, w = np.tensordot(inverse, at, 1)
            u, v = u / w * FINER - 0.5, v / w * FINER - 0.5
            left, top = np.floor(u).astype(int), np.floor(v).astype(int)
            for dx, share_x in ((0, 1 - (u - left)), (1, u - left)):
                for dy, share_y in ((0, 1 - (v - top)), (1, v - top)):
                    out += original()[top + dy, left + dx] * (share_x * share_y)[..., None]
    return out / samples**2


def move(scale: float, degrees: float, recede: float, width: int, height: int) -> np.ndarray:
    """Art about its middle, scaled, turned and receding, a fraction of a pixel away from the canvas's middle."""
    c, s = np.cos(np.radians(degrees)) * scale, np.sin(np.radians(degrees)) * scale
    middle = np.array([[1, 0, width / 2], [0, 1, height / 2], [0, 0, 1.0]])
    away = np.array([[1, 0, 0], [0, 1, 0], [recede / WIDTH / scale, recede / HEIGHT / scale / 2, 1.0]])
    turned = np.array([[c, -s, 0.37], [s, c, 0.61], [0, 0, 1.0]])
    return middle @ away @ turned @ np.array([[1, 0, -WIDTH / 2], [0, 1, -HEIGHT / 2], [0, 0, 1.0]])


def laid(matrix: np.ndarray, **fields) -> Laid:
    return Laid(art, "art", WIDTH, HEIGHT, matrix, **fields)


@pytest.mark.parametrize("degrees,recede", [(0, 0), (13, 0), (7, 0.25)], ids=["shifted", "turned", "receding"])
@pytest.mark.parametrize("scale,least", [(2.3, 25.5), (1, 29), (0.7, 35), (0.4, 39)])
def test_the_fitted_filter_is_nearest_to_the_truth(scale: float, least: float, degrees: float, recede: float) -> None:
    width, height = int(WIDTH * min(scale, 1) * 0.6), int(HEIGHT * min(scale, 1) * 0.6)
    matrix = move(scale, degrees, recede, width, height)
    wanted = truth(matrix, width, height)
    fine, draft = (
        psnr(draw([laid(matrix)], (width, height), sampling=sampling)[..., :3], wanted)
        for sampling in ("fine", "draft")
    )
    assert fine > least and fine > draft + 1.2, f"fine {fine:.1f} dB, between four pixels {draft:.1f} dB"


def test_what_recedes_to_the_horizon_does_not_shimmer() -> None:
    """A striped floor far down: single samples would show patterns that are not there."""
    stripes = np.zeros((2048, 256, 4), np.uint8)
    stripes[..., 3] = 255
    stripes[(np.arange(2048) // 2) % 2 == 0, :, :3] = 200
    # rows pile up towards the top: at canvas row y stands art row 120 000 / (y + 40)
    matrix = np.linalg.inv(np.array([[1.0, 0, 0], [0, 0, 120_000], [0, 1, 40]]))
    floor = Laid(lambda: stripes, None, 256, 2048, matrix)
    rows = np.arange(160) + 0.5
    dense = 120_000 / (rows + 40) ** 2  # art rows a canvas row
    far = (dense > 8) & (120_000 / (rows + 40) < 2000)
    fine, draft = (draw([floor], (200, 160), sampling=way)[..., 0].astype(float)[far] for way in ("fine", "draft"))
    assert far.sum() > 20 and np.abs(draft - 100).max() > 60, "the draft does show them"
    assert np.abs(fine - 100).max() < 20 and np.abs(fine - 100).mean() < 8, "many stripes to a pixel are their mean"


def test_a_slow_pan_breathes_less() -> None:
    """Sharpness (mean square of differences along the rows) over a pan by an eighth of a pixel a frame."""

    def ripple(pictures: list[np.ndarray]) -> float:
        sharp = [np.mean(np.diff(picture[..., 1].astype(float), axis=1) ** 2) for picture in pictures]
        return (max(sharp) - min(sharp)) / max(sharp)

    shifts = [np.array([[1, 0, -100 - step / 8], [0, 1, -60], [0, 0, 1.0]]) for step in range(8)]
    true = ripple([truth(shift, 240, 150) for shift in shifts])
    fine, draft = (
        ripple([draw([laid(shift)], (240, 150), sampling=sampling) for shift in shifts])
        for sampling in ("fine", "draft")
    )
    assert true < 0.06 and fine < 0.6 * draft, f"truth {true:.2f}, fine {fine:.2f}, draft {draft:.2f}"


def test_a_zoom_has_no_step_where_the_level_changes() -> None:
    def sharp(scale: float) -> float:
        picture = draw([laid(move(scale, 0, 0, 120, 80))], (120, 80))[..., 1].astype(float)
        return float(np.mean(np.diff(picture, axis=1) ** 2))

    edge = 1 / table.DENSEST
    below, above = sharp(edge * 0.999), sharp(edge * 1.001)
    assert abs(below - above) < 0.08 * above


def test_weights_have_the_least_error_on_random_walks() -> None:
    """Simulated: walks of 64 steps to a pixel, their means over pixels, and the means that are wanted between them."""
    rng, steps = np.random.default_rng(1), 64
    walks = np.cumsum(rng.standard_normal((4000, 12 * steps)), axis=1) / np.sqrt(steps)
    pixels = walks.reshape(4000, 12, steps).mean(axis=2)

    def cubic(t: np.ndarray) -> np.ndarray:  # Catmull and Rom's
        t = abs(t)
        return np.where(t < 1, (1.5 * t - 2.5) * t * t + 1, np.where(t < 2, ((-0.5 * t + 2.5) * t - 4) * t + 2, 0))

    for stretch, taps in ((1.0, 4), (1.5, 4), (2.0, 6), (3.0, 6)):
        errors = {"fitted": [], "linear": [], "cubic": []}
        at = np.arange(taps) - (taps / 2 - 1)
        for phase in (0.125, 0.25, 0.5, 0.75):
            middle = int((5.5 + phase) * steps)  # between pixels number 5 and 6
            half = int(stretch * steps / 2)
            wanted = walks[:, middle - half : middle + half].mean(axis=1)
            near = pixels[:, 5 - taps // 2 + 1 : 5 + taps // 2 + 1]
            linear = np.maximum(1 - np.abs(at - phase), 0)
            kernel = cubic((at - phase) / stretch)
            shares = {
                "fitted": fitted.weights(stretch, np.array([phase]), taps)[0],
                "linear": linear,
                "cubic": kernel / kernel.sum(),
            }
            for name, share in shares.items():
                errors[name].append(np.mean((near @ share - wanted) ** 2))
        mean = {name: np.mean(values) for name, values in errors.items()}
        assert mean["fitted"] < 0.97 * min(mean["linear"], mean["cubic"]), (stretch, mean)


def test_a_table_keeps_whole_pixels_and_means() -> None:
    few = fitted.table(fitted.FEW)
    assert np.abs(few.sum(axis=2) - 1).max() < 1e-6
    assert few[0, 0] == pytest.approx([0, 1, 0, 0], abs=1e-6), "1:1 at a whole pixel is the pixel"
    assert few[fitted.STEPS, fitted.PHASES // 2] == pytest.approx([0, 0.5, 0.5, 0], abs=1e-6), "2:1 is the mean of two"


def shapes() -> np.ndarray:
    rng = np.random.default_rng(3)
    out = np.zeros((200, 300, 4), np.uint8)
    for _ in range(40):
        points = (rng.random((4, 2)) * 80 + rng.random(2) * [240, 140]).astype(np.int32)
        cv2.fillPoly(out, [points], (*rng.integers(0, 255, 3).tolist(), 255))
    return out


@pytest.mark.parametrize("sigma", [1, 3, 5, 12, 40])
def test_softness_is_scipys_gaussian(sigma: float) -> None:
    pixels = shapes()
    planes = np.pad(pixels, ((150, 150), (150, 150), (0, 0))).astype(float) / 255
    planes[..., :3] *= planes[..., 3:]
    wanted = np.stack(
        [scipy.ndimage.gaussian_filter(planes[..., c], sigma, mode="constant", truncate=6) for c in range(4)], axis=-1
    )
    canvas = Canvas(600, 500, True, 2)
    shift = np.array([[1, 0, 150], [0, 1, 150], [0, 0, 1.0]])
    canvas.lay([Laid(lambda: pixels, None, 300, 200, shift, softness=sigma)])
    assert psnr(canvas.floats() * 255, wanted * 255) > 58
    assert (reduction(sigma, 0) > 1) == (sigma >= 5), "wide Gaussians are worked out on a smaller picture"


def soft_spot(diameter: float, moved: int) -> np.ndarray:
    """The share [301, 301] of a spot of 24 px under a disc, its middle `moved` px from the canvas's."""
    spot, placed = (
        np.full((24, 24, 4), 255, np.uint8),
        np.array([[1, 0, 138 + moved], [0, 1, 138 + moved], [0, 0, 1.0]]),
    )
    canvas = Canvas(301, 301, True, 1)
    canvas.lay([Laid(lambda: spot, None, 24, 24, placed, disc=diameter)])
    return canvas.floats()[..., 3].astype(float)


@pytest.mark.parametrize("diameter", [3, 5, 8, 12, 20, 30, 55, 90])
def test_a_disc_has_a_discs_second_moment(diameter: float) -> None:
    """A uniform disc of diameter c has variance c² / 16 along each axis (r² / 4): within 5 % of its spread, wherever it stands
    on the smaller picture that a wide one is worked out on (the mean over its places there)."""
    y, x = np.mgrid[0:301, 0:301] - 150.0
    found = []
    for moved in range(8):
        share = soft_spot(diameter, moved)
        assert share.sum() == pytest.approx(576, rel=0.04)
        for axis in (x, y):  # the spot's own variance is (24² − 1) / 12, over pixels' middles
            middle = (share * axis).sum() / share.sum()
            found.append((share * (axis - middle) ** 2).sum() / share.sum() - 575 / 12)
    assert math.sqrt(np.mean(found)) == pytest.approx(diameter / 4, rel=0.05)
    share = soft_spot(diameter, 0)
    x, y = x + 0.5, y + 0.5
    if diameter >= 55:
        inside, outside = np.hypot(x, y) < diameter / 2 - 24, np.hypot(x, y) > diameter / 2 + 24
        assert share[inside].std() < 0.1 * share[inside].mean(), "even within"
        assert share[outside].sum() < 0.02 * share.sum(), "and nothing beyond"


MODES = (
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light", "soft-light",
    "difference", "exclusion", "add",
)  # fmt: skip


def test_blend_modes_are_chromiums(page) -> None:
    """CSS mix-blend-mode on the same two pictures, front and back partly clear, in a group of their own over white."""
    import base64

    from clinamen.core.pictures.encoding import encode_png

    y, x = np.mgrid[0:64, 0:64]
    back = np.dstack([4 * x, 255 - 4 * y, (x * y) % 256, np.where(x < 48, 255, 130)]).astype(np.uint8)
    front = np.dstack([4 * y, 2 * x + y, 255 - 4 * x, np.where(y < 16, 255, np.where(y < 48, 150, 0))]).astype(np.uint8)

    def source(pixels: np.ndarray) -> str:
        return "data:image/png;base64," + base64.b64encode(encode_png(pixels)).decode()

    boxes = "".join(
        f'<div><img src="{source(back)}"><img src="{source(front)}" style="mix-blend-mode:{"plus-lighter" if mode == "add" else mode}"></div>'
        for mode in MODES
    )
    page.set_viewport_size({"width": 64 * len(MODES), "height": 64})
    page.set_content(
        "<style>body{margin:0;background:#fff;display:flex}div{position:relative;width:64px;height:64px;isolation:isolate}"
        f"img{{position:absolute;left:0;top:0}}</style>{boxes}"
    )
    page.wait_for_function("() => [...document.images].every((image) => image.complete)")
    theirs = shot(page).astype(int)
    for number, mode in enumerate(MODES):
        sheets = [Laid(lambda: back, None, 64, 64, np.eye(3)), Laid(lambda: front, None, 64, 64, np.eye(3), blend=mode)]
        ours = draw(sheets, (64, 64)).astype(float)
        alpha = ours[..., 3:] / 255
        over_white = ours[..., :3] * alpha + 255 * (1 - alpha)
        away = np.abs(over_white - theirs[:, 64 * number : 64 * number + 64])
        assert np.percentile(away, 99) <= 3 and away.mean() < 1, (mode, away.max())
