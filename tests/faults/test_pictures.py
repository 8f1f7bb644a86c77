"""Faults of reading pictures: a small file may neither stop the site, nor end it, nor fill it; the next file is read as ever."""

import io
import os
import resource
import shutil
import signal
import struct
import subprocess
import threading
import time
import zipfile
import zlib

import numpy as np
import psutil
import pytest
import tifffile
from defusedxml import ElementTree
from PIL import Image

from clinamen.core.errors import BadArt, BadEdit, Busy
from clinamen.core.exchange import actors, bringing
from clinamen.core.exchange.bringing import Brought
from clinamen.core.pictures import pool, previewing, reading
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.pictures.vector import OUTSIDE
from clinamen.core.prep.recipe import Recipe
from clinamen.core.prep.steps import Flip, Soften
from clinamen.core.quantities import number
from tests.conftest import layer, noise, scene
from tests.web.conftest import png, upload

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" width="400" height="300">'
ENDLESS = (
    f'{HEAD}<filter id="f"><feTurbulence baseFrequency="0.9" numOctaves="100000"/></filter>'
    '<rect width="400" height="300" filter="url(#f)"/></svg>'
).encode()
NESTED = f"{HEAD}{'<g>' * 30_000}<rect width='9' height='9'/>{'</g>' * 30_000}</svg>".encode()


@pytest.fixture
def hasty(monkeypatch) -> pool.Pool:
    """Children that get little time, so that the test does."""
    made = pool.Pool(1, seconds=2.0)
    monkeypatch.setattr(reading, "POOL", made)
    yield made
    made.close()


def reads_on() -> None:
    assert reading.decode(encode_png(noise(8, 6)), "next.png").shape == (6, 8, 4), "the next file is read as ever"


def test_a_picture_that_never_ends_is_refused_in_a_sentence(hasty) -> None:
    with pytest.raises(BadArt, match=r"storm\.svg: takes more than 2 s of processor time to read; simplify it"):
        reading.decode(ENDLESS, "storm.svg")
    reads_on()


def test_a_reader_that_is_given_no_time_is_no_fault_of_the_file(hasty, monkeypatch) -> None:
    """Stopped readers stand for a machine that is busy with other things: the clock runs on, their processor time does not."""
    monkeypatch.setattr(pool, "FAR", 0.1)
    started: list[int] = []
    real = pool._Child

    class Stopped(real):
        def ask(self, *asked):
            if not self.ready:
                self._line(time.monotonic() + 30)
                self.ready = True
            started.append(self.process.pid)
            os.kill(self.process.pid, signal.SIGSTOP)
            return super().ask(*asked)

    monkeypatch.setattr(pool, "_Child", Stopped)
    with pytest.raises(Busy, match=r"The machine was too busy to read Reeds \(art/reeds\.png\)\. Try again"):
        reading.decode(encode_png(noise(8, 6)), "Reeds (art/reeds.png)")
    assert len(set(started)) == pool.TRIES, "it is tried again by itself"
    monkeypatch.setattr(pool, "_Child", real)
    reads_on()


def test_a_reader_that_was_ended_from_outside_reads_the_file_at_the_second_try(hasty, monkeypatch) -> None:
    real, ended = pool._Child, []

    class Ended(real):
        def ask(self, *asked):
            if not ended:
                ended.append(self.process.pid)
                os.kill(self.process.pid, signal.SIGKILL)
            return super().ask(*asked)

    monkeypatch.setattr(pool, "_Child", Ended)
    reads_on()
    assert ended


def test_many_readings_of_one_child_do_not_use_up_its_time(hasty) -> None:
    """The limit is each answer's own."""
    child = pool._Child(0, ())
    slow = f'{HEAD}<filter id="f"><feTurbulence baseFrequency="0.9" numOctaves="20"/></filter><rect width="400" height="300" filter="url(#f)"/></svg>'
    request = {"job": "pixels", "name": "slow.svg", "options": {}, "seconds": 2.0}
    used = 0.0
    while used < 3:
        ((said, _),) = list(child.ask(request, slow.encode(), 60))
        assert "shape" in said
        times = psutil.Process(child.process.pid).cpu_times()
        used = times.user + times.system
    child.end()


def test_while_one_picture_is_read_other_threads_go_on(hasty) -> None:
    ticks, running = [], threading.Event()

    def tick() -> None:
        while not running.is_set():
            ticks.append(time.monotonic())
            running.wait(0.02)

    watcher = threading.Thread(target=tick)
    watcher.start()
    with pytest.raises(BadArt):
        reading.decode(ENDLESS, "storm.svg")
    running.set()
    watcher.join()
    assert len(ticks) > 5, "the interpreter's lock was free all the while"


def test_who_reads_a_picture_stands_behind_who_asked(hasty) -> None:
    reads_on()
    child = hasty.idle.get()
    hasty.idle.put(child)
    assert os.getpriority(os.PRIO_PROCESS, child.process.pid) == min(
        19, os.getpriority(os.PRIO_PROCESS, 0) + pool.BEHIND
    )


def test_a_picture_that_ends_its_reader_ends_nothing_else(hasty) -> None:
    with pytest.raises(BadArt, match=r"deep\.svg: "):
        reading.decode(NESTED, "deep.svg")
    reads_on()


def test_a_reader_killed_from_outside_is_replaced(hasty) -> None:
    reads_on()
    child = hasty.idle.get()
    child.process.kill()
    child.process.wait()
    hasty.idle.put(child)
    reads_on()


def header_only(width: int, height: int) -> bytes:
    """A PNG of a head and next to nothing: 74 bytes."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0))
        + chunk(b"IDAT", zlib.compress(b""))
    )


def test_size_is_checked_before_anything_is_unpacked(monkeypatch) -> None:
    """In the child it would cost 900 MB; here it would raise."""
    from clinamen.core.pictures import decoding

    monkeypatch.setattr(Image.Image, "getexif", lambda self: pytest.fail("EXIF was read before the size was checked"))
    with pytest.raises(BadArt, match="at most 64 megapixels"):
        decoding.head_of(header_only(15_000, 15_000), "huge.png")


def test_a_reader_has_a_limit_of_memory(hasty) -> None:
    reads_on()
    child = hasty.idle.get()
    hasty.idle.put(child)
    assert resource.prlimit(child.process.pid, resource.RLIMIT_DATA)[0] < 3_000_000_000


def test_a_long_tiff_is_refused_by_its_pages_sizes_before_one_is_unpacked(monkeypatch) -> None:
    monkeypatch.setattr(bringing, "MOST_PIXELS", 20_000)
    out = io.BytesIO()
    with tifffile.TiffWriter(out) as writer:
        for _ in range(4):
            writer.write(np.zeros((100, 60, 3), np.uint8), photometric="rgb")
    brought = Brought(pixels_left=20_000)
    brought.take(out.getvalue(), "pages.tif")
    brought.take(encode_png(noise(40, 30)), "small.png")
    assert brought.refused == [
        "pages.tif: with it the batch holds more than 0 megapixels; bring it in by itself, or in parts"
    ]
    assert [piece.file for piece in brought.pieces] == ["small.png"], "the good file of the batch is kept"


def test_a_very_wide_picture_gets_a_view_that_can_be(visitor, someone) -> None:
    wide = io.BytesIO()
    Image.new("L", (60_000, 40), 90).save(wide, "PNG")
    answer = visitor.post("/scenes/new/", {"title": "Wide", "files": [upload("wide.png", wide.getvalue())]})
    assert answer.status_code == 302
    view = someone.scenes.get().head.document["view"]
    assert (view["width"], view["height"]) == (1920, 1)


def test_a_refused_vector_file_is_named_on_the_page(visitor, hasty) -> None:
    files = [upload("storm.svg", ENDLESS), upload("good.png", png())]
    answer = visitor.post("/scenes/new/", {"title": "Mixed", "files": files}, follow=True)
    assert "storm.svg: takes more than" in answer.content.decode() and answer.status_code == 200


@pytest.mark.parametrize(
    "text", [" " * 20_000, "1" * 20_000, "1 " * 9_000, "+" * 20_000, "1" + " " * 20_000 + "x", "1e" + "9" * 5_000]
)
def test_what_is_typed_is_read_in_steady_time(text) -> None:
    """Patterns that went quadratic took 17 s for 20 000 spaces; long texts are not looked at at all."""
    with pytest.raises(BadEdit, match=r"characters long|is not a number"):
        number(text, "depth")


def test_references_inside_a_picture_are_told_from_those_outside() -> None:
    assert not OUTSIDE.search("fill:url( #a ) url('data:image/png;base64,x')")
    for outside in ("url( 'http://x')", "url(" + " " * 50_000 + "x)", "@IMPORT 'x'"):
        assert OUTSIDE.search(outside)


def test_archives_and_stacks_are_unpacked_in_the_child_alone(monkeypatch) -> None:
    def here(*args: object, **options: object) -> None:
        raise AssertionError("read in the process that serves pages")

    packed, stacked = io.BytesIO(), io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("far/hill.png", encode_png(noise(8, 6)))
    with zipfile.ZipFile(stacked, "w") as archive:
        archive.writestr("mimetype", "image/openraster")
        archive.writestr("stack.xml", '<image w="9" h="7"><stack><layer name="Hill" src="data/0.png"/></stack></image>')
        archive.writestr("data/0.png", encode_png(noise(8, 6)))
    for module, name in ((zipfile, "ZipFile"), (zlib, "decompressobj"), (ElementTree, "fromstring")):
        monkeypatch.setattr(module, name, here)
    brought = Brought()
    brought.take(packed.getvalue(), "art.zip")
    brought.take(stacked.getvalue(), "hills.ora")
    assert brought.refused == [] and [(piece.name, piece.group) for piece in brought.pieces] == [("Hill", "far")]
    assert brought.scene is not None and [layer.name for layer in brought.scene.scene.layers] == ["Hill"]
    assert actors.strip_of([("cells.zip", packed.getvalue())]).frames.count == 1


@pytest.mark.skipif(shutil.which("ffmpeg") is None, reason="ffmpeg is not installed")
def test_a_clip_whose_head_lies_about_its_length_is_refused_as_its_frames_come(tmp_path) -> None:
    """3000 frames of 320 × 240 px in a small Matroska file that says it runs for a fiftieth of a second."""
    film = tmp_path / "lies.mkv"
    source = "color=size=320x240:rate=600:duration=5"
    made = [
        "ffmpeg",
        "-v",
        "error",
        "-f",
        "lavfi",
        "-i",
        source,
        "-c:v",
        "libx264",
        "-preset",
        "ultrafast",
        "-pix_fmt",
        "yuv420p",
    ]
    subprocess.run([*made, str(film)], check=True)
    data = bytearray(film.read_bytes())
    said = data.index(b"\x44\x89\x88") + 3  # Matroska (RFC 9559): Duration, a float of eight bytes
    data[said : said + 8] = struct.pack(">d", 20.0)
    for tag in range(data.count(b"DURATIOND\x87\x94")):  # the same, written for each stream as a tag
        del tag
    assert len(data) < 200_000
    with pytest.raises(
        BadArt, match=r"lies\.mkv: \d+ frames of 320 × 240 px are more than 64 megapixels in all; take 833 frames"
    ):
        actors.strip_of([("lies.mkv", bytes(data))])


def test_a_preview_of_a_small_picture_that_is_made_huge_stays_small(monkeypatch) -> None:
    made = scene(layer("a", 60_000, 1000, recipe={"width": 64, "height": 64, "steps": [
        {"step": "resize", "width": 60_000, "height": 1000, "keep": False}]}))  # fmt: skip
    shelf = ArtShelf(lambda file: encode_png(noise(64, 64)), scene=made, draft_over=0.4)
    before = psutil.Process().memory_info().rss
    small, scale = shelf.preview(made.layers[0])
    assert max(small.shape) <= 1800 and scale == pytest.approx(1800 / 60_000)
    assert psutil.Process().memory_info().rss - before < 200_000_000


def test_a_preview_that_takes_too_long_is_refused_and_the_next_is_made(monkeypatch) -> None:
    hasty_pool = pool.Pool(1, seconds=1.0, ready_for=("recipe",), too_long=previewing.TOO_LONG)
    monkeypatch.setattr(previewing, "_pool", lambda: hasty_pool)
    recipe = Recipe(width=900, height=900, steps=tuple(Soften(radius=400.0 + n) for n in range(200)))
    slow = previewing.Reduced(noise(900, 900), 1.0, "", {}, {})
    with pytest.raises(
        BadArt, match=r"Reef: its recipe takes more than 1 s even for a preview; switch its last step off"
    ):
        previewing.previewed(recipe, slow, "Reef")
    quick = Recipe(width=40, height=30, steps=(Flip(),))
    art = noise(40, 30)
    assert np.array_equal(previewing.previewed(quick, previewing.Reduced(art, 1.0, "", {}, {}), "Reef"), art[:, ::-1])
    hasty_pool.close()
