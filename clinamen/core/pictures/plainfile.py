"""A plain file is read whole: no device, no pipe, nothing that leads out of the folder it must stand in, nothing larger than
it may be. All of that is known before a byte is read."""

import os
import stat
from pathlib import Path

from clinamen.core.errors import BadArt
from clinamen.core.pictures.limits import MAX_FILE


def read_plain(path: Path, todo: str, within: Path | None = None, most: int = MAX_FILE) -> bytes:
    """A file's bytes, of at most so many; BadArt says why not, and `todo` what to do. `within`: the folder that it must not
    lead out of."""
    try:
        if within is not None and not path.resolve().is_relative_to(within.resolve()):
            raise BadArt(f"{path}: leads out of the scene's folder; put a copy beside the scene")
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK)  # a pipe that nobody writes to is not waited for
    except OSError as error:
        raise BadArt(f"{path}: cannot be read ({error.strerror}); {todo}") from None
    with os.fdopen(handle, "rb") as file:
        told = os.fstat(handle)
        if not stat.S_ISREG(told.st_mode):
            raise BadArt(f"{path}: is no plain file; {todo}")
        if told.st_size > most:
            raise BadArt(
                f"{path}: is {told.st_size / 1048576:.0f} MB large; at most {most / 1048576:.0f} MB can be read"
            )
        return file.read(most + 1)
