"""Films beside ffprobe's report, ffmpeg's and Pillow's decoding, and the render of the same states."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from clinamen.core.film.course import rate_of
from clinamen.core.film.formats import FORMATS
from clinamen.core.motion.states import State
from clinamen.core.raster import render
from tests.conftest import psnr
from tests.films import HEIGHT, WIDTH, art, decoded, late, made, probed, shelf, shoot

PLAYED = [word for word, each in FORMATS.items() if not each.many]
# what ffprobe calls them
CODECS = {
    "mp4": ("h264", "yuv420p"), "webm": ("vp9", "yuv420p"), "mov": ("prores", "yuv444p12le"), "av1": ("av1", "yuv420p"),
    "gif": ("gif", "bgra"), "apng": ("apng", "rgb24"), "mkv": ("ffv1", "bgr0"),
}  # fmt: skip


def frame(number: int, of=None, transparent: bool = False, **state) -> np.ndarray:
    scene = of or made()
    return render(scene, State(time=number / 25, **state), shelf(scene).loader(scene), transparent=transparent)


@pytest.fixture(scope="module")
def films(tmp_path_factory) -> dict[str, Path]:
    """Fifty frames in every format, made in three parts."""
    folder = tmp_path_factory.mktemp("films")
    found = {}
    for word in FORMATS:
        found[word] = folder / f"film{FORMATS[word].ending.rstrip('/')}"
        shoot(found[word], made(), format=word)
    return found


@pytest.mark.parametrize("word", list(CODECS))
def test_ffprobe_finds_codec_size_rate_frames_and_colours(films, word: str) -> None:
    told = probed(films[word])
    assert (told["codec_name"], told["pix_fmt"]) == CODECS[word]
    assert (told["width"], told["height"], len(told["times"])) == (WIDTH, HEIGHT, 50)
    assert Fraction(told["r_frame_rate"]) == 25
    assert late(told["times"], Fraction(25)) <= {"webm": 5e-4, "mkv": 5e-4, "gif": 5e-3}.get(word, 1e-6)
    if word in ("mp4", "webm", "av1", "mov"):
        assert (told["color_space"], told["color_transfer"], told["color_primaries"]) == ("bt709",) * 3
        assert told["color_range"] == "tv"


@pytest.mark.parametrize("word", PLAYED)
def test_half_grey_comes_back_as_half_grey(films, word: str) -> None:
    if word == "webp":
        with Image.open(films[word]) as image:
            corner = np.asarray(image.convert("RGB"))[6:26, 10:36]
    else:
        corner = decoded(films[word])[3, 6:26, 10:36, :3]
    most = 4 if word == "gif" else 1  # of its 256 colours none need be grey
    assert np.abs(corner.astype(int) - 128).mean() <= (1 if word != "gif" else 2)
    assert np.abs(np.median(corner, axis=(0, 1)) - 128).max() <= most


@pytest.mark.parametrize("word", ["mp4", "webm", "mov", "av1"])
def test_what_is_coded_with_loss_stays_near_to_the_render(tmp_path, word: str) -> None:
    path, scale = tmp_path / f"film{FORMATS[word].ending}", 3
    shoot(path, made(), format=word, scale=scale, start=0.6, to_time=1)
    frames, scene = decoded(path, scale * WIDTH, scale * HEIGHT), made()
    for number in (0, 5, 9):
        wanted = render(scene, State(time=0.6 + number / 25), shelf(scene).loader(scene, scale), scale)
        assert psnr(frames[number][..., :3], wanted[..., :3]) >= 42


def test_what_is_coded_without_loss_is_the_render(films) -> None:
    numbers = (0, 19, 20, 41, 49)
    for word in ("mkv", "apng"):
        frames = decoded(films[word])
        assert all(np.array_equal(frames[n], frame(n)) for n in numbers), word
    files = sorted(films["png"].iterdir())
    assert [file.name for file in files[:2]] == ["00000.png", "00001.png"] and len(files) == 50
    assert all(np.array_equal(np.asarray(Image.open(files[n])), frame(n)[..., :3]) for n in numbers)


@pytest.mark.parametrize("word", ["webm", "mov", "webp", "apng", "mkv", "gif", "png"])
def test_what_is_transparent_comes_back_transparent(tmp_path, word: str) -> None:
    path = tmp_path / f"film{FORMATS[word].ending.rstrip('/')}"
    shoot(path, made(), format=word, transparent=True, only="disc", to_time=0.4)
    wanted = render(_only("disc"), State(time=0.2), shelf(made()).loader(made()), transparent=True)[..., 3]
    if word == "png":
        alpha = np.asarray(Image.open(sorted(path.iterdir())[5]))[..., 3]
    elif word in ("webp", "gif"):
        with Image.open(path) as image:
            image.seek(5)
            alpha = np.asarray(image.convert("RGBA"))[..., 3]
    else:
        alpha = decoded(path)[5][..., 3]
    if word == "gif":
        assert np.array_equal(alpha >= 128, wanted >= 128), "seen or not"
        return
    away = np.abs(alpha.astype(int) - wanted)
    assert away.max() <= 1 if word != "webm" else np.percentile(away, 99) <= 4, away.max()


def _only(name: str):
    from clinamen.core.film.subject import part_of

    return part_of(made(), name)


@pytest.mark.parametrize("word", ["gif", "webp", "apng"])
def test_pillow_reads_animated_pictures_and_they_loop(films, word: str) -> None:
    with Image.open(films[word]) as image:
        assert image.n_frames == 50 and image.size == (WIDTH, HEIGHT) and image.info.get("loop", 0) == 0
        lasts = []
        for number in range(image.n_frames):
            image.seek(number)
            image.load()
            lasts.append(image.info["duration"])
    assert sum(lasts) == pytest.approx(2000, abs=1) and max(lasts) <= 40


# the rates of SMPTE ST 12-1 and ITU-R BT.709, exactly
@pytest.mark.parametrize(
    ("typed", "rate"),
    [
        ("23.976", Fraction(24000, 1001)),
        ("24", 24),
        ("25", 25),
        ("29.97", Fraction(30000, 1001)),
        ("30", 30),
        ("50", 50),
        ("60", 60),
    ],
)
def test_rates_are_exact_to_the_last_frame(tmp_path, typed: str, rate: Fraction) -> None:
    assert rate_of(typed) == rate
    path = tmp_path / "film.mp4"
    film = shoot(path, made(), most=31, fps=typed, scale=0.25)
    told = probed(path)
    assert len(told["times"]) == film.course.count == round(2 * rate)
    assert Fraction(told["r_frame_rate"]) == Fraction(told["avg_frame_rate"]) == rate
    assert late(told["times"], rate) <= 1e-6


def test_the_palette_is_of_the_whole_film(films) -> None:
    """A worked case: colours that only the last part shows are in the GIF too."""
    frames = decoded(films["gif"])
    assert psnr(frames[48][..., :3], frame(48)[..., :3]) > 28 and psnr(frames[2][..., :3], frame(2)[..., :3]) > 28
    assert art()["grey"].shape == (30, 40, 4)
