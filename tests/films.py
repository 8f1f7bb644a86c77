"""A small scene to be filmed, and what ffprobe and ffmpeg say of a file: the coder's own report, taken as the outside's."""

import json
import subprocess
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from clinamen.core.document import Scene
from clinamen.core.film.film import Film, film_of
from clinamen.core.pictures.shelf import ArtShelf
from tests.conftest import layer, noise, scene, shelf_of, track

WIDTH, HEIGHT = 160, 90


def made(**fields: Any) -> Scene:
    """A truck over two seconds past a far wall, a soft disc before it and a still plate of half grey in a corner."""
    layers = [
        layer("wall", 260, 150, depth=900, framing={"scale": 1.4}), layer("disc", 60, 60, depth=0, framing={"x": 10}),
        layer("grey", 40, 30, depth="infinite", framing={"x": -55, "y": -28}),
    ]  # fmt: skip
    told = {
        "view": {"width": WIDTH, "height": HEIGHT, "background": "#203040"},
        "drivers": {"time": {"duration": 2, "fps": 25, "loop": True}, "scroll": {"length": 900}, "pointer": {}},
        "tracks": [track("camera", "x", "time", (0, -20), (1, 30), (2, -20)), track("disc", "y", "scroll", (0, -20), (1, 20))],
    }  # fmt: skip
    return scene(*layers, **{**told, **fields})


def art() -> dict[str, np.ndarray]:
    y, x = np.mgrid[:60, :60] - 29.5
    disc = noise(60, 60, 5, 20)
    disc[..., 3] = np.clip((26 - np.hypot(x, y)) * 12, 0, 255).astype(np.uint8)
    grey = np.full((30, 40, 4), 255, np.uint8)
    grey[..., :3] = 128
    return {"wall": noise(260, 150, 3, 40), "disc": disc, "grey": grey}


def shelf(of: Scene) -> ArtShelf:
    return shelf_of(art(), of)


def shoot(path: Path, of: Scene, most: int = 20, **options: Any) -> Film:
    """Make a film in several parts, as workers do, and put it together at `path`."""
    film = film_of(of, **options)
    parts = []
    for index, numbers in enumerate(film.ranges(most)):
        part = path.parent / f"{path.name}-part{index}{film.made_as.part}"
        film.make_part(part, numbers, shelf(of))
        parts.append((part, numbers[1] - numbers[0]))
    film.join(path, parts)
    return film


def probed(path: Path) -> dict[str, Any]:
    """ffprobe's report of a film's stream, with the times of its frames."""
    asked = "stream=codec_name,pix_fmt,width,height,r_frame_rate,avg_frame_rate,color_space,color_transfer,color_primaries,color_range"
    entries = f"{asked}:stream_tags=alpha_mode:frame=pts_time"
    done = subprocess.run(
        ["ffprobe", "-v", "error", "-show_entries", entries, "-of", "json", str(path)], check=True, capture_output=True
    )
    told = json.loads(done.stdout)
    times = [float(frame["pts_time"]) for frame in told["frames"]]
    return {**told["streams"][0], "times": times}


def decoded(path: Path, width: int = WIDTH, height: int = HEIGHT) -> np.ndarray:
    """All frames [n, h, w, 4] uint8 as ffmpeg decodes them."""
    by = ["-c:v", "libvpx-vp9"] if path.suffix == ".webm" else []  # the usual decoder leaves VP9's alpha away
    back = ["-vf", "scale=flags=accurate_rnd+full_chroma_int+bitexact", "-fps_mode", "passthrough"]
    command = ["ffmpeg", "-v", "error", *by, "-i", str(path), *back, "-f", "rawvideo", "-pix_fmt", "rgba", "-"]
    data = subprocess.run(command, check=True, capture_output=True).stdout
    return np.frombuffer(data, np.uint8).reshape(-1, height, width, 4)


def late(times: list[float], rate: Fraction) -> float:
    """By how many seconds a frame stands off its place at most."""
    return max(abs(at - float(index / rate)) for index, at in enumerate(times))
