"""Films: what is filmed, when, how much of it; taken apart into elements and sheets; and what is refused and how."""

import io
import json
import os
import subprocess
import sys
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from clinamen.cli.main import main
from clinamen.core.errors import BadEdit
from clinamen.core.exports import EXPORTS, Told
from clinamen.core.exports.base import checked, fields_of, read_options
from clinamen.core.film.coder import CodingFailed, beside
from clinamen.core.film.course import course_of
from clinamen.core.film.film import film_of
from clinamen.core.film.formats import FORMATS, format_of
from clinamen.core.film.guides import safe_areas
from clinamen.core.look.working import coded, linear
from clinamen.core.motion.hands import HERTZ, hands
from clinamen.core.motion.states import State
from clinamen.core.raster import render
from tests.conftest import ROOT, layer, noise, scene, shelf_of, track, write_folder
from tests.films import HEIGHT, WIDTH, art, decoded, made, shelf, shoot


def over(front: np.ndarray, back: np.ndarray, x: int = 0, y: int = 0) -> np.ndarray:
    """Straight pixels laid over an opaque picture by source-over, rounded once."""
    out = back.astype(float)
    height, width = front.shape[:2]
    alpha = front[..., 3:] / 255
    part = out[y : y + height, x : x + width]
    part[..., :3] = front[..., :3] * alpha + part[..., :3] * (1 - alpha)
    return out


# --- what is filmed --------------------------------------------------------------------------------------------------


def test_a_loop_leaves_its_doubled_last_frame_out_and_a_part_is_as_long_as_asked() -> None:
    course = course_of(made())
    assert course.count == 50 and course.state(0).time == 0
    assert course.state(course.count).time == 0, "what would come next is the first frame again"
    part = course_of(made(), start=0.5, end=1.5, fps="29.97")
    assert part.count == 30 and part.state(0).time == 0.5 and part.rate == Fraction(30000, 1001)
    assert part.state(29).time == pytest.approx(0.5 + 29 * 1001 / 30000, abs=1e-12)
    once = made(drivers={"time": {"duration": 2, "fps": 25, "loop": False}}, tracks=[])
    assert course_of(once, seconds=4).state(80).time == 2, "time that does not loop stands at its end"
    assert course_of(made(), seconds=4).state(80).time == pytest.approx(1.2)


def test_a_scroll_is_played_from_end_to_end_along_its_easing_while_time_runs() -> None:
    course = course_of(made(), "scroll", seconds=2, ease="ease-in-out")
    at = [course.state(n).scroll for n in range(course.count)]
    assert (at[0], at[-1], len(at)) == (0, 1, 50) and at == sorted(at)
    assert at[12] + at[37] == pytest.approx(1), "CSS's ease-in-out is even about its middle"
    assert course.state(25).time == 1
    later = course_of(made(), "scroll", seconds=2, ease="ease-in-out", start=1)
    assert [later.state(n).scroll for n in range(25)] == pytest.approx(at[25:])


def test_a_recorded_hand_is_played_as_it_moved() -> None:
    hand = next(each for each in hands(made()) if each.moves == ("u", "v"))
    course = course_of(made(), "hand", hand=hand.id, fps="60")
    assert course.count == len(hand.rows) - 1
    assert [course.state(7).pointer, course.state(30).pointer] == [tuple(hand.rows[7]), tuple(hand.rows[30])]
    half = course_of(made(), "hand", hand=hand.id, fps="24").state(1).pointer[0]
    rows = np.array(hand.rows)[:, 0]
    assert half == pytest.approx(np.interp(HERTZ / 24, np.arange(len(rows)), rows))


def test_the_shutter_sees_the_scroll_move_too() -> None:
    course = course_of(made(film={"shutter": 180, "samples": 4}), "scroll", seconds=2)
    places = [state.scroll for state in course.moments(10)]
    step = course.state(11).scroll - course.state(10).scroll
    assert places == pytest.approx([course.state(10).scroll + step * (k + 0.5) / 8 for k in range(4)])
    assert course_of(made(film={"shutter": 180}), shutter=False).moments(3) == [course_of(made()).state(3)]


def test_one_layer_or_a_group_is_filmed_alone(tmp_path) -> None:
    grouped = made().model_copy(
        update={
            "layers": tuple(x.model_copy(update={"group": "Back" if x.id != "disc" else ""}) for x in made().layers)
        }
    )
    seen = lambda **only: {x.id for x in film_of(grouped, **only).scene.layers if x.visible}  # noqa: E731
    assert (seen(), seen(only="disc"), seen(only="Back")) == ({"wall", "disc", "grey"}, {"disc"}, {"wall", "grey"})
    with pytest.raises(BadEdit, match="only: there is no layer or group 'moon'"):
        seen(only="moon")


def test_frames_are_drawn_with_motion_blur_and_guides_as_asked(tmp_path) -> None:
    blurred = made(film={"shutter": 360, "samples": 5})
    shoot(tmp_path / "a.mkv", blurred, format="mkv", to_time=0.2)
    shoot(tmp_path / "b.mkv", blurred, format="mkv", to_time=0.2, motion_blur=False)
    shoot(tmp_path / "c.mkv", blurred, format="mkv", to_time=0.2, motion_blur=False, guides=True)
    with_it, without, guided = (decoded(tmp_path / f"{name}.mkv")[2] for name in "abc")
    plain = render(blurred, State(time=2 / 25), shelf(blurred).loader(blurred))
    assert np.array_equal(without, plain)
    load = shelf(blurred).loader(blurred)
    drawn = [render(blurred, State(time=(2 + (k + 0.5) / 5) / 25), load)[..., :3] / 255 for k in range(5)]
    light = np.mean([linear(each) for each in drawn], axis=0)
    assert np.abs(255 * coded(light) - with_it[..., :3]).max() < 1, "the mean of five moments in linear light"
    left, top, _, high = (round(x) for x in safe_areas(blurred.frame, WIDTH, HEIGHT)[0])
    assert (guided[top : top + high, left - 1 : left + 1, :3] == 255).all(axis=2).mean(axis=0).max() > 0.8, (
        "the line of the action safe area"
    )
    assert not np.array_equal(guided[-14:-2, 4:70], plain[-14:-2, 4:70]), "the frame's number stands there"
    assert np.array_equal(guided[12:60, 30:120], plain[12:60, 30:120])


# --- taken apart -----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("word", ["mkv", "png"])
def test_elements_laid_over_each_other_are_the_whole(tmp_path, word: str) -> None:
    moving = made()
    export, told = EXPORTS["elements"], []
    options = checked(export.options, {"format": word, "to_time": 0.32})
    export.write(tmp_path / "out", moving, shelf(moving), options, Told(lambda share, says: told.append(share)))
    listed = json.loads((tmp_path / "out" / "elements.json").read_text())
    rows = {row["id"]: row for row in listed["elements"]}
    assert [row["id"] for row in listed["elements"]] == ["wall", "disc", "grey"] and told[-1] == 1
    assert (rows["wall"]["alpha"], rows["disc"]["alpha"]) == (False, True)
    assert (rows["disc"]["kind"], rows["grey"]["kind"]) == ("film", "picture"), "what stands still is one picture"
    assert rows["disc"]["width"] < WIDTH, "trimmed to what it ever needs"
    assert (listed["fps"], listed["frames"]) == ("25/1", 8)

    def frame(row, number: int) -> np.ndarray:
        path = tmp_path / "out" / row["file"]
        if path.is_dir():
            path = sorted(path.iterdir())[number]
        if path.suffix == ".png":
            return np.asarray(Image.open(path).convert("RGBA"))
        return decoded(path, row["width"], row["height"])[number]

    for number in (0, 7):
        whole = frame(rows["wall"], number)
        for name in ("disc", "grey"):
            whole = over(frame(rows[name], number), whole, rows[name]["x"], rows[name]["y"])
        wanted = render(moving, State(time=number / 25), shelf(moving).loader(moving))
        assert np.abs(np.rint(whole) - wanted).max() <= 1


def test_sheets_laid_over_each_other_are_the_view_and_the_contact_sheet_names_them() -> None:
    moving, export = made(), EXPORTS["sheets"]
    state = {"time": 0.4, "scroll": 0.5}
    files = export.build(moving, shelf(moving), checked(export.options, {**state, "trimmed": True}), Told())
    listed = json.loads(files["sheets.json"])
    whole = np.full((HEIGHT, WIDTH, 4), 255.0)
    whole[..., :3] = (0x20, 0x30, 0x40)
    for row in listed["sheets"]:
        picture = np.asarray(Image.open(io.BytesIO(files[row["file"]])).convert("RGBA"))
        assert picture.shape[:2] == (row["height"], row["width"])
        whole = over(picture, whole, row["x"], row["y"])
    wanted = render(moving, State(0.5, time=0.4), shelf(moving).loader(moving))
    assert np.abs(np.rint(whole) - wanted).max() <= 1
    assert [row["depth"] for row in listed["sheets"]] == [900, 0, "infinite"]
    pdf = files["contact-sheet.pdf"]
    assert pdf.startswith(b"%PDF-") and pdf.count(b"/Subtype /Image") == 4, "the whole and three layers"
    full = export.build(moving, shelf(moving), checked(export.options, state), Told())
    assert all(row["width"] == WIDTH for row in json.loads(full["sheets.json"])["sheets"])


def test_an_elements_box_holds_every_pixel_that_is_ever_drawn_of_it() -> None:
    """The box beside the alpha of every frame, of sheets that turn, lean, are soft and glow."""
    from clinamen.core.film.apart import alone, moments_of, pieces

    layers = [
        layer("one", 60, 40, depth=-120, tilt={"lean": 20, "turn": 30}, look=[{"step": "glow"}]),
        layer("two", 50, 50, depth=400, framing={"x": -40, "rotation": 30}),
    ]
    tracks = [track("one", "x", "time", (0, -90), (1, 90)), track("two", "rotation", "time", (0, 0), (1, 200)),
              track("two", "blur", "time", (0, 0), (1, 5))]  # fmt: skip
    told = scene(
        *layers, view={"width": 160, "height": 90}, drivers={"time": {"duration": 1, "fps": 12}}, tracks=tracks
    )
    load = shelf_of({"one": noise(60, 40, 1, 10), "two": noise(50, 50, 2, 10)}, told).loader(told)
    states = moments_of(course_of(told))
    for piece in pieces(told, states, 1.0, (160, 90)):
        drawn = np.max([render(alone(told, piece.layer), at, load, transparent=True)[..., 3] for at in states], axis=0)
        left, top, right, bottom = piece.box
        outside = drawn.copy()
        outside[top:bottom, left:right] = 0
        assert outside.max() <= 1 and drawn.max() == 255 and piece.moves


# --- what is refused, and what is left behind ------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("asked", "says"),
    [
        ({"over": "scroll"}, "seconds: a scroll takes no time by itself"),
        ({"seconds": 36000, "fps": "60"}, "frames are too many; at most 100000"),
        ({"start": 1.5, "to_time": 1}, "from: 1.5 s is not before 1 s"),
        ({"seconds": 0.001}, "hold no frame"),
        ({"fps": "quick"}, "'quick' is no frame rate"),
        ({"fps": "500"}, "out of range"),
        ({"hand": "left"}, "'left' is no hand"),
        ({"format": "gif", "fps": "60"}, "GIF holds at most 50 frames a second"),
        ({"format": "mp4", "transparent": True}, r"MP4, H.264 holds no transparency; choose one of \.webm, \.mov"),
        ({"scale": 200}, "scale: 200 is not possible"),
    ],
)
def test_what_cannot_be_filmed_is_one_sentence(asked, says: str) -> None:
    with pytest.raises(BadEdit, match=says):
        film_of(made(), **asked)


def test_a_scene_without_time_wants_seconds_and_one_without_scroll_no_scroll() -> None:
    still = made(drivers={"pointer": {}}, tracks=[])
    with pytest.raises(BadEdit, match="seconds: the scene has no time"):
        film_of(still)
    assert film_of(still, seconds=2).course.count == 50
    with pytest.raises(BadEdit, match="has no scroll to be played"):
        film_of(still, over="scroll", seconds=2)


def test_odd_sides_are_filled_up_and_said(tmp_path) -> None:
    odd = made(view={"width": 61, "height": 35, "background": "#203040"})
    film = shoot(tmp_path / "odd.mp4", odd, to_time=0.2)
    assert film.notes == ["MP4, H.264 takes even sides only: 61 × 35 is filled up to 62 × 36 with its last pixels"]
    frame = decoded(tmp_path / "odd.mp4", 62, 36)[0].astype(int)
    assert np.abs(frame[:, 61] - frame[:, 60]).mean() < 6
    assert film_of(odd, format="mkv").notes == []


def test_what_goes_wrong_leaves_nothing_half_written(tmp_path, monkeypatch) -> None:
    film, out = film_of(made(), to_time=0.4), tmp_path / "out" / "film.mp4"

    class Enough(Exception):
        pass

    def stop(number: int, picture: np.ndarray) -> None:
        if number == 3:
            raise Enough

    with pytest.raises(Enough), beside(out) as path:
        film.make(path, shelf(made()), stop)
    assert list((tmp_path / "out").iterdir()) == []
    # a stand-in for the coder on a full disk
    coder = tmp_path / "ffmpeg"
    coder.write_text(
        "#!/bin/sh\ncat > /dev/null\necho 'av_interleaved_write_frame(): No space left on device' >&2\nexit 1\n"
    )
    coder.chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}{os.pathsep}{os.environ['PATH']}")
    with (
        pytest.raises(CodingFailed, match=r"there is no space left where it is written; make room"),
        beside(out) as path,
    ):
        film.make(path, shelf(made()))
    assert list((tmp_path / "out").iterdir()) == []
    monkeypatch.setenv("PATH", str(tmp_path / "nowhere"))
    with pytest.raises(CodingFailed, match="Films need ffmpeg, which is not installed"), beside(out) as path:
        film.make(path, shelf(made()))


def test_a_file_is_replaced_only_by_a_whole_one(tmp_path) -> None:
    out = tmp_path / "film.mkv"
    out.write_bytes(b"older")
    with pytest.raises(ValueError, match="stop"), beside(out) as path:
        path.write_bytes(b"half")
        raise ValueError("stop")
    assert out.read_bytes() == b"older"
    with beside(out) as path:
        path.write_bytes(b"whole")
    assert out.read_bytes() == b"whole" and list(tmp_path.iterdir()) == [out]


def test_ranges_hold_every_frame_once() -> None:
    film = film_of(made(), seconds=40, fps="24")
    ranges = film.ranges()
    assert [number for first, last in ranges for number in range(first, last)] == list(range(960))
    assert max(last - first for first, last in ranges) <= 96


def test_a_draft_is_a_quarter_as_large_and_as_long() -> None:
    film = film_of(made(film={"shutter": 180}), format="mov", transparent=True, scale=2)
    draft = film.draft()
    assert (draft.strip.width, draft.strip.height) == (WIDTH // 2, 46) or draft.strip.width == WIDTH // 2
    assert (draft.course.count, draft.course.rate, draft.made_as.id) == (film.course.count, film.course.rate, "mp4")


# --- the command line ------------------------------------------------------------------------------------------------


def run(*arguments: object) -> subprocess.CompletedProcess:
    command = [sys.executable, "-m", "clinamen", *map(str, arguments)]
    return subprocess.run(command, capture_output=True, text=True, cwd=ROOT, check=False)


@pytest.fixture
def folder(tmp_path) -> Path:
    return write_folder(tmp_path / "scene", made(), art())


def test_the_command_line_films_by_the_files_ending_on_several_workers(folder, tmp_path) -> None:
    done = run(
        "export",
        folder,
        "--to",
        "film",
        "--out",
        tmp_path / "film.mkv",
        "--workers",
        2,
        "--from",
        0.4,
        "--to-time",
        1.2,
    )
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert [file["file"] for file in told["files"]] == ["film.mkv"] and "20 of 20 frames" in done.stderr
    frames = decoded(tmp_path / "film.mkv")
    wanted = render(made(), State(time=0.4 + 13 / 25), shelf(made()).loader(made()))
    assert len(frames) == 20 and np.array_equal(frames[13], wanted)
    assert main(["export", str(folder), "--to", "film", "--out", f"{tmp_path}/frames/", "--to-time", "0.12"]) == 0
    assert sorted(path.name for path in (tmp_path / "frames").iterdir()) == [f"0000{n}.png" for n in range(3)]


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("--to", "film", "--out", "film.avi"), "film.avi has no ending that a film can have; choose .mp4"),
        (("--to", "film", "--out", "film.mp4", "--over", "scroll"), "say how many seconds"),
        (("--to", "film", "--out", "film.mp4", "--seconds", "-1"), "Seconds: input should be greater than 0"),
        (("--to", "film", "--out", "/proc/film.mp4"), "/proc/film.mp4: cannot be written there"),
        (("--to", "film", "--out", "film.mp4", "--workers", "0"), "--workers: 0 is not from 1 to 64"),
        (("--to", "elements", "--out", "out", "--only", "moon"), "there is no layer or group 'moon'"),
    ],
)
def test_the_command_line_says_what_is_wrong_in_one_line(folder, tmp_path, capsys, arguments, says: str) -> None:
    asked = [str(tmp_path / x) if x in ("film.avi", "film.mp4", "out") else x for x in arguments]
    status, err = main(["export", str(folder), *asked]), capsys.readouterr().err
    assert status == 2 and says in err and len(err.strip().splitlines()) == 1
    assert sorted(path.name for path in tmp_path.iterdir()) == ["scene"]


def test_every_format_is_found_by_its_ending_and_forms_offer_it() -> None:
    for word, each in FORMATS.items():
        assert format_of(f"a{each.ending}").id == word
    offered = {field.name: field for field in fields_of(EXPORTS["film"].options)}
    assert [value for value, _ in offered["format"].choices] == list(FORMATS) and offered["format"].flag == ""
    typed = read_options(EXPORTS["film"].options, {"seconds": "", "fps": "23.976", "start": "1.5 s", "format": "webm"})
    assert (typed.seconds, typed.fps, typed.start, typed.format) == (None, "23.976", 1.5, "webm")
