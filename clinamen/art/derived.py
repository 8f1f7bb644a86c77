"""What is worked out of art, by key: prepared pictures, opaque sets. Never the only copy of anything: a damaged one, or one that
there was no room for, is made again. Where the store is a bucket it stands there for all machines, and each keeps beside it what
it used."""

import hashlib
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from django.conf import settings

from clinamen.art import files
from clinamen.art.files import write_file
from clinamen.core.arrays import Pixels
from clinamen.core.bounds.opaque import OpaqueSet
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.reading import decode_own
from clinamen.shared.memory import opened, sealed

SETS = 1  # of how opaque sets are worked out: kept ones of another are made anew


class PreparedArt:
    """Prepared pictures by key: shared by web servers and workers."""

    def has(self, key: str) -> bool:
        name = _prepared(key)
        return _beside(name).exists() or (files.folder() is None and files.size(name) is not None)

    def load(self, key: str) -> Pixels | None:
        try:
            return decode_own(_read(_prepared(key)))
        except (OSError, ValueError):
            return None

    def keep(self, key: str, pixels: Pixels) -> None:
        _write(_prepared(key), encode_png(pixels, level=1))


class KeptSets:
    """Opaque sets by what names them: what one process worked out no other works out again."""

    def get(self, name: str, make: Callable[[], OpaqueSet]) -> OpaqueSet:
        key = set_key(name)
        with suppress(OSError):
            found = opened(key, _read(_set(key)))
            if isinstance(found, OpaqueSet):
                return found
        made = make()
        self.keep(name, made)
        return made

    def keep(self, name: str, made: OpaqueSet) -> None:
        key = set_key(name)
        with suppress(OSError):  # where there is no room for it, it is worked out again
            _write(_set(key), sealed(key, made, level=0))


def set_key(name: str) -> str:
    """What an opaque set of this name is kept by."""
    return hashlib.sha256(f"{SETS} {name}".encode()).hexdigest()


def _prepared(key: str) -> str:
    return f"prepared/{key[:2]}/{key}.png"


def _set(key: str) -> str:
    return f"sets/{key[:2]}/{key}"


def _beside(name: str) -> Path:
    return Path(settings.VAR) / name


def _read(name: str) -> bytes:
    path = _beside(name)
    if files.folder() is not None or path.exists():
        return path.read_bytes()
    data = files.read(name)
    write_file(path, data)
    return data


def _write(name: str, data: bytes) -> None:
    write_file(_beside(name), data)
    if files.folder() is None:
        files.write(name, data)
