"""The store: files by the SHA-256 of their content, written to a temporary name, synced, then renamed."""

import hashlib
import os
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
from django.conf import settings
from django.core.files.storage import default_storage

from clinamen.art.models import Picture
from clinamen.core.arrays import Pixels
from clinamen.core.bounds.opaque import opaque_set
from clinamen.core.pictures.encoding import encode_png, exact_webp
from clinamen.core.pictures.reading import decode, decode_own, inspect
from clinamen.core.pixels import shrink, trim_box

STRIP_SIZES = (1024, 2048, 4096)  # the same of an actor's strip
SIZES = (160, 400, 800, 1600)  # longest side in px of art for the screen: cards, and the view at three finenesses


def keep(data: bytes, name: str) -> Picture:
    """Keep a picture file; BadArt when it is no picture. The same content is kept once."""
    sha256 = hashlib.sha256(data).hexdigest()
    found = Picture.objects.filter(sha256=sha256).first()
    if found:
        return found
    head = inspect(data, name)
    pixels = decode(data, name)  # a file that cannot be decoded whole never enters the store
    opaque = opaque_set(pixels[..., 3], pixels.shape[1], pixels.shape[0])
    picture = Picture(
        sha256=sha256, width=pixels.shape[1], height=pixels.shape[0], format=head.format, size=len(data),
        coverage=opaque.area, shows=list(trim_box(pixels)) if pixels[..., 3].any() else None,
    )  # fmt: skip
    write(picture.name, data)
    picture, _ = Picture.objects.get_or_create(sha256=sha256, defaults={
        field: getattr(picture, field) for field in ("width", "height", "format", "size", "coverage", "shows")
    })  # fmt: skip
    return picture


def keep_original(data: bytes) -> str:
    """Keep a file that art was taken out of, as it came; returns its SHA-256."""
    sha256 = hashlib.sha256(data).hexdigest()
    if not default_storage.exists(original_name(sha256)):
        write(original_name(sha256), data)
    return sha256


def read_original(sha256: str) -> bytes | None:
    """A file as it came; None where it is gone."""
    try:
        with default_storage.open(original_name(sha256), "rb") as file:
            return bytes(file.read())
    except OSError:
        return None


def original_name(sha256: str) -> str:
    """Name in the store of a file as it came."""
    return f"originals/{sha256[:2]}/{sha256}"


def write(name: str, data: bytes) -> None:
    """Write a file of the store."""
    write_file(Path(default_storage.path(name)), data)


def write_file(path: Path, data: bytes) -> None:
    """Write a file so that it is either there whole or not at all."""
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=".new-")
    with os.fdopen(handle, "wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())
    os.replace(temporary, path)


def read(picture: Picture) -> bytes:
    """A picture's file."""
    with default_storage.open(picture.name, "rb") as file:
        return bytes(file.read())


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


class PreparedArt:
    """Prepared pictures by key, on disk: shared by web server and worker, and never the only copy of anything."""

    def _path(self, key: str) -> Path:
        return Path(settings.VAR) / "prepared" / key[:2] / f"{key}.png"

    def has(self, key: str) -> bool:
        return self._path(key).exists()

    def load(self, key: str) -> Pixels | None:
        try:
            return decode_own(self._path(key).read_bytes())
        except (OSError, ValueError):
            return None

    def keep(self, key: str, pixels: Pixels) -> None:
        write_file(self._path(key), encode_png(pixels, level=1))


def fitted(pixels: Pixels, longest: int) -> Pixels:
    """The picture no longer than `longest` px on either side."""
    height, width = pixels.shape[:2]
    share = min(1.0, longest / max(width, height))
    return shrink(pixels, max(1, round(width * share)), max(1, round(height * share)))
