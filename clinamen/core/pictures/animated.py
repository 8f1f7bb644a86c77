"""Moving pictures as frames: animated WebP, APNG and GIF through Pillow, film clips through ffmpeg. Run in the child process.

Every frame is straight 8-bit sRGB, all of one size. What would be too much is refused before it is unpacked.
"""

import io
import itertools
import json
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from PIL import Image

from clinamen.core.arrays import Pixels
from clinamen.core.errors import BadArt
from clinamen.core.pictures.limits import MAX_PIXELS, MOST_SECONDS, check_size

ANIMATED = ("PNG", "WEBP", "GIF")
USUAL_FPS = 12.0
PROBE = [
    "-v",
    "error",
    "-select_streams",
    "v:0",
    "-show_entries",
    "stream=codec_name,width,height,r_frame_rate:format=duration",
    "-of",
    "json",
]


@dataclass(frozen=True)
class Frames:
    """What is known before the first frame: size, how many a second, a sentence where their times were uneven."""

    width: int
    height: int
    fps: float
    count: int
    note: str = ""
    decoder: tuple[str, ...] = ()


def animated(data: bytes, name: str) -> tuple[Frames, Iterator[Pixels]]:
    """The frames of an animated picture."""
    try:
        image = Image.open(io.BytesIO(data), formats=ANIMATED)
        count, (width, height) = int(getattr(image, "n_frames", 1)), image.size
    except Exception:
        raise BadArt(f"{name}: is not an animated WebP, PNG or GIF that can be read; save it as one of them") from None
    if count < 2:
        raise BadArt(f"{name}: holds one picture; say of how many columns and rows of cells, or bring in several files")
    check_size(width, height, name)
    _check_count(width, height, count, name)
    try:
        durations = []
        for index in range(count):
            image.seek(index)
            image.load()  # a WebP says how long a frame stands only then
            durations.append(float(image.info.get("duration") or 1000 / USUAL_FPS))
    except Exception:
        raise BadArt(f"{name}: is damaged or cut short; export it again") from None
    fps = round(1000 * count / sum(durations), 3)
    uneven = max(durations) - min(durations) > 1.5
    note = (
        f"{name}: its frames stand for {min(durations):g} to {max(durations):g} ms; here each stands equally long"
        if uneven
        else ""
    )

    def frames() -> Iterator[Pixels]:
        try:
            for index in range(count):
                image.seek(index)
                yield np.asarray(image.convert("RGBA"))
        except Exception:
            raise BadArt(f"{name}: is damaged or cut short; export it again") from None

    return Frames(width, height, fps, count, note), frames()


def clip(data: bytes, name: str, fps: float) -> tuple[Frames, Iterator[Pixels]]:
    """The frames of a film clip, `fps` a second (0: as many as it has)."""
    if not (shutil.which("ffmpeg") and shutil.which("ffprobe")):
        raise BadArt(
            f"{name}: film clips are read by ffmpeg, which is not installed; run bin/setup, or bring in frames"
        )
    file = tempfile.NamedTemporaryFile(prefix="clinamen-clip-")  # noqa: SIM115  (closed when the frames are read)
    file.write(data)
    file.flush()
    found = _probed(file.name, name)
    fps = fps or found.fps
    frames = Frames(found.width, found.height, fps, max(1, round(found.count / found.fps * fps)))
    _check_count(found.width, found.height, frames.count, name)

    def read() -> Iterator[Pixels]:
        command = [
            "ffmpeg",
            "-v",
            "error",
            *found.decoder,
            "-i",
            file.name,
            "-t",
            str(MOST_SECONDS),
            "-vf",
            f"fps={fps:g},scale={found.width}:{found.height}",
            "-f",
            "rawvideo",
        ]
        size = found.width * found.height * 4
        with (
            file,
            subprocess.Popen(
                [*command, "-pix_fmt", "rgba", "pipe:1"], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
            ) as film,
        ):
            assert film.stdout is not None
            for count in itertools.count(1):
                got = film.stdout.read(size)
                if len(got) < size:
                    break
                try:  # the head's duration may lie, so that more come than were allowed for
                    _check_count(found.width, found.height, count, name)
                except BadArt:
                    film.kill()
                    raise
                yield np.frombuffer(got, np.uint8).reshape(found.height, found.width, 4)

    return frames, read()


def _probed(path: str, name: str) -> Frames:
    told = subprocess.run(["ffprobe", *PROBE, path], capture_output=True, check=False, timeout=15).stdout
    try:
        said = json.loads(told)
        stream, seconds = said["streams"][0], float(said["format"]["duration"])
        over, under = (float(part) for part in stream["r_frame_rate"].split("/"))
        width, height, fps = int(stream["width"]), int(stream["height"]), over / under
    except (ValueError, KeyError, IndexError, ZeroDivisionError):
        raise BadArt(f"{name}: is not a film clip that can be read; save it as MP4 or WebM") from None
    if seconds > MOST_SECONDS + 0.05:
        raise BadArt(f"{name}: runs {seconds:.1f} s; at most {MOST_SECONDS:g} s can be an actor, cut it shorter")
    check_size(width, height, name)
    # only this one of ffmpeg's decoders reads the transparency of a WebM
    decoder = ("-c:v", "libvpx-vp9") if stream.get("codec_name") == "vp9" else ()
    return Frames(width, height, fps, max(1, round(seconds * fps)), decoder=decoder)


def _check_count(width: int, height: int, count: int, name: str) -> None:
    if width * height * count > MAX_PIXELS:
        most = MAX_PIXELS // (width * height)
        size = f"{count} frames of {width} × {height} px"
        raise BadArt(
            f"{name}: {size} are more than {MAX_PIXELS / 1e6:.0f} megapixels in all; take {most} frames, or make it smaller"
        )
