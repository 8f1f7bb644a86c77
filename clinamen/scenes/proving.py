"""The proof, worked out by processes of their own, so that nobody's edit waits for another's verdict.

Each prover listens on a socket of this machine (`manage.py prove`); a scene's proofs go to the same one, which keeps what it
knows of its layers. Where none answers the proof is worked out where it was asked for.
"""

import hashlib
import logging
import os
import socket
import socketserver
import struct
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any
from uuid import UUID

from django.conf import settings

from clinamen.art.models import Picture
from clinamen.core.bounded import Bounded
from clinamen.core.bounds.needs import Needs
from clinamen.core.cached import cached_property
from clinamen.core.checks import Finding, Subject, eased, prove_subject
from clinamen.core.document import Scene as Document
from clinamen.core.errors import ClinamenError
from clinamen.core.pictures.telling import Telling
from clinamen.scenes.shelf import shelf_of
from clinamen.shared.memory import opened, sealed
from clinamen.shared.turns import resting

PATIENT = 60.0  # s that a prover is given
LENGTH = struct.Struct("!I")
MOST = 64_000_000  # bytes of a question or an answer
FOUND = 256  # scenes' findings that are remembered, as they were found and eased
SOON = 0.2  # s within which a prover takes a question that nobody waits for
ASKS, ANSWERS = "prove", "proved"
log = logging.getLogger("clinamen.proving")

_found: Bounded[list[Finding]] = Bounded(FOUND, lambda findings: 1)


@dataclass(frozen=True)
class Asked:
    """What is to be proved. `key` tells it from all else; `ease`: put drivers to rest that do not matter, for reading."""

    key: str
    scene: UUID
    document: Document
    pictures: dict[str, Picture]
    with_fixes: bool
    ease: bool

    @cached_property
    def sealed(self) -> bytes:
        """The question as a prover takes it."""
        return sealed(ASKS, self)

    def subject(self) -> Subject:
        """What the checks look at."""
        shelf = shelf_of(self.pictures, self.document, draft=True)
        sets = shelf.opaque_sets(self.document)
        return Subject(self.document, sets, self.with_fixes, Needs(self.document), Telling(shelf))


def proved(asked: Asked, subject: Callable[[], Subject]) -> list[Finding]:
    """The findings, by a prover or, where there is none, here, on a subject whose parts are used again."""
    if settings.PROVERS:
        found = _elsewhere(asked)
        if found is not None:
            return found
    return _worked_out(asked, subject)


def ahead(asked: Asked) -> None:
    """Have a prover begin with what will be asked for: who asks then finds it done, or waits for less."""
    with suppress(OSError), _asking(asked, SOON):
        pass


def _worked_out(asked: Asked, subject: Callable[[], Subject]) -> list[Finding]:
    looked_at = cache(subject)
    found = _found.get((asked.key, asked.with_fixes), lambda: prove_subject(looked_at()))
    if not asked.ease:
        return found
    return _found.get((asked.key, asked.with_fixes, "eased"), lambda: eased(looked_at(), found))


def address(number: int) -> str:
    """Where a prover listens: in var/, or, where that is too long for a socket, among what is temporary."""
    path = str(Path(settings.VAR) / f"prover-{number}.sock")
    if len(path) < 100:
        return path
    return os.path.join(tempfile.gettempdir(), f"clinamen-{hashlib.sha256(path.encode()).hexdigest()[:24]}.sock")


def _elsewhere(asked: Asked) -> list[Finding] | None:
    with resting(), suppress(OSError, EOFError, struct.error), _asking(asked, PATIENT) as stream:
        found: list[Finding] | None = opened(ANSWERS, _hear(stream))
        return found
    return None


@contextmanager
def _asking(asked: Asked, patient: float) -> Iterator[Any]:
    """Where the answer of the scene's prover comes, that has been asked; each part of it is waited for `patient` seconds."""
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as line:
        line.settimeout(patient)
        line.connect(address(asked.scene.int % settings.PROVERS))
        with line.makefile("rwb") as stream:
            _say(stream, asked.sealed)
            yield stream


def _say(stream: Any, data: bytes) -> None:
    stream.write(LENGTH.pack(len(data)) + data)
    stream.flush()


def _hear(stream: Any) -> bytes:
    (length,) = LENGTH.unpack(stream.read(LENGTH.size))
    if length > MOST:
        raise EOFError
    return bytes(stream.read(length))


class _Line(socketserver.StreamRequestHandler):
    """One question. An empty answer sends who asks to find out himself what went wrong."""

    turn = threading.Lock()  # one at a time: the interpreter has one lock anyway, and who came first is done first

    def handle(self) -> None:
        stream = self.request.makefile("rwb")
        asked = opened(ASKS, _hear(stream))
        if not isinstance(asked, Asked):
            return
        try:
            with self.turn:
                found = _worked_out(asked, asked.subject)
        except ClinamenError:
            return
        except Exception:
            log.exception("A proof failed")
            return
        with suppress(OSError):
            _say(stream, sealed(ANSWERS, found))


class _Server(socketserver.ThreadingUnixStreamServer):
    daemon_threads = True
    request_queue_size = 128  # who finds no place in it proves himself


def serve(number: int) -> None:
    """Prove what is asked for, until told to stop or until who started this is gone."""
    path = address(number)
    with suppress(FileNotFoundError):
        os.unlink(path)
    before = os.umask(0o077)
    try:
        server = _Server(path, _Line)
    finally:
        os.umask(before)
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(2)
        server.shutdown()

    threading.Thread(target=watch, daemon=True).start()
    server.serve_forever(poll_interval=1)
