"""The store's files by name, wherever they are: in a folder of this machine, or in an S3-compatible bucket that machines share.

In a folder a file is written beside its place, synced and renamed, so that it is either there whole or not at all; a bucket gives
the same by itself. Nobody else asks where the store is.
"""

import errno
import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO, Any

from botocore.exceptions import BotoCoreError, ClientError
from django.core.files.base import ContentFile
from django.core.files.storage import FileSystemStorage, default_storage

from clinamen.core.film.coder import beside

MISSING = ("404", "NoSuchKey", "NotFound")  # what a bucket says of a name that it does not have
PIECE = 1 << 20  # bytes copied at a time


class StoreAway(OSError):
    """The store does not answer."""

    def __init__(self, cause: Exception) -> None:
        super().__init__(errno.EIO, f"the store of files does not answer ({type(cause).__name__})")


def folder() -> Path | None:
    """The folder where the store is; None where it is a bucket."""
    return Path(default_storage.path("")) if isinstance(default_storage, FileSystemStorage) else None


@contextmanager
def _asked() -> Iterator[None]:
    """What a bucket says went wrong, as a folder would say it."""
    try:
        yield
    except ClientError as error:
        if str(error.response.get("Error", {}).get("Code")) in MISSING:
            raise FileNotFoundError(errno.ENOENT, "not in the store") from error
        raise StoreAway(error) from error
    except BotoCoreError as error:
        raise StoreAway(error) from error


def _path(name: str) -> Path:
    return Path(default_storage.path(name))


def write(name: str, data: bytes) -> None:
    """Write a file."""
    if folder() is not None:
        write_file(_path(name), data)
        return
    with _asked():
        default_storage.save(name, ContentFile(data))


def write_file(path: Path, data: bytes) -> None:
    """Write a file of this machine so that it is either there whole or not at all."""
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=".new-")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.replace(temporary, path)
    except OSError:  # a full disk has no room for what is half done
        os.unlink(temporary)
        raise


def read(name: str) -> bytes:
    """A file's bytes; FileNotFoundError where there is none."""
    with _asked(), default_storage.open(name, "rb") as file:
        return bytes(file.read())


def opened(name: str) -> IO[bytes]:
    """A file to be read from, in pieces and from anywhere."""
    with _asked():
        file: IO[bytes] = default_storage.open(name, "rb")
        return file


def size(name: str) -> int | None:
    """A file's size in bytes; None where there is none."""
    try:
        with _asked():
            return int(default_storage.size(name))
    except FileNotFoundError:
        return None


def keep_young(name: str) -> None:
    """Say that a file was kept anew just now."""
    if folder() is not None:
        os.utime(_path(name))
    else:
        write(name, read(name))


def delete(name: str) -> None:
    """Take a file away, if it is there."""
    with suppress(FileNotFoundError), _asked():
        default_storage.delete(name)


def put_aside(name: str) -> None:
    """Keep a damaged file under another name, so that it is known to be lost."""
    if folder() is not None:
        path = _path(name)
        path.replace(path.with_name(f"{path.name}.damaged"))
        return
    write(f"{name}.damaged", read(name))
    delete(name)


@contextmanager
def here(name: str) -> Iterator[Path]:
    """A file as one of this machine, for as long as it is needed."""
    if folder() is not None:
        yield _path(name)
        return
    with tempfile.TemporaryDirectory(prefix="clinamen-") as room:
        path = Path(room) / Path(name).name
        with opened(name) as source, path.open("wb") as copy:
            shutil.copyfileobj(source, copy, PIECE)
        yield path


@contextmanager
def making(name: str) -> Iterator[Path]:
    """A place to make a file at; it stands in the store when all went well, and nothing does when not."""
    if folder() is not None:
        with beside(_path(name)) as path:
            yield path
        return
    with tempfile.TemporaryDirectory(prefix="clinamen-") as room:
        path = Path(room) / Path(name).name
        yield path
        with path.open("rb") as made, _asked():
            default_storage.save(name, made)


def inside(top: str) -> Iterator[tuple[str, float, int]]:
    """Every file below a folder of the store: name, when it was kept (seconds), bytes."""
    root = folder()
    if root is not None:
        for path in (root / top).rglob("*"):
            with suppress(FileNotFoundError):
                if path.is_file():
                    told = path.stat()
                    yield str(path.relative_to(root)), told.st_mtime, told.st_size
        return
    with _asked():
        bucket: Any = default_storage
        for each in bucket.bucket.objects.filter(Prefix=f"{top.rstrip('/')}/"):
            yield each.key, each.last_modified.timestamp(), each.size


def clear(top: str) -> None:
    """Take a folder away with all that is in it."""
    root = folder()
    if root is not None:
        shutil.rmtree(root / top, ignore_errors=True)
        return
    for name, *_ in list(inside(top)):
        delete(name)


def total(top: str) -> int:
    """Bytes of all files below a folder."""
    return sum(size for *_, size in inside(top))
