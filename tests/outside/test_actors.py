"""Actors: which cell is shown when, strips made of files beside Pillow's own frames and ffmpeg's, what is refused, and looking the
same in a frame as the cell does by itself."""

import io
import shutil
import subprocess
import zipfile

import numpy as np
import pytest
from PIL import Image

from clinamen.core.document import Drivers, Frames, TimeDriver, parse
from clinamen.core.edits import loop
from clinamen.core.errors import BadArt, BadDocument, BadEdit
from clinamen.core.exchange.actors import strip_of
from clinamen.core.exchange.opening import open_scene
from clinamen.core.motion.cells import cell_at, period
from clinamen.core.motion.states import State
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.raster import render
from clinamen.core.raster.laid import cell_of
from clinamen.core.stride import measured, slide_of
from tests.conftest import ROOT, layer, scene, track


def frames(**fields) -> Frames:
    return Frames(**{"columns": 4, "rows": 2, "count": 7, "fps": 12, **fields})


def drawings(count: int = 5, width: int = 40, height: int = 30) -> list[np.ndarray]:
    """Frames with a disc that wanders, its middle of one plain colour."""
    y, x = np.mgrid[0:height, 0:width]
    made = []
    for n in range(count):
        cell = np.zeros((height, width, 4), np.uint8)
        cell[np.hypot(x - 12 - 3 * n, y - 15) < 6] = (200 - 15 * n, 40 + 15 * n, 90, 255)
        made.append(cell)
    return made


def png(pixels: np.ndarray, **options) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", **options)
    return out.getvalue()


def cells_of(strip) -> list[np.ndarray]:
    whole = np.asarray(Image.open(io.BytesIO(strip.data)).convert("RGBA"))
    f = strip.frames
    cut = [whole[r * strip.height : (r + 1) * strip.height, c * strip.width : (c + 1) * strip.width]
           for r in range(f.rows) for c in range(f.columns)]  # fmt: skip
    return cut[: f.count]


@pytest.mark.parametrize("play", ["cycle", "once", "to-and-fro"])
def test_cells_follow_each_other_as_counted_on_the_fingers(play: str) -> None:
    drivers = Drivers(time=TimeDriver(duration=100, loop=True))
    shown = cell_at(frames(play=play), drivers, (np.arange(30) + 0.5) / 12)
    round_ = {"cycle": [*range(7)], "once": [*range(7), *[6] * 30], "to-and-fro": [0, 1, 2, 3, 4, 5, 6, 5, 4, 3, 2, 1]}[
        play
    ]
    assert shown.tolist() == [round_[n % len(round_)] for n in range(30)]
    assert period(frames(play=play)) == pytest.approx((12 if play == "to-and-fro" else 7) / 12)


def test_time_that_loops_begins_the_cells_again_and_a_whole_number_of_cells_is_not_missed() -> None:
    drivers = Drivers(time=TimeDriver(duration=2.5, loop=True))
    at = np.array([0.0, 7 / 12, 2.5, 2.6, 9.1])
    assert cell_at(frames(offset=0.25), drivers, at).tolist() == [3, 3, (3 + 30) % 7, 4, (3 + 19) % 7]
    still = Drivers(time=TimeDriver(duration=2.5, loop=False))
    assert cell_at(frames(), still, np.array([2.5, 99.0])).tolist() == [30 % 7] * 2
    assert cell_at(frames(offset=0.5), Drivers(), np.array([0.0, 5.0])).tolist() == [6, 6], "without time it stands"


@pytest.mark.parametrize("kind", ["WEBP", "PNG", "GIF"])
def test_an_animated_picture_gives_the_frames_that_pillow_reads(kind: str) -> None:
    out = io.BytesIO()
    first, *rest = (Image.fromarray(each) for each in drawings())
    options = {"lossless": True} if kind == "WEBP" else {"disposal": 2} if kind == "GIF" else {}
    first.save(out, kind, save_all=True, append_images=rest, duration=80, loop=0, **options)
    strip = strip_of([(f"walk.{kind.lower()}", out.getvalue())])
    assert (strip.frames.count, strip.frames.fps) == (5, 12.5)
    with Image.open(io.BytesIO(out.getvalue())) as image:
        for index, cell in enumerate(cells_of(strip)):
            image.seek(index)
            wanted = np.asarray(image.convert("RGBA"))
            found = np.argwhere(wanted[..., 3] > 0)
            assert np.array_equal(cell[cell[..., 3] > 0], wanted[wanted[..., 3] > 0]) and len(found)


def test_uneven_times_are_said() -> None:
    out = io.BytesIO()
    first, *rest = (Image.fromarray(each) for each in drawings(3))
    first.save(out, "WEBP", save_all=True, append_images=rest, duration=[40, 80, 120], lossless=True)
    strip = strip_of([("a.webp", out.getvalue())])
    assert "40 to 120 ms" in strip.notes[0] and strip.frames.fps == 12.5


@pytest.mark.skipif(shutil.which("ffmpeg") is None, reason="ffmpeg is not installed")
def test_a_webm_with_alpha_arrives_with_it(tmp_path) -> None:
    """Checked with ffmpeg's libvpx-vp9 decoder, the only one of its decoders that reads a WebM's alpha."""
    film = tmp_path / "mist.webm"
    source = "color=size=64x48:rate=10:duration=0.5:color=red,format=yuva420p,geq=lum='p(X,Y)':cb='cb(X,Y)':cr='cr(X,Y)':a='if(lt(X,32),0,255)'"
    subprocess.run(
        ["ffmpeg", "-v", "error", "-f", "lavfi", "-i", source, "-c:v", "libvpx-vp9", "-pix_fmt", "yuva420p", str(film)],
        check=True,
    )
    strip = strip_of([(film.name, film.read_bytes())])
    assert strip.frames.count == 5 and (strip.width, strip.height) == (32, 48), "trimmed to the half that shows"
    assert min(cell[..., 3].min() for cell in cells_of(strip)) > 200


@pytest.mark.skipif(shutil.which("ffmpeg") is None, reason="ffmpeg is not installed")
@pytest.mark.parametrize("ending", ["mp4", "webm"])
def test_a_clip_gives_the_frames_that_ffmpeg_decodes(ending: str, tmp_path) -> None:
    film = tmp_path / f"smoke.{ending}"
    source = "testsrc2=size=64x48:rate=10:duration=1.2"
    subprocess.run(["ffmpeg", "-v", "error", "-f", "lavfi", "-i", source, "-pix_fmt", "yuv420p", str(film)], check=True)
    strip = strip_of([(film.name, film.read_bytes())])
    assert (strip.frames.count, strip.frames.fps, strip.width, strip.height) == (12, 10, 64, 48)
    raw = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", str(film), "-f", "rawvideo", "-pix_fmt", "rgba", "-"],
        check=True,
        capture_output=True,
    ).stdout
    wanted = np.frombuffer(raw, np.uint8).reshape(12, 48, 64, 4)
    assert np.array_equal(np.stack(cells_of(strip)), wanted)
    half = strip_of([(film.name, film.read_bytes())], fps=5)
    assert (half.frames.count, half.frames.fps) == (6, 5)
    long = tmp_path / f"long.{ending}"
    subprocess.run(
        [
            "ffmpeg",
            "-v",
            "error",
            "-f",
            "lavfi",
            "-i",
            "color=size=32x32:rate=5:duration=13",
            "-pix_fmt",
            "yuv420p",
            str(long),
        ],
        check=True,
    )
    with pytest.raises(BadArt, match=r"runs 13\.0 s; at most 12 s"):
        strip_of([(long.name, long.read_bytes())])


def test_numbered_pictures_and_a_zip_of_them_come_in_the_order_of_their_numbers() -> None:
    made = drawings(11)
    named = [(f"walk-{n}.png", png(cell)) for n, cell in enumerate(made, 1)]
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in reversed(named):
            archive.writestr(name, data)
    for strip in (strip_of(named), strip_of([("walk.zip", out.getvalue())])):
        cells = cells_of(strip)
        assert [tuple(cell[cell[..., 3] > 0][0][:2]) for cell in cells] == [
            tuple(c[c[..., 3] > 0][0][:2]) for c in made
        ]
        box = np.argwhere(np.max([c[..., 3] for c in made], axis=0) > 0)
        assert (strip.height, strip.width) == tuple(box.max(axis=0) - box.min(axis=0) + 1), "trimmed alike, and no more"


def test_a_grid_is_cut_row_by_row_and_stays_where_it_lay() -> None:
    made = drawings(6)
    grid = np.concatenate([np.concatenate(made[row * 3 : row * 3 + 3], axis=1) for row in range(2)])
    strip = strip_of([("walk.png", png(grid))], columns=3, rows=2, count=5)
    assert strip.frames.count == 5 and len(cells_of(strip)) == 5
    assert strip.moved == pytest.approx(((6 + 30 + 1) / 2 - 20, 0), abs=1), "its middle against the cell's"


@pytest.mark.parametrize(
    ("files", "options", "says"),
    [
        ([("a.png", png(np.full((30, 41, 4), 255, np.uint8)))], {"columns": 4, "rows": 1}, "41 px wide, which 4 do not divide"),
        ([("a.png", png(np.full((30, 40, 4), 255, np.uint8)))], {"columns": 4, "rows": 1, "count": 5}, "cells are 4, not 5"),
        ([("a.png", png(drawings()[0]))], {}, "holds one picture"),
        ([("a.png", png(drawings()[0])), ("b.png", png(drawings(1, 30)[0]))], {}, "all frames of an actor must be of one size"),
        ([("a.png", png(np.zeros((30, 40, 4), np.uint8)))], {"columns": 4, "rows": 1}, "shows nothing"),
        ([("a.zip", b"PK\x03\x04 nonsense")], {}, "not an archive"),
        ([("a.mp4", b"\0\0\0\x18ftypisom nonsense")], {}, "not a film clip"),
        ([("a.gif", b"GIF89a nonsense")], {}, "that can be read"),
        ([], {}, "none were chosen"),
    ],
)  # fmt: skip
def test_what_cannot_be_an_actor_is_said(files, options, says: str) -> None:
    with pytest.raises((BadArt, BadEdit)) as wrong:
        strip_of(files, **options)
    assert says in str(wrong.value)


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"frames": {"columns": 2, "rows": 2, "count": 5}}, "hold 4, not 5"),
        ({"frames": {"columns": 2, "rows": 2, "count": 4}, "repeat": {"x": "tile"}}, "an actor does not repeat"),
        ({"frames": {"columns": 2, "rows": 2, "count": 4, "fps": -3}}, "greater than 0"),
    ],
)
def test_a_document_says_what_an_actor_cannot_be(fields, says: str) -> None:
    document = scene(layer("a", 40, 30)).to_json()
    document["layers"][0] |= fields
    with pytest.raises(BadDocument) as wrong:
        parse(document)
    assert says in str(wrong.value.problems[0])


def walker(stride: float, count: int = 8) -> np.ndarray:
    """Cells of two feet: on the ground each goes back by stride / count a cell, in the air it comes forward."""
    cells = np.zeros((count, 60, 200, 4), np.uint8)
    for n in range(count):
        cells[n, 10:40, 90:110] = 255
        for phase in (n / count, (n / count + 0.5) % 1):
            x = 100 + stride / 4 - stride * phase if phase < 0.5 else 100 - stride / 4 + stride * (phase - 0.5)
            y = 58 if phase < 0.5 else 50
            cells[n, y - 6 : y, round(x - 8) : round(x + 8)] = 255
    return cells


@pytest.mark.parametrize("stride", [64, 96])
def test_a_stride_is_measured_on_the_cells_and_feet_that_hold_do_not_slide(stride: int) -> None:
    # by construction: a foot goes back by stride / 8 px from one cell to the next while it is down
    assert measured(walker(stride)) == pytest.approx(stride, rel=0.04)
    walks = layer("a", 200, 60, frames={"columns": 8, "rows": 1, "count": 8, "fps": 16}, framing={"scale": 1.5})
    clock = {"time": {"duration": 4, "loop": True}}
    speed = stride * 1.5 / 0.5  # view px a second: a cycle takes half a second
    for camera, slides in ((speed, 0.0), (speed * 1.2, stride * 1.5 * 0.2)):
        tracks = [
            track("camera", "x", "time", (0, 0), (4, 4 * camera)),
            track("a", "x", "time", (0, 0), (4, 4 * camera)),
        ]
        made = scene(layer("path", 400, 90), walks, view={"width": 480, "height": 270}, drivers=clock, tracks=tracks)
        found = slide_of(made, made.layer("a"), made.layer("path"), stride)
        assert (found.slides, found.speed) == pytest.approx((slides, speed), abs=1e-6)
        assert found.fps == pytest.approx(16 * camera / speed)


def test_the_glasshouses_robot_holds_the_path() -> None:
    files = open_scene(ROOT / "demo/glasshouse")
    robot = files.scene.layer("robot")
    stride = measured(ArtShelf(files.read, scene=files.scene).cells(robot))
    found = slide_of(files.scene, robot, files.scene.layer("path"), stride)
    assert found.holds and found.slides < 0.01 * found.stride


def test_a_loop_holds_every_actors_cycle_a_whole_number_of_times() -> None:
    # the example of the trade (common practice, no source): ten frames at 12 a second; 40, 240, 720; closes at 720
    made = scene(
        *(layer(f"l{n}", n, 50, repeat={"x": "tile", "y": "none"}) for n in (40, 240, 720)),
        layer("a", 20, 20, frames={"columns": 10, "rows": 1, "count": 10, "fps": 12}),
        view={"width": 100, "height": 80}, drivers={"time": {"duration": 10, "fps": 12}},
    )  # fmt: skip
    assert loop.cycles_of(made) == {"a": 10}
    best = loop.loop_plans(made, 12, 800, {})[0]
    assert (best.frames, best.repeats, best.error) == (720, (18, 3, 1), 0)


def test_a_frame_of_an_actor_is_its_cell_drawn_by_itself() -> None:
    made = drawings(4, 60, 40)
    whole = np.concatenate([np.concatenate(made[:2], axis=1), np.concatenate(made[2:], axis=1)])
    plays = layer("a", 60, 40, frames={"columns": 2, "rows": 2, "count": 4, "fps": 2}, framing={"x": 3.3, "scale": 1.4})
    view = {"width": 120, "height": 90}
    acted = scene(plays, view=view, drivers={"time": {"duration": 10}})
    for number, time in ((0, 0.2), (1, 0.7), (3, 1.9), (0, 2.1)):
        alone = scene(layer("a", 60, 40, framing={"x": 3.3, "scale": 1.4}), view=view)
        one = render(acted, State(time=time), lambda _: whole, transparent=True)
        assert np.array_equal(one, render(alone, State(), lambda _, n=number: made[n], transparent=True))
        assert np.array_equal(cell_of(whole, acted.layers[0], number), made[number])
