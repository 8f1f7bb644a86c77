"""The raster in tiles beside the raster on OpenCV alone: everything one can do the other does; and how tiles are kept and shared."""

import subprocess
import sys
import tracemalloc
from pathlib import Path

import numpy as np
import pytest

from clinamen.core import raster
from clinamen.core.arrays import Planes
from clinamen.core.motion.states import State
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.raster import Laid, draw, frames, render, tiled
from clinamen.core.raster import texture as textures
from clinamen.core.raster.softness import disc_blurred
from clinamen.core.raster.texture import made as textured
from tests.conftest import ROOT, layer, noise, psnr, scene, shelf_of

VIEW = {"width": 400, "height": 260, "background": "#204060"}


def leaves(width: int, height: int, seed: int) -> np.ndarray:
    """Art with soft edges, about half of it clear."""
    art = noise(width, height, seed, 25)
    cover = noise(width, height, seed + 50, 30)[..., 0].astype(float)
    art[..., 3] = np.clip((cover - 110) * 6, 0, 255)
    return art


ART = {
    "sky": noise(700, 500, 1, 30),
    "far": leaves(600, 420, 2),
    "near": leaves(500, 300, 3),
    "unit": leaves(90, 70, 4),
}


def both(made, monkeypatch, state: State = State(), **options) -> tuple[np.ndarray, np.ndarray]:
    """A draft in tiles, and the same by OpenCV alone."""
    tiled = render(made, state, lambda x: ART[x.id], sampling="draft", **options)
    with monkeypatch.context() as without:
        without.setattr(raster, "_compiled", lambda: "not here")
        return tiled, render(made, state, lambda x: ART[x.id], **options)


def on_grey(picture: np.ndarray) -> np.ndarray:
    """A picture with clear parts over grey: the colour of what is hardly there is nobody's business."""
    alpha = picture[..., 3:] / 255
    return picture[..., :3] * alpha + 128 * (1 - alpha)


def layers(**near) -> list:
    return [
        layer("sky", 700, 500, depth="infinite"),
        layer("far", 600, 420, depth=400, framing={"x": 7.3}),
        layer("near", 500, 300, **near),
    ]


CASES = {
    "a shift by a fraction": scene(*layers(framing={"x": 3.4, "y": -2.7}), view=VIEW),
    "larger": scene(*layers(framing={"scale": 1.7}), view=VIEW),
    "smaller": scene(*layers(framing={"scale": 0.37}), view=VIEW),
    "turned": scene(*layers(framing={"rotation": 17, "scale": 0.8}), view=VIEW),
    "upside down": scene(*layers(framing={"rotation": 180, "x": 0.4}), view=VIEW),
    "leaning and turned away": scene(*layers(tilt={"lean": 20, "turn": 35}), view=VIEW),
    "half seen": scene(*layers(opacity=0.43), view=VIEW),
    "a camera that pans and rolls": scene(*layers(), view=VIEW, camera={"yaw": 5, "roll": -8, "pitch": 3, "zoom": 1.2}),
    "tiles": scene(*layers()[:2], layer("unit", 90, 70, repeat={"x": "tile", "y": "tile"}, framing={"x": 3.3}), view=VIEW),
    "mirrors, turned": scene(
        *layers()[:2], layer("unit", 90, 70, repeat={"x": "mirror", "y": "tile"}, framing={"rotation": 12}), view=VIEW
    ),
    "a floor that passes under the camera": scene(
        *layers()[:2], layer("unit", 90, 70, repeat={"x": "tile", "y": "none"}, tilt={"lean": 70}, framing={"y": 60}), view=VIEW
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_a_draft_is_what_opencv_draws(name: str, monkeypatch) -> None:
    tiled, plain = both(CASES[name], monkeypatch)
    assert psnr(tiled, plain) > 56, f"{psnr(tiled, plain):.1f} dB, at most {np.abs(tiled.astype(int) - plain).max()}"
    clear = both(CASES[name], monkeypatch, transparent=True)
    assert psnr(*(picture[..., 3] for picture in clear)) > 55, "and with nothing behind it"


@pytest.mark.parametrize("mode", ["multiply", "screen", "overlay", "soft-light", "color-burn", "difference"])
def test_blend_modes_are_the_same_in_tiles(mode: str, monkeypatch) -> None:
    made = scene(*layers(blend=mode, framing={"x": 0.5}, opacity=0.8), view=VIEW)
    assert psnr(*both(made, monkeypatch)) > 55
    see_through = [picture.astype(float) for picture in both(made, monkeypatch, transparent=True)]
    assert np.abs(see_through[0][..., 3] - see_through[1][..., 3]).max() <= 1


@pytest.mark.parametrize("sigma", [2, 9])
def test_softness_is_the_same_in_tiles(sigma: float, monkeypatch) -> None:
    made = scene(
        *layers(framing={"x": 60}), view=VIEW, drivers={"scroll": {}},
        tracks=[{"target": "near", "channel": "blur", "driver": "scroll", "keys": [{"at": 0, "value": sigma}]}],
    )  # fmt: skip
    assert psnr(*both(made, monkeypatch)) > 54


@pytest.mark.parametrize("compiled", [True, False])
def test_a_sheet_just_before_the_eye_is_softened_over_millions_of_pixels_in_little_memory(
    compiled, monkeypatch
) -> None:
    art = np.full((30, 50, 4), (200, 100, 50, 255), np.uint8)
    art[:, :25, :3] = 0
    shift = np.array([[1e6, 0, -3e7], [0, 1e6, -2e7], [0, 0, 1.0]])
    laid = Laid(lambda: art, None, 50, 30, shift, repeat=("tile", "tile"), disc=3e9)
    if not compiled:
        monkeypatch.setattr(raster, "_compiled", lambda: "not here")
    draw([Laid(lambda: art, None, 50, 30, np.eye(3))], (40, 30))  # what is compiled at first use is not counted
    tracemalloc.start()
    picture = draw([laid], (40, 30))
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert np.abs(picture.astype(int) - (100, 50, 25, 255)).max() <= 2, "the mean of its colours"
    assert peak < 400e6


def sheets(**fields) -> list[Laid]:
    shift = np.array([[1, 0, -40.3], [0, 1, -30.6], [0, 0, 1.0]])
    return [Laid(lambda: ART["sky"], None, 700, 500, shift), Laid(lambda: ART["near"], None, 500, 300, shift, **fields)]


def drawn(monkeypatch, laid: list[Laid], **options) -> tuple[np.ndarray, np.ndarray]:
    tiled = draw(laid, (400, 260), sampling="draft", **options)
    with monkeypatch.context() as without:
        without.setattr(raster, "_compiled", lambda: "not here")
        return tiled, draw(laid, (400, 260), **options)


def test_a_sheet_takes_a_colour_matrix_a_mask_and_a_disc(monkeypatch) -> None:
    grey = np.array([[0.21, 0.72, 0.07, 0.1]] * 3)
    coloured, plain = drawn(monkeypatch, sheets(colour=grey)[1:])
    assert psnr(on_grey(coloured), on_grey(plain)) > 55
    solid = coloured[coloured[..., 3] == 255][:, :3].astype(int)
    assert np.ptp(solid, axis=1).max() == 0 and solid.min() >= 25, "grey, and a tenth lighter"
    mask: Planes = np.tile(np.linspace(0, 1, 400, dtype=np.float32), (260, 1))
    masked, plain = drawn(monkeypatch, sheets(mask=mask))
    bare = draw(sheets()[:1], (400, 260), sampling="draft")
    assert psnr(masked, plain) > 55 and np.abs(masked[:, :2].astype(int) - bare[:, :2]).max() <= 2
    assert psnr(*drawn(monkeypatch, sheets(disc=7.0))) > 50
    assert psnr(*drawn(monkeypatch, sheets(disc=30.0))) > 42, "a wide disc is worked out on a smaller picture"


def test_a_backdrop_lies_behind_everything(monkeypatch) -> None:
    backdrop = np.zeros((260, 400, 4), np.float32)
    backdrop[:, 200:] = (0.5, 0.25, 0, 0.5)
    picture, plain = drawn(monkeypatch, sheets()[1:], backdrop=backdrop)
    assert psnr(on_grey(picture), on_grey(plain)) > 55
    clear = draw(sheets()[1:], (400, 260), sampling="draft")[..., 3] == 0
    assert (picture[clear & (np.arange(400) < 200)] == 0).all()
    assert np.abs(picture[clear & (np.arange(400) >= 200)].astype(int) - [255, 128, 0, 128]).max() <= 1


@pytest.mark.parametrize("sampling", ["fine", "draft"])
def test_threads_and_repetition_change_nothing(sampling) -> None:
    for name in ("turned", "larger", "mirrors, turned"):
        one, many, again = (
            render(CASES[name], State(), lambda x: ART[x.id], 2.0, sampling=sampling, threads=threads)
            for threads in (1, 5, 5)
        )
        assert (one == many).all() and (many == again).all()


def test_frames_come_in_their_order_and_are_what_render_draws() -> None:
    made = scene(*layers(), view=VIEW, drivers={"scroll": {}}, tracks=[
        {"target": "camera", "channel": "x", "driver": "scroll", "keys": [{"at": 0, "value": 0}, {"at": 1, "value": 90}]}])  # fmt: skip
    states = [State(place / 9) for place in range(10)]
    asked = iter(states)
    film = frames(made, asked, lambda x: ART[x.id], threads=2)
    first = next(film)
    assert len(list(asked)) >= 6, "no more is worked out ahead than there are threads for"
    assert (first == render(made, states[0], lambda x: ART[x.id])).all()
    for state, picture in zip(states, frames(made, states, lambda x: ART[x.id], threads=3), strict=True):
        assert (picture == render(made, state, lambda x: ART[x.id])).all()


def test_no_seam_lies_between_tiles() -> None:
    """An even sheet, scaled, turned and softened, is even wherever tiles meet."""
    even = np.full((600, 800, 4), (90, 140, 200, 255), np.uint8)
    c, s = np.cos(0.2) * 0.83, np.sin(0.2) * 0.83
    turned = np.array([[c, -s, -20], [s, c, -160], [1e-4, 2e-4, 1.0]])
    for sheet in (
        Laid(lambda: even, None, 800, 600, turned),
        Laid(lambda: even, None, 800, 600, np.diag([0.71, 0.71, 1.0])),
        Laid(lambda: even, None, 800, 600, turned, opacity=0.999),
        Laid(lambda: even, None, 800, 600, np.diag([2.3, 2.3, 1.0]), softness=7),
    ):
        picture = draw([sheet], (300, 200), (90 / 255, 140 / 255, 200 / 255, 1.0))[60:, 80:]
        assert np.abs(picture.astype(int) - (90, 140, 200, 255)).max() <= 1


def test_an_edge_on_sheet_and_one_behind_the_camera_show_nothing() -> None:
    for gone in ({"tilt": {"turn": 90}}, {"depth": -299.0, "framing": {"scale": 0.5}}):
        made = scene(
            layer("sky", 700, 500),
            layer("near", 500, 300, **gone),
            view=VIEW,
            camera={"z": 5000 if "depth" in gone else 0},
        )
        picture = render(made, State(), lambda x: ART[x.id])
        assert np.isfinite(picture).all()
        if "tilt" in gone:
            alone = scene(layer("sky", 700, 500), view=VIEW)
            assert (picture == render(alone, State(), lambda x: ART[x.id])).all()


def test_levels_are_means_rounded_once_and_cells_say_what_is_clear() -> None:
    art = np.random.default_rng(2).integers(0, 256, (96, 64, 4)).astype(np.uint8)
    art[:32, :32, 3], art[64:, 32:, 3] = 0, 255
    found = textured(art)
    premultiplied = art.astype(float) / 255
    premultiplied[..., :3] *= premultiplied[..., 3:]
    for number, level in enumerate(found.levels[:5]):
        size = 2**number
        mean = premultiplied.reshape(96 // size, size, 64 // size, size, 4).mean(axis=(1, 3)) * 255
        held = level.packed.view(np.uint8).reshape(*level.packed.shape, 4)
        edge = (level.packed.shape[1] - level.width) // 2
        inside = held[edge : edge + level.height, edge : edge + level.width]
        assert np.abs(inside - mean).max() <= 0.51, f"level {number}"
        assert not held[:edge].any() and not held[:, :edge].any(), "a clear border"
    filled, solid = np.diff(np.diff(found.filled, axis=0), axis=1), np.diff(np.diff(found.solid, axis=0), axis=1)
    assert (filled[:2, :2] == 0).all() and filled.sum() == 24 - 4 and (solid[4:, 2:] == 1).all() and solid.sum() == 4


def test_art_is_loaded_when_it_is_first_seen_and_kept_by_content() -> None:
    made = scene(layer("sky", 700, 500), layer("near", 500, 300, framing={"x": 3000}), view=VIEW)
    shelf, asked = shelf_of(ART), []
    read = shelf.read
    counted = ArtShelf(lambda file: asked.append(file) or read(file), lambda file: f"tiles-{file}")
    first = render(made, State(), counted.loader(made))
    assert any("sky" in file for file in asked) and not any("near" in file for file in asked), (
        "what is off the view is not read"
    )
    asked.clear()
    assert (render(made, State(), counted.loader(made)) == first).all() and not asked, "nor is what is held already"
    assert "tiles-art/sky.png" in str(list(textures._held.values))


SLOW = """
from clinamen.core.raster import render, why_slow
from clinamen.core.motion.states import State
from tests.conftest import layer, noise, scene
made = scene(layer("sky", 90, 60, framing={"rotation": 17}), view={"width": 80, "height": 50})
for _ in range(2):
    picture = render(made, State(), lambda layer: noise(90, 60, 1))
print(why_slow(), picture.std() > 10)
"""


def run(code: str, **environment: str) -> subprocess.CompletedProcess:
    import os

    return subprocess.run(
        [sys.executable, "-c", code], env={**os.environ, "PYTHONPATH": str(ROOT), **environment}, cwd=ROOT,
        capture_output=True, text=True, check=True,
    )  # fmt: skip


def test_without_room_for_compiled_code_opencv_draws_and_says_so_once(tmp_path: Path) -> None:
    file = tmp_path / "no-folder"
    file.write_text("")
    done = run(SLOW, CLINAMEN_CACHE=str(file))
    assert "no room to keep compiled code" in done.stdout and done.stdout.strip().endswith("True")
    assert done.stderr.count("drawn by OpenCV alone") == 1 and "Traceback" not in done.stderr


def test_without_numba_opencv_draws(tmp_path: Path) -> None:
    (tmp_path / "numba.py").write_text("raise ImportError('this processor is not known')")
    done = run(f"import sys; sys.path.insert(0, {str(tmp_path)!r})\n{SLOW}")
    assert "this processor is not known" in done.stdout and done.stdout.strip().endswith("True")
    assert done.stderr.count("drawn by OpenCV alone") == 1


def test_checking_a_scene_loads_no_compiler() -> None:
    done = run(
        "import sys\nfrom clinamen.cli.main import main\n"
        "code = main(['check', 'demo/orrery'])\nprint(code, 'numba' in sys.modules, 'cv2' in sys.modules)"
    )
    assert done.stdout.strip().splitlines()[-1].startswith("0 False")


def test_what_soft_sheets_cover_is_left_out_and_nothing_of_the_picture_with_it(monkeypatch) -> None:
    """Six sheets of differing softness, some of them covering much of the view, against every one worked out whole."""
    solid = noise(500, 400, 9, 40)
    sheets = []
    for number in range(6):
        art = leaves(520, 420, number) if number % 2 else solid
        at = np.array([[1.0, 0, 90 * (number % 3) - 120], [0, 1, 35 * number - 60], [0, 0, 1]])
        sheets.append(Laid(lambda art=art: art, ("covered", number % 2, number), art.shape[1], art.shape[0], at, disc=2.5 * number, blend="screen" if number == 1 else "normal"))  # fmt: skip
    worked: list[tuple[int, int]] = []
    soften = tiled.softened

    def counted(planes, *rest):
        worked.append(planes.shape[:2])
        return soften(planes, *rest)

    monkeypatch.setattr(tiled, "softened", counted)
    narrowed = draw(sheets, (400, 260), (0.1, 0.2, 0.3, 1.0))
    areas = sum(height * width for height, width in worked)
    worked.clear()
    monkeypatch.setattr(tiled.Cover, "open_part", lambda self, window: window)
    whole = draw(sheets, (400, 260), (0.1, 0.2, 0.3, 1.0))
    assert np.abs(narrowed.astype(int) - whole).max() <= 1
    assert areas < 0.8 * sum(height * width for height, width in worked), "less was worked out"


@pytest.mark.parametrize("diameter", [2.0, 7.0, 9.5, 24.0])
def test_a_disc_by_sums_along_its_rows_is_the_disc(diameter: float) -> None:
    planes = (noise(310, 170, 3, 6) / np.float32(255)).astype(np.float32)
    ours = tiled.Canvas(1, 1, True, 2)._disc(planes, diameter)
    assert psnr(ours * 255, disc_blurred(planes, diameter) * 255) > 50
    assert np.array_equal(ours, tiled.Canvas(1, 1, True, 1)._disc(planes, diameter)), "on however many threads"
