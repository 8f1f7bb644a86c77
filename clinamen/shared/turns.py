"""Turns: so many requests at a time, since a process that works on all that come at once serves none of them soon.

The interpreter runs one thread at a time, so answers of a scene's rooms, which are short and mostly work, are made one after the
other: half of them are there in half the time that all of them take. What may take long or draws pictures has turns apart, so
that nobody's edit stands behind that. Who waits for another process gives his turn back meanwhile (`resting`). Who has had a turn
for too long is taken to hang, and some others then go on without: behind a request that hangs nobody hangs for long, but where
there are only many they wait for each other. A turn begins where the view does, when the request has been read, and ends with the
answer. Who asks whether the process lives, and a line that waits for word of others, needs none.

Whose turn is next goes by what is asked for: first an edit, under somebody's hand; then what one looks at; last what a page asks
for by itself since somebody else changed something (`follows`), which it asks for less often the longer it takes.
"""

import heapq
import itertools
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

from django.conf import settings
from django.http import HttpRequest, HttpResponseBase

from clinamen.shared import hearing

FREE = ("alive", "ready", "scene-line")
SHORT = ("scene-desk", "scene-edit", "scene-room", "scene-history", "scene-preparing")
PATIENT, MORE_PATIENT = 0.8, 5.0  # seconds that a short and a long request may have their turn before others pass
PASS = 8  # how many may pass at a time: threads that all work hold each other up
SILENT = 0.5  # seconds without an answer of the database, after which that is what hangs
EDITS, LOOKS, FOLLOWS = range(3)  # who goes first


@dataclass(eq=False)
class _Turn:
    """One request's turn, had since `begun` or waited for."""

    rank: int
    number: int
    begun: float = 0.0
    came: threading.Event = field(default_factory=threading.Event)

    def __lt__(self, other: "_Turn") -> bool:
        return (self.rank, self.number) < (other.rank, other.number)


class _Kind:
    """Requests of one kind: how many have their turn at a time, who waits, and after how many seconds one who has it is taken to
    hang."""

    def __init__(self, at_once: int, patient: float) -> None:
        self.at_once, self.patient = at_once, patient
        self.have: list[_Turn] = []
        self.passing: list[_Turn] = []
        self.waiting: list[_Turn] = []  # a heap
        self.numbers, self.lock = itertools.count(), threading.Lock()

    def take(self, rank: int) -> _Turn:
        """Wait for a turn; behind one that hangs, go on without."""
        turn = _Turn(rank, next(self.numbers))
        with self.lock:
            heapq.heappush(self.waiting, turn)
            self._go_on()
        while not turn.came.wait(self.patient):
            with self.lock:
                if not turn.came.is_set() and self._hangs() and len(self.passing) < PASS:
                    self.waiting.remove(turn)
                    heapq.heapify(self.waiting)
                    self.passing.append(turn)
                    break
        return turn

    def give_back(self, turn: _Turn) -> None:
        """The turn is the next one's."""
        with self.lock:
            if turn in self.have:
                self.have.remove(turn)
                self._go_on()
            elif turn in self.passing:
                self.passing.remove(turn)

    def _hangs(self) -> bool:
        # who passes one that waits for a silent database would wait too; he is told when the first gives up on it
        if hearing.silent_for() > SILENT:
            return False
        return any(time.monotonic() - turn.begun >= self.patient for turn in self.have)

    def _go_on(self) -> None:
        while self.waiting and len(self.have) < self.at_once:
            turn = heapq.heappop(self.waiting)
            turn.begun = time.monotonic()
            self.have.append(turn)
            turn.came.set()


_short = _Kind(1, PATIENT)
_long = _Kind(max(1, settings.AT_ONCE), MORE_PATIENT)


class _Mine(threading.local):
    """The turn that this thread's request has, of which kind, and what it ranks."""

    turn: _Turn | None = None
    kind = _short
    rank = LOOKS


_mine = _Mine()


def _take(kind: _Kind) -> None:
    _mine.turn, _mine.kind = kind.take(_mine.rank), kind


def _give_back() -> _Kind | None:
    turn, _mine.turn = _mine.turn, None
    if turn is None:
        return None
    _mine.kind.give_back(turn)
    return _mine.kind


def _rank_of(request: HttpRequest) -> int:
    if request.method == "POST":
        return EDITS
    return FOLLOWS if request.GET.get("follows") else LOOKS


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
        around = _mine.turn, _mine.kind, _mine.rank  # of the request in whose answer this one is asked, if it is
        _mine.turn = None
        try:
            return self.get_response(request)
        finally:
            _give_back()
            _mine.turn, _mine.kind, _mine.rank = around

    def process_view(self, request: HttpRequest, *_: object) -> None:
        """Wait for a turn."""
        name = request.resolver_match.url_name if request.resolver_match else None
        if name not in FREE:
            _mine.rank = _rank_of(request)
            _take(_short if name in SHORT else _long)
