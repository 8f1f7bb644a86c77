"""Pictures in: heads, pixels, pages and groups of files, read in a child process within limits of time and memory.

What cannot be read is refused in one sentence that names the file. SVG stays what it is and is rastered at the size asked
for. Files of the application's own making (`decode_own`) are read on the spot.
"""

import io
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image

from clinamen.core.arrays import Pixels
from clinamen.core.errors import BadArt
from clinamen.core.made.fontfile import Told, begins
from clinamen.core.motion.between import Drawn
from clinamen.core.pictures.heads import Head
from clinamen.core.pictures.limits import check_file, check_size
from clinamen.core.pictures.plainfile import read_plain
from clinamen.core.pictures.pool import POOL

__all__ = [
    "Head",
    "Named",
    "decode",
    "decode_file",
    "decode_own",
    "font_of",
    "forms_of",
    "inspect",
    "moving",
    "read_file",
    "tiff_pages",
    "vector_groups",
]


@dataclass(frozen=True)
class Laying:
    """How a file says that one of its layers is laid on what is behind it."""

    opacity: float = 1.0
    blend: str = "normal"
    visible: bool = True


@dataclass(frozen=True)
class Named:
    """A part of a file as a picture file of its own, what the file calls it, sentences on what looks otherwise here, the groups
    it stood `within`, and how it is laid on what is behind it."""

    name: str
    data: bytes
    notes: tuple[str, ...] = ()
    within: str = ""
    laid: Laying = Laying()


def inspect(data: bytes, name: str) -> Head:
    """Head of a picture file; BadArt names the file and what is wrong with it."""
    check_file(data, name)
    said, _ = POOL.ask("head", data, name)
    width, height, kind, alpha = said["head"]
    head = Head(int(width), int(height), str(kind), bool(alpha))
    check_size(head.width, head.height, name)
    return head


def decode(data: bytes, name: str, zoom: float = 1.0) -> Pixels:
    """Pixels [h, w, 4] uint8, sRGB with straight alpha, of a picture file; `zoom` enlarges a vector picture."""
    check_file(data, name)
    said, pixels = POOL.ask("pixels", data, name, {"zoom": zoom})
    height, width, channels = (int(length) for length in said["shape"])
    return np.frombuffer(pixels, np.uint8).reshape(height, width, channels)


def tiff_pages(data: bytes, name: str, allow: Callable[[list[tuple[int, int]]], None]) -> Iterator[Named]:
    """The pages of a TIFF as PNG files, one at a time; BadArt names the page that cannot be read. `allow` is told the
    pages' sizes before any is unpacked, and may refuse them."""
    check_file(data, name)
    for said, png in POOL.stream("pages", data, name):
        if "sizes" in said:
            allow([(int(width), int(height)) for width, height in said["sizes"]])
        else:
            yield Named(str(said["label"]), png)


def vector_groups(data: bytes, name: str) -> list[Named]:
    """Each top-level group of an SVG as a picture of its own, first drawn first."""
    check_file(data, name)
    found = POOL.stream("groups", data, name)
    return [
        Named(
            str(said["label"]), part, tuple(map(str, said["notes"])), said["laid"].pop("within"), Laying(**said["laid"])
        )
        for said, part in found
    ]


def moving(kind: str, data: bytes, name: str, fps: float, notes: list[str] | None = None) -> tuple[float, Pixels]:
    """Frames a second and the frames [n, h, w, 4] of an "animated" picture or a film "clip" (as many a second as `fps`, where
    that is given); a sentence on what is different here goes into `notes`."""
    check_file(data, name)
    rate, frames = fps, list[Pixels]()
    height = width = 0
    for said, payload in POOL.stream(kind, data, name, {"fps": fps}):
        if "shape" in said:
            (height, width), rate = (int(length) for length in said["shape"]), float(said["fps"])
            if notes is not None and said["note"]:
                notes.append(str(said["note"]))
        elif payload:
            frames.append(np.frombuffer(payload, np.uint8).reshape(height, width, 4))
    if not frames:
        raise BadArt(f"{name}: holds no frame that can be read; save it again")
    return rate, np.stack(frames)


def forms_of(data: bytes, name: str) -> tuple[int, int, list[Drawn]]:
    """Width and height of an SVG and its filled shapes as outlines, first drawn first."""
    check_file(data, name)
    width = height = 0
    found = list[Drawn]()
    for said, payload in POOL.stream("forms", data, name):
        if "size_px" in said:
            width, height = (int(length) for length in said["size_px"])
        elif payload:
            red, green, blue, alpha = (float(share) for share in said["colour"])
            found.append(Drawn(np.frombuffer(payload, np.float64).reshape(said["shape"]), (red, green, blue, alpha)))
    return width, height, found


def font_of(data: bytes, name: str) -> Told:
    """What a font file says of itself; BadArt names the file and what is wrong with it."""
    check_file(data, name)
    begins(data, name)
    said, _ = POOL.ask("font", data, name)
    return Told(str(said["name"]), str(said["licence"]), str(said["ending"]), tuple(map(str, said["notes"])))


def decode_own(data: bytes) -> Pixels:
    """Pixels of a PNG that this application wrote itself."""
    with Image.open(io.BytesIO(data), formats=["PNG"]) as image:
        return np.asarray(image.convert("RGBA"))


def decode_file(path: Path) -> Pixels:
    """As `decode`, from a file."""
    return decode(read_plain(path, "name a picture"), path.name)


def read_file(path: Path, within: Path) -> bytes:
    """Bytes of a file within a scene's folder; BadArt when it cannot be read."""
    return read_plain(path, "check that it stands beside the scene", within)
