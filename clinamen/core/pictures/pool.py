"""A pool of child processes that read files, kept warm. A child that works too long, grows too large or dies is replaced.

What it was reading is refused in one sentence where that is the file's fault: it took more processor time than is allowed, or
ended its reader twice. Where the machine is merely busy, or something else ended the reader, it is read once more, and what
fails even so is said to be the machine's fault.
"""

import atexit
import contextlib
import json
import os
import queue
import select
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Generator, Iterator
from pathlib import Path
from typing import IO, Any

from clinamen.core.errors import BadArt, Busy
from clinamen.core.pictures.limits import is_vector
from clinamen.core.pictures.reader_turns import ReaderTurns, check_budget, spend

CHILDREN = 2
SECONDS = 20.0  # s of processor time for each answer
FAR = 9.0  # times SECONDS by the clock: a reader without an answer by then hangs, or the machine gave it no time
TRIES = 2  # of a file whose reader died or was given no time
STARTS = 60.0  # s that a child may take to start on a busy machine, which is no fault of the file
BEHIND = 5  # nice: whoever reads a file stands behind who edits
CHUNK = 1 << 20
TOO_LONG = "takes more than {:g} s of processor time to read; simplify it and save it again"
ROOT = Path(__file__).parents[3]


def may_take_long(job: str, data: bytes) -> bool:
    """True of a file whose reading takes as long as it says, however small it is: drawn, unpacked or played, not just decoded."""
    return job not in ("head", "pixels", "recipe", "font") or is_vector(data)


class _Broken(Exception):
    """A reader that gave no answer: it died, or the machine was too `busy` to let it work."""

    def __init__(self, busy: bool) -> None:
        self.busy = busy

    def told(self, name: str) -> Exception:
        """Return the error that is shown for the file called `name`."""
        if self.busy:
            return Busy(f"The machine was too busy to read {name}. Try again in a moment")
        return BadArt(f"{name}: cannot be read, its reader broke off; simplify it and save it again")


class _Child:
    """One child process and the talk with it."""

    def __init__(self, behind: int, ready_for: tuple[str, ...]) -> None:
        environment = {**os.environ, "PYTHONPATH": os.pathsep.join([str(ROOT), os.environ.get("PYTHONPATH", "")])}
        self.process = subprocess.Popen(
            [sys.executable, "-m", "clinamen.core.pictures.child", *ready_for], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
            cwd=ROOT, env=environment,
        )  # fmt: skip
        with contextlib.suppress(OSError):  # ended already
            os.setpriority(os.PRIO_PROCESS, self.process.pid, min(19, os.getpriority(os.PRIO_PROCESS, 0) + behind))
        assert self.process.stdin is not None and self.process.stdout is not None
        self.inward: IO[bytes] = self.process.stdin
        self.outward = self.process.stdout.fileno()
        self.pending, self.ready = b"", False
        os.set_blocking(self.outward, False)

    @property
    def alive(self) -> bool:
        return self.process.poll() is None

    @property
    def worked_too_long(self) -> bool:
        """True of a child that the kernel ended because its processor time was used up."""
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.process.wait(timeout=5)
        return self.process.returncode == -signal.SIGXCPU

    def end(self) -> None:
        self.process.kill()
        self.process.wait()
        for end in (self.process.stdin, self.process.stdout):
            if end is not None:
                with contextlib.suppress(OSError):
                    end.close()

    def ask(self, request: dict[str, Any], data: bytes, seconds: float) -> Iterator[tuple[dict[str, Any], bytes]]:
        """Send a request and yield its answers, each of which may take so long; EOFError where the child died,
        TimeoutError where it took longer."""
        head = json.dumps({**request, "size": len(data)}).encode() + b"\n"
        writer = threading.Thread(target=self._write, args=(head, data), daemon=True)
        writer.start()
        if not self.ready:
            self._line(time.monotonic() + STARTS)
            self.ready = True
        while True:
            deadline = time.monotonic() + seconds
            said = json.loads(self._line(deadline))
            yield said, self._exactly(said["size"], deadline)
            if not said.get("more"):
                writer.join()
                return

    def _write(self, head: bytes, data: bytes) -> None:
        try:
            self.inward.write(head)
            self.inward.write(data)
            self.inward.flush()
        except (OSError, ValueError):  # the child is gone; whoever reads from it learns so
            pass

    def _more(self, deadline: float) -> bytes:
        left = deadline - time.monotonic()
        if left <= 0 or not select.select([self.outward], [], [], left)[0]:
            raise TimeoutError
        got = os.read(self.outward, CHUNK)
        if not got:
            raise EOFError
        return got

    def _line(self, deadline: float) -> bytes:
        while b"\n" not in self.pending:
            self.pending += self._more(deadline)
        line, self.pending = self.pending.split(b"\n", 1)
        return line

    def _exactly(self, size: int, deadline: float) -> bytes:
        out = bytearray(self.pending[:size])
        self.pending = self.pending[size:]
        while len(out) < size:
            got = self._more(deadline)
            wanted = size - len(out)
            out += got[:wanted]
            self.pending = got[wanted:]
        return bytes(out)


class Pool:
    """Children waiting for work; asked from any thread. `behind`: how much nicer they are than who asks; `ready_for`: jobs whose
    code they read before they are asked; `too_long`: what is said of what takes more than so many seconds."""

    def __init__(
        self,
        children: int = CHILDREN,
        seconds: float = SECONDS,
        behind: int = BEHIND,
        ready_for: tuple[str, ...] = ("pixels",),
        too_long: str = TOO_LONG,
    ) -> None:
        self.size, self.seconds, self.started = children, seconds, False
        self.turns = ReaderTurns(children)
        self.behind, self.ready_for, self.too_long = behind, ready_for, too_long
        self.idle: queue.LifoQueue[_Child | None] = queue.LifoQueue()
        self.lock = threading.Lock()
        self.owner = os.getpid()
        atexit.register(self.close)

    def _start(self) -> None:
        with self.lock:
            if not self.started or self.owner != os.getpid():  # a forked server keeps children of its own
                self.idle, self.owner, self.started = queue.LifoQueue(), os.getpid(), True
                self.turns = ReaderTurns(self.size)
                for _ in range(self.size):
                    self.idle.put(None)

    def ask(
        self, job: str, data: bytes, name: str, options: dict[str, Any] | None = None
    ) -> tuple[dict[str, Any], bytes]:
        """The one answer of a child to a request; BadArt or Busy says why there is none."""
        (answer,) = self.stream(job, data, name, options)
        return answer

    def stream(
        self, job: str, data: bytes, name: str, options: dict[str, Any] | None = None
    ) -> Iterator[tuple[dict[str, Any], bytes]]:
        """A child's answers to a request as they come; BadArt or Busy says why there are no more."""
        request = {"job": job, "name": name, "options": options or {}, "seconds": self.seconds}
        for number in range(1, TRIES + 1):
            begun = False
            try:
                with contextlib.closing(self._read(request, data)) as answers:
                    for answer in answers:
                        begun = True
                        yield answer
                return
            except _Broken as broken:
                if number == TRIES or begun:  # what was handed out already cannot be taken back
                    raise broken.told(name) from None

    def _read(self, request: dict[str, Any], data: bytes) -> Generator[tuple[dict[str, Any], bytes], None, None]:
        """Yield a child's answers; _Broken where it gave none, BadArt where that is the file's fault."""
        self._start()
        check_budget(request["name"])
        with self.turns.turn(may_take_long(request["job"], data), request["name"]):
            yield from self._read_by(self.idle.get(), request, data)

    def _read_by(
        self, child: _Child | None, request: dict[str, Any], data: bytes
    ) -> Generator[tuple[dict[str, Any], bytes], None, None]:
        finished = False
        try:
            if child is None or not child.alive:
                child = _Child(self.behind, self.ready_for)
            for said, payload in child.ask(request, data, FAR * self.seconds):
                finished = not said.get("more")
                spend(said["cpu"])
                self._refuse(said, request["name"])
                yield said, payload
        except TimeoutError:
            raise _Broken(busy=True) from None
        except (EOFError, OSError, ValueError):
            if child is not None and child.worked_too_long:
                spend(self.seconds)
                raise BadArt(f"{request['name']}: {self.too_long.format(self.seconds)}") from None
            raise _Broken(busy=False) from None
        finally:
            if not finished:  # whatever the child still has to say belongs to nobody
                self._ended(child)
                child = None
            self.idle.put(child)

    def _ended(self, child: _Child | None) -> None:
        if child is not None:
            child.end()

    def _refuse(self, said: dict[str, Any], name: str) -> None:
        if "refused" in said:
            raise BadArt(said["refused"])
        if "memory" in said:
            raise BadArt(f"{name}: needs more memory to read than is allowed; make it smaller or simpler")
        if "fault" in said:
            raise BadArt(f"{name}: is damaged, or of a kind that cannot be read; save it as PNG and try again")

    def close(self) -> None:
        """End the children that wait."""
        while self.owner == os.getpid() and not self.idle.empty():
            self._ended(self.idle.get())


POOL = Pool()
