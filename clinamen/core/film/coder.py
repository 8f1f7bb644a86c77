"""The coder: Debian's ffmpeg as a process of its own, fed frames through a pipe. Nothing of it is linked."""

import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from types import TracebackType
from typing import IO

import numpy as np

from clinamen.core.arrays import Pixels
from clinamen.core.errors import ClinamenError
from clinamen.core.film.formats import Format, Strip

QUIET = ["-hide_banner", "-loglevel", "error", "-y"]
KEPT = 2000  # characters of what the coder says


class CodingFailed(ClinamenError):
    """The coder could not make the file; the text says why."""


def why_not() -> str:
    """Why films cannot be coded here; empty where they can."""
    return (
        "" if shutil.which("ffmpeg") else "Films need ffmpeg, which is not installed; install Debian's package ffmpeg"
    )


def _reason(said: str, path: Path) -> str:
    if "No space left on device" in said:
        return f"{path.name}: there is no space left where it is written; make room, then try again"
    line = next((line for line in reversed(said.splitlines()) if line.strip()), "it said nothing")
    return f"{path.name}: the film could not be coded ({line.strip()[:200]}); try another format or size"


class Coder:
    """A process that codes frames into a file, as a context: what goes wrong inside leaves no file behind."""

    def __init__(self, path: Path, made_as: Format, strip: Strip, threads: int = 0) -> None:
        if trouble := why_not():
            raise CodingFailed(trouble)
        self.path, self.strip = path, strip
        self.size = made_as.padded(strip.width, strip.height)
        given = "rgba" if strip.transparent else "rgb0"
        width, height = self.size
        source = ["-f", "rawvideo", "-pix_fmt", given, "-video_size", f"{width}x{height}", "-framerate", _rate(strip)]
        limited = ["-threads", str(threads)] if threads else []
        self.said: IO[bytes] = tempfile.TemporaryFile()  # noqa: SIM115  (closed with the process)
        command = ["ffmpeg", *QUIET, *source, "-i", "pipe:0", "-an", *limited, *made_as.encode(strip), str(path)]
        self.process = subprocess.Popen(command, stdin=subprocess.PIPE, stderr=self.said)

    def write(self, frame: Pixels) -> None:
        """Add a frame [h, w, 4] uint8; sides that must be even are filled up with their last pixels."""
        width, height = self.size
        more = height - frame.shape[0], width - frame.shape[1]
        whole = np.pad(frame, ((0, more[0]), (0, more[1]), (0, 0)), mode="edge") if any(more) else frame
        assert self.process.stdin is not None
        try:
            self.process.stdin.write(np.ascontiguousarray(whole).data)
        except OSError:  # it ended: what it said is the reason
            self._end()
            raise CodingFailed(_reason(self._words(), self.path)) from None

    def _words(self) -> str:
        self.said.seek(0)
        return self.said.read()[-KEPT:].decode("utf-8", "replace")

    def _end(self) -> int:
        assert self.process.stdin is not None
        with suppress(OSError):
            self.process.stdin.close()
        return self.process.wait()

    def __enter__(self) -> "Coder":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if kind is not None:
            self.process.kill()
        status = self._end()
        said = self._words()
        self.said.close()
        if kind is not None or status != 0:
            self.path.unlink(missing_ok=True)
        if kind is None and status != 0:
            raise CodingFailed(_reason(said, self.path))


def put_together(path: Path, made_as: Format, strip: Strip, parts: Sequence[tuple[Path, int]]) -> None:
    """The file from its parts, in order, and how many frames each holds; for many files `path` names them with %05d."""
    lines = [f"file '{part.resolve()}'\nduration {float(count / strip.rate):.9f}\n" for part, count in parts]
    handle, listed = tempfile.mkstemp(prefix="clinamen-", suffix=".txt")
    with os.fdopen(handle, "w") as file:
        file.writelines(lines)
    try:
        anew = [] if made_as.copies else ["-r", _rate(strip)]
        numbered = ["-start_number", "0"] if made_as.many else []
        source = ["-f", "concat", "-safe", "0", *anew, "-i", listed]
        command = [
            "ffmpeg",
            *QUIET,
            *source,
            "-an",
            *made_as.join(strip),
            *numbered,
            *_rate_out(made_as, strip),
            str(path),
        ]
        done = subprocess.run(command, stdin=subprocess.DEVNULL, capture_output=True, check=False)
        if done.returncode != 0:
            path.unlink(missing_ok=True)
            raise CodingFailed(_reason(done.stderr[-KEPT:].decode("utf-8", "replace"), path))
    finally:
        Path(listed).unlink(missing_ok=True)


def _rate_out(made_as: Format, strip: Strip) -> list[str]:
    return [] if made_as.copies else ["-fps_mode", "passthrough"]


def _rate(strip: Strip) -> str:
    return f"{strip.rate.numerator}/{strip.rate.denominator}"


@contextmanager
def beside(path: Path) -> Iterator[Path]:
    """A place beside a file or folder to write it; it takes the name when all went well, and is gone when not."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        room = Path(tempfile.mkdtemp(dir=path.parent, prefix=".making-"))
    except OSError as error:
        raise CodingFailed(f"{path}: cannot be written there ({error.strerror}); choose another place") from None
    made = room / path.name
    try:
        yield made
        if path.is_dir() and made.is_dir():
            shutil.rmtree(path)
        os.replace(made, path)
    finally:
        shutil.rmtree(room, ignore_errors=True)
