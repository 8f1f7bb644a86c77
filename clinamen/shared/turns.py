"""So many requests at a time: a process that works on all that come at once serves none of them soon.

The interpreter runs one thread at a time, so answers of a scene's rooms, which are short and mostly work, are made one after the
other: half of them are there in half the time that all of them take. What may take long or draws pictures has turns apart, so
that nobody's edit stands behind that. Who waits for another process gives his turn back meanwhile (`resting`). Who has waited for
a turn for a while goes on without: behind a request that hangs nobody hangs for long. A turn begins where the view does, when the
request has been read, and ends with the answer. Who asks whether the process lives, and a line that waits for word of others,
needs none.
"""

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from django.conf import settings
from django.http import HttpRequest, HttpResponseBase

FREE = ("alive", "ready", "scene-line")
SHORT = ("scene-desk", "scene-edit", "scene-room", "scene-history", "scene-preparing")
PATIENT, MORE_PATIENT = 0.8, 5.0  # seconds that a short and a long request wait for their turn


class _Kind:
    """Requests of one kind: how many have their turn at a time, and how long one waits for it."""

    def __init__(self, at_once: int, patient: float) -> None:
        self.turns, self.patient = threading.Semaphore(at_once), patient


_short = _Kind(1, PATIENT)
_long = _Kind(max(1, settings.AT_ONCE), MORE_PATIENT)


class _Mine(threading.local):
    """The kind of which this thread's request has a turn."""

    kind: _Kind | None = None


_mine = _Mine()


def _take(kind: _Kind) -> None:
    if kind.turns.acquire(timeout=kind.patient):
        _mine.kind = kind


def _give_back() -> _Kind | None:
    kind, _mine.kind = _mine.kind, None
    if kind is not None:
        kind.turns.release()
    return kind


@contextmanager
def resting() -> Iterator[None]:
    """While this request waits for another process, its turn is somebody else's."""
    kind = _give_back()
    try:
        yield
    finally:
        if kind is not None:
            _take(kind)


class Turns:
    """Middleware: waits for a turn."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        try:
            return self.get_response(request)
        finally:
            _give_back()

    def process_view(self, request: HttpRequest, *_: object) -> None:
        """Wait for a turn."""
        name = request.resolver_match.url_name if request.resolver_match else None
        if name not in FREE:
            _take(_short if name in SHORT else _long)
