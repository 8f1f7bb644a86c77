"""The store: files by the SHA-256 of their content, written to a temporary name, synced, then renamed."""

import errno
import hashlib
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import dataclass
from html import escape
from pathlib import Path

import numpy as np
from django.conf import settings
from django.utils import timezone
from PIL import Image, ImageDraw

from clinamen.art import files
from clinamen.art.derived import KeptSets
from clinamen.art.files import write_file
from clinamen.art.models import Picture
from clinamen.core.arrays import Pixels
from clinamen.core.bounds.opaque import OpaqueSet, opaque_set
from clinamen.core.errors import BadArt, ClinamenError
from clinamen.core.pictures.encoding import encode_png, exact_webp
from clinamen.core.pictures.limits import VECTOR
from clinamen.core.pictures.pool import CHILDREN
from clinamen.core.pictures.reading import decode, inspect
from clinamen.core.pictures.shelf import set_name
from clinamen.core.pixels import shrink, trim_box

FULL = (errno.ENOSPC, errno.EDQUOT)  # what the system says where there is no room
BELIEVED, BELIEVED_FOR = 20_000, 60.0  # files of a bucket that are taken to be there still, and for how many seconds
STRIP_SIZES = (1024, 2048, 4096)  # the same of an actor's strip
SIZES = (160, 400, 800, 1600)  # longest side in px of art for the screen: cards, and the view at three finenesses

_seen: dict[str, float] = {}


@dataclass(frozen=True)
class Read:
    """What was learned of a picture file by reading it."""

    width: int
    height: int
    format: str
    opaque: OpaqueSet
    shows: list[int] | None


def learned(data: bytes, name: str) -> Read:
    """Read a picture file, in the limited child; BadArt when it is no picture. Keeps nothing, and may be asked by any thread."""
    head = inspect(data, name)
    pixels = decode(data, name)  # a file that cannot be decoded whole never enters the store
    height, width = pixels.shape[:2]
    shows = list(trim_box(pixels)) if pixels[..., 3].any() else None
    return Read(width, height, head.format, opaque_set(pixels[..., 3], width, height), shows)


def keep(data: bytes, name: str, read: Read | None = None) -> Picture:
    """Keep a picture file, which was `read` or is read now; BadArt when it is no picture. The same content is kept once."""
    sha256 = hashlib.sha256(data).hexdigest()
    found = Picture.objects.filter(sha256=sha256).first()
    # kept anew: what is swept away is what nobody has kept for a day
    if found and Picture.objects.filter(pk=found.pk).update(created=timezone.now()):
        if is_lost(found):  # the same file brought in again heals what was lost
            files.write(found.name, data)
        return found
    read = read or learned(data, name)
    picture = Picture(
        sha256=sha256, width=read.width, height=read.height, format=read.format, size=len(data), coverage=read.opaque.area,
        shows=read.shows,
    )  # fmt: skip
    files.write(picture.name, data)
    KeptSets().keep(set_name(sha256), read.opaque)  # a page of many layers would else work out all of them
    picture, _ = Picture.objects.get_or_create(sha256=sha256, defaults={
        field: getattr(picture, field) for field in ("width", "height", "format", "size", "coverage", "shows")
    })  # fmt: skip
    return picture


def keep_all(named: list[tuple[bytes, str]]) -> Iterator[Picture | ClinamenError]:
    """Keep many picture files, in order; each comes as its picture or as what is wrong with it. As many are read at a time as
    there are children to read them."""
    names = [hashlib.sha256(data).hexdigest() for data, _ in named]
    known = set(Picture.objects.filter(sha256__in=names).values_list("sha256", flat=True))

    def learn(sha256: str, file: tuple[bytes, str]) -> Read | ClinamenError | None:
        try:
            return None if sha256 in known else learned(*file)
        except ClinamenError as error:
            return error

    readers = ThreadPoolExecutor(CHILDREN)
    asked = copy_context()  # whose request it is
    try:
        reads = readers.map(lambda *each: asked.copy().run(learn, *each), names, named)
        for (data, name), read in zip(named, reads, strict=True):
            try:
                yield read if isinstance(read, ClinamenError) else keep(data, name, read)
            except ClinamenError as error:
                yield error
    finally:
        readers.shutdown(cancel_futures=True)


def keep_original(data: bytes) -> str:
    """Keep a file that art was taken out of, as it came; returns its SHA-256."""
    sha256 = hashlib.sha256(data).hexdigest()
    name = original_name(sha256)
    if files.size(name) != len(data):
        files.write(name, data)
    else:
        files.keep_young(name)
    return sha256


def read_original(sha256: str) -> bytes | None:
    """A file as it came; None where it is gone."""
    try:
        return files.read(original_name(sha256))
    except FileNotFoundError:
        return None


def original_name(sha256: str) -> str:
    """Name in the store of a file as it came."""
    return f"originals/{sha256[:2]}/{sha256}"


class Lost(BadArt):
    """A picture's file is not in the store any more, or is not what was brought in."""


def is_lost(picture: Picture) -> bool:
    """True where a picture's file is missing, or not as long as it was."""
    if time.monotonic() < _seen.get(picture.name, 0.0):
        return False
    lost = files.size(picture.name) != picture.size
    if not lost and files.folder() is None:  # a bucket is far: it is believed for a while
        if len(_seen) > BELIEVED:
            _seen.clear()
        _seen[picture.name] = time.monotonic() + BELIEVED_FOR
    return lost


def read(picture: Picture, file: str = "") -> bytes:
    """A picture's file, called `file` in what goes wrong. A damaged one is put aside: from then on it is known to be lost."""
    try:
        data = files.read(picture.name)
    except FileNotFoundError:
        data = b""
    if hashlib.sha256(data).hexdigest() != picture.sha256:
        _seen.pop(picture.name, None)
        if data:
            files.put_aside(picture.name)
        raise Lost(
            f"{file or picture.sha256[:12]}: its file was lost or damaged in the store; bring the same file in again"
        )
    return data


def stand_in(picture: Picture, file: str) -> bytes:
    """A picture of the same size and kind that names the file that is lost."""
    if picture.format == VECTOR:
        size = f'width="{picture.width}" height="{picture.height}"'
        words = f'<text x="8" y="{picture.height / 2:g}" font-size="16" fill="#b83a14">{escape(file)} is lost</text>'
        ground = f'<rect {size} fill="#d8d2c4"/>'
        return f'<svg xmlns="http://www.w3.org/2000/svg" {size}>{ground}{words}</svg>'.encode()
    drawn = Image.new("RGBA", (picture.width, picture.height), "#d8d2c4")
    pen, step = ImageDraw.Draw(drawn), max(24, max(drawn.size) // 24)
    for start in range(-picture.height, picture.width, step):
        pen.line([(start, 0), (start + picture.height, picture.height)], fill="#b83a14", width=max(1, step // 12))
    words, large = f"{file} is lost", max(12, picture.width // 24)
    box = pen.textbbox((0, 0), words, font_size=large)
    middle = ((picture.width - box[2]) / 2, (picture.height - box[3]) / 2)
    pen.rectangle([middle[0] - 8, middle[1] - 8, middle[0] + box[2] + 8, middle[1] + box[3] + 8], fill="#fbf8f1")
    pen.text(middle, words, fill="#7d2408", font_size=large)
    return encode_png(np.asarray(drawn), level=1)


def reduced(picture: Picture, longest: int, mirrored: str = "") -> Path:
    """Path of a WebP no longer than `longest` pixels on either side; made once, and made again if it is lost.
    `mirrored` "x", "y" or "xy": with its reflection beside it."""
    return _reduced(picture.sha256, longest, mirrored, lambda: decode(read(picture), picture.sha256))


def reduced_prepared(key: str, longest: int, mirrored: str, pixels: Callable[[], Pixels]) -> Path:
    """As `reduced`, for prepared art."""
    return _reduced(key, longest, mirrored, pixels)


def _reduced(key: str, longest: int, mirrored: str, make: Callable[[], Pixels]) -> Path:
    path = Path(settings.VAR) / "screen" / str(longest) / key[:2] / f"{key}{mirrored}.webp"
    if not path.exists():
        pixels = fitted(make(), longest)
        if "x" in mirrored:
            pixels = np.concatenate([pixels, pixels[:, ::-1]], axis=1)
        if "y" in mirrored:
            pixels = np.concatenate([pixels, pixels[::-1]], axis=0)
        write_file(path, exact_webp(pixels))
    return path


def fitted(pixels: Pixels, longest: int) -> Pixels:
    """The picture no longer than `longest` px on either side."""
    height, width = pixels.shape[:2]
    share = min(1.0, longest / max(width, height))
    return shrink(pixels, max(1, round(width * share)), max(1, round(height * share)))
