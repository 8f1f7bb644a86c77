"""Prep steps against reference libraries and known truths: SciPy, Pillow's ImageCms, Chromium, composites with known alpha."""

import io
from pathlib import Path

import cv2
import numpy as np
import pytest
import scipy.ndimage
import skimage
from PIL import Image, ImageCms

from bench.prepare import assisted, psnr, ssim, truth
from clinamen.core.pictures import vector as svg
from clinamen.core.pictures.reading import decode
from clinamen.core.prep.colour import delta_e, lab
from clinamen.core.prep.edges import moved_edge, signed_distance
from clinamen.core.prep.fill import fill_region
from clinamen.core.prep.recipe import Recipe
from clinamen.core.prep.run import run
from clinamen.core.prep.shapes import Box
from clinamen.core.prep.steps import AssistedCut, Fill, Grow, KeyCut, RectangleCut, Soften
from demo import orrery
from tests.conftest import ROOT, noise
from tests.seen import shot

PHOTOGRAPHS = Path(skimage.__file__).parent / "data"  # open pictures that scikit-image ships


def prepared(pixels: np.ndarray, *steps: object) -> np.ndarray:
    return run(Recipe(width=pixels.shape[1], height=pixels.shape[0], steps=steps), pixels)


def blob(width: int = 160, height: int = 120) -> np.ndarray:
    """A wavy shape's alpha."""
    y, x = np.mgrid[0:height, 0:width] + 0.5
    angle = np.arctan2(y - height / 2, x - width / 2)
    return (np.hypot(x - width / 2, y - height / 2) < 38 + 8 * np.sin(5 * angle)).astype(np.uint8) * 255


@pytest.mark.parametrize("sigma", [0.5, 2.0, 7.5])
def test_softening_is_scipys_gaussian(sigma: float) -> None:
    """SciPy ndimage.gaussian_filter, edge pixels repeated, kernel cut at 4 σ."""
    art = np.dstack([noise(160, 120)[..., :3], blob()])
    theirs = scipy.ndimage.gaussian_filter(art[..., 3].astype(float), sigma, mode="nearest", truncate=4)
    assert np.abs(prepared(art, Soften(radius=sigma))[..., 3] - theirs).max() <= 1.0


def test_distances_are_scipys_euclidean_ones() -> None:
    """SciPy ndimage.distance_transform_edt."""
    inside = blob() > 0
    ours = signed_distance(inside)
    theirs = np.where(
        inside, 0.5 - scipy.ndimage.distance_transform_edt(inside), scipy.ndimage.distance_transform_edt(~inside) - 0.5
    )
    assert np.abs(ours - theirs).max() < 1e-3


@pytest.mark.parametrize("by", [-9.0, -1.0, 3.0, 12.0])
def test_growing_and_shrinking_take_the_pixels_scipy_says(by: float) -> None:
    art = np.dstack([noise(160, 120)[..., :3], blob()])
    grown = prepared(art, Grow(by=by))[..., 3] >= 128
    solid = art[..., 3] > 0
    outside, within = scipy.ndimage.distance_transform_edt(~solid), scipy.ndimage.distance_transform_edt(solid)
    theirs = outside <= by + 0.5 if by > 0 else within > 0.5 - by
    assert (grown != theirs).mean() < 0.002
    assert (moved_edge(art[..., 3], by) == prepared(art, Grow(by=by))[..., 3]).all()


def test_profiles_are_converted_as_imagecms_does() -> None:
    """Pillow's ImageCms (Little CMS): a linear-light profile, a grey one and L*a*b*-made colours, to sRGB."""
    art = noise(90, 60, 4)[..., :3]
    lines = np.linspace(0, 1, 256)
    for gamma in (1.0, 2.6):
        source = profile(gamma)
        out = io.BytesIO()
        Image.fromarray(art).save(out, "PNG", icc_profile=source.tobytes())
        theirs = ImageCms.profileToProfile(
            Image.fromarray(art), source, ImageCms.createProfile("sRGB"),
            renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC, flags=ImageCms.Flags.BLACKPOINTCOMPENSATION,
        )  # fmt: skip
        ours = decode(out.getvalue(), "a.png")[..., :3]
        assert np.abs(ours.astype(int) - np.asarray(theirs)).max() <= 1
        assert np.abs(ours.astype(int) - art).max() > 10, "the profile matters"
    assert lines[0] == 0


def profile(gamma: float) -> ImageCms.ImageCmsProfile:
    """An RGB matrix profile with the primaries of sRGB and another tone curve, written by hand (ICC.1:2010)."""
    import struct

    def fixed(value: float) -> bytes:
        return struct.pack(">i", round(value * 65536))

    def xyz(*values: float) -> bytes:
        return b"XYZ \0\0\0\0" + b"".join(map(fixed, values))

    curve = b"curv\0\0\0\0" + struct.pack(">IH", 1, round(gamma * 256)) + b"\0\0"
    text = b"desc\0\0\0\0" + struct.pack(">I", 5) + b"test\0" + bytes(78)
    tags = {
        b"desc": text, b"cprt": b"text\0\0\0\0none\0", b"wtpt": xyz(0.9642, 1.0, 0.8249),
        b"rXYZ": xyz(0.4361, 0.2225, 0.0139), b"gXYZ": xyz(0.3851, 0.7169, 0.0971), b"bXYZ": xyz(0.1431, 0.0606, 0.7141),
        b"rTRC": curve, b"gTRC": curve, b"bTRC": curve,
    }  # fmt: skip
    table, body, at = struct.pack(">I", len(tags)), b"", 128 + 4 + 12 * len(tags)
    for name, data in tags.items():
        padded = data + bytes(-len(data) % 4)
        table += name + struct.pack(">II", at, len(data))
        body, at = body + padded, at + len(padded)
    head = (
        struct.pack(">I4sI4s4s4s", at, b"none", 0x02400000, b"mntr", b"RGB ", b"XYZ ") + bytes(12) + b"acsp" + bytes(28)
    )
    head += fixed(0.9642) + fixed(1.0) + fixed(0.8249) + bytes(48)
    return ImageCms.ImageCmsProfile(io.BytesIO(head + table + body))


DRAWING = """<svg xmlns="http://www.w3.org/2000/svg" width="300" height="200" viewBox="0 0 300 200">
<defs><radialGradient id="r" cx=".4" cy=".4" r=".7"><stop stop-color="#ffe08a"/><stop offset="1" stop-color="#b0451f"/></radialGradient>
<clipPath id="c"><path d="M0 0H300V120Q150 200 0 120Z"/></clipPath></defs>
<rect width="300" height="200" fill="#123"/><g clip-path="url(#c)"><circle cx="150" cy="90" r="70" fill="url(#r)"/>
<path d="M20 160C90 20 210 20 280 160" fill="none" stroke="#6cf" stroke-width="9" stroke-dasharray="22 9" stroke-linecap="round"/></g>
<g transform="rotate(12 220 150)" opacity=".7"><rect x="190" y="130" width="70" height="40" rx="9" fill="#fff"/></g></svg>"""


@pytest.mark.parametrize("zoom", [1.0, 2.5])
def test_svg_is_drawn_as_chromium_draws_it(page, zoom: float) -> None:
    ours = svg.draw(DRAWING.encode(), "drawing.svg", 300, 200, zoom)[..., :3]
    page.set_viewport_size({"width": 800, "height": 600})
    page.set_content(
        f"<style>body{{margin:0}}svg{{width:{300 * zoom}px;height:{200 * zoom}px;display:block}}</style>{DRAWING}"
    )
    theirs = shot(page, {"x": 0, "y": 0, "width": 300 * zoom, "height": 200 * zoom})
    assert theirs.shape == ours.shape and psnr(ours, theirs, np.ones(ours.shape[:2], bool)) > 38


def composite(name: str) -> tuple[np.ndarray, np.ndarray]:
    """An open photograph cut to a soft wavy shape and laid over flat green: the picture, and its known alpha."""
    photograph = np.asarray(Image.open(PHOTOGRAPHS / name).convert("RGB").resize((480, 360)))
    alpha = (
        cv2.GaussianBlur(cv2.resize(blob(), (480, 360), interpolation=cv2.INTER_CUBIC).astype(np.float32), (0, 0), 2)
        / 255
    )
    picture = photograph * alpha[..., None] + np.array([0, 177, 64]) * (1 - alpha[..., None])
    return np.dstack([np.rint(picture), np.full(alpha.shape, 255)]).astype(np.uint8), alpha


@pytest.mark.parametrize("name", ["coffee.png", "chelsea.png", "astronaut.png"])
def test_keyed_composites_come_close_to_their_known_alpha(name: str) -> None:
    picture, alpha = composite(name)
    keyed = prepared(picture, KeyCut(colour="#00b140", tolerance=14, softness=55, soften=0))
    error = np.abs(keyed[..., 3] / 255 - alpha)
    assert error.mean() < 0.02, f"mean alpha error {error.mean():.4f}"
    edge = (alpha > 0.05) & (alpha < 0.95)
    assert error[edge].mean() < 0.2, f"mean alpha error at the edge {error[edge].mean():.4f}"
    half = edge & (keyed[..., 3] > 60)
    assert (keyed[half][:, 1].astype(int) - keyed[half][:, [0, 2]].max(axis=1)).mean() < 12, "the green cast is gone"


def test_a_cut_composite_comes_close_to_its_known_alpha() -> None:
    picture, alpha = composite("astronaut.png")
    box = Box(x=95, y=35, width=290, height=290)
    cut = prepared(picture, AssistedCut(box=box))[..., 3]
    got, want = cut >= 128, alpha >= 0.5
    assert (got & want).sum() / (got | want).sum() > 0.97


@pytest.fixture(scope="module")
def small_orrery() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The demo's flat picture, its true mask and its true background, drawn at half the size and reduced to a third."""
    with pytest.MonkeyPatch.context() as patch:
        for name, value in (("FINER", 1), ("WIDTH", orrery.W), ("HEIGHT", orrery.H)):
            patch.setattr(orrery, name, value)
        parts = truth()
    size = (round(parts[1].shape[1] * 0.65), round(parts[1].shape[0] * 0.65))
    return tuple(cv2.resize(part, size, interpolation=cv2.INTER_AREA) for part in parts)


def test_the_orrery_is_cut_with_a_box_and_a_few_marks() -> None:
    """The picture that ships, at its full size, against the mask it was drawn with."""
    picture = decode((ROOT / "demo/orrery/art/orrery.jpeg").read_bytes(), "orrery.jpeg")
    mask = orrery.orrery()[..., 3]
    step = assisted(mask)
    assert len(step.marks) <= 10
    cut = prepared(picture, step)[..., 3]
    got, want = cut >= 128, mask >= 128
    assert (got & want).sum() / (got | want).sum() >= 0.98
    edge = cv2.dilate(((mask > 0) & (mask < 255)).astype(np.uint8), np.ones((9, 9))) > 0
    assert np.abs(cut.astype(float) - mask)[edge].mean() / 255 < 0.08


def test_what_is_filled_behind_the_orrery_is_far_closer_to_the_truth_than_a_plain_colour(small_orrery) -> None:
    picture, mask, background = small_orrery
    hole = picture.copy()
    hole[..., 3] = 255 - mask
    grown, band = fill_region(hole[..., 3], 10, 30)
    band &= mask >= 128
    plain = np.broadcast_to(picture[..., :3][~grown].mean(axis=0), background.shape)
    for method in ("smooth", "texture"):
        filled = prepared(hole, Fill(reach=30, method=method))[..., :3]
        assert psnr(filled, background, band) > psnr(plain, background, band) + 10
        # the drawing keeps its grain, which nobody can guess: the gain is smaller than bench.prepare's at full size
        assert ssim(filled, background, band) > ssim(plain, background, band) + 0.02


def test_lab_is_scikit_images() -> None:
    """skimage.color.rgb2lab, D65, 2° observer."""
    from skimage.color import rgb2lab

    art = noise(60, 40, 2)[..., :3]
    assert delta_e(lab(art), rgb2lab(art).astype(np.float32)).max() < 0.6


def test_a_rectangle_covers_the_area_geometry_says() -> None:
    art = noise(200, 150)
    alpha = prepared(art, RectangleCut(box=Box(x=20.25, y=30.5, width=100.5, height=61), soften=0))[..., 3]
    assert alpha.sum() / 255 == pytest.approx(100.5 * 61, rel=1e-3)
