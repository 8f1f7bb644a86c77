"""Whose file is read next, and for how long: accounts take turns at the readers, what may take long never holds the last of
them, and a request and an account each have so much processor time to spend.

Who asks is said by whoever answers a visitor (`asking`); where nobody says so, as in a worker or on the command line, nothing
is counted and all stand in one line.
"""

import threading
import time
from collections import Counter, deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field

from clinamen.core.errors import BadArt, Busy

LONGEST_WAIT = 60.0  # s for a reader
A_REQUEST = 120.0  # s of processor time that reading may take for one request
AN_ACCOUNT, WITHIN = 300.0, 600.0  # s of processor time for one account within so many seconds by the clock
REMEMBERED = 1000  # accounts


@dataclass
class Asker:
    """Who asks for files to be read: `named` gives the account, asked for only when a file is read; `spent` in seconds of
    processor time, by this request."""

    named: Callable[[], str]
    spent: float = 0.0


_asker: ContextVar[Asker | None] = ContextVar("asker", default=None)
_spent: dict[str, deque[tuple[float, float]]] = {}
_lock = threading.Lock()


@contextmanager
def asking(named: Callable[[], str]) -> Iterator[None]:
    """What is read meanwhile is read for this account."""
    token = _asker.set(Asker(named))
    try:
        yield
    finally:
        _asker.reset(token)


def account() -> str:
    """The account that asks; "" where nobody said so."""
    asker = _asker.get()
    return asker.named() if asker is not None else ""


def spend(seconds: float) -> None:
    """Count processor time that reading for the account took."""
    asker = _asker.get()
    if asker is None:
        return
    asker.spent += seconds
    with _lock:
        if len(_spent) > REMEMBERED:
            _spent.clear()
        _spent.setdefault(asker.named(), deque()).append((time.monotonic(), seconds))


def check_budget(name: str) -> None:
    """BadArt or Busy where the request or the account has no processor time left to read the file called `name`."""
    asker = _asker.get()
    if asker is None:
        return
    if asker.spent > A_REQUEST:
        raise BadArt(
            f"{name}: was not read, the files before it took {A_REQUEST:g} s; bring it in by itself, or simplify them"
        )
    with _lock:
        spent = _spent.get(asker.named(), deque())
        while spent and spent[0][0] < time.monotonic() - WITHIN:
            spent.popleft()
        if sum(seconds for _, seconds in spent) > AN_ACCOUNT:
            left = max(1, round((spent[0][0] + WITHIN - time.monotonic()) / 60))
            raise Busy(f"{name}: was not read, your files have taken {AN_ACCOUNT / 60:g} minutes to read in the last "
                       f"{WITHIN / 60:g}; try again in about {left} min, or simplify them")  # fmt: skip


@dataclass(eq=False)
class _Waiting:
    account: str
    slow: bool


@dataclass
class ReaderTurns:
    """ReaderTurns at so many readers; all but one of them may be held by `slow` files."""

    readers: int
    slow: int = 0
    waiting: list[_Waiting] = field(default_factory=list)
    held: Counter[str] = field(default_factory=Counter)
    served: dict[str, int] = field(default_factory=dict)
    changed: threading.Condition = field(default_factory=threading.Condition)

    @contextmanager
    def turn(self, slow: bool, name: str) -> Iterator[None]:
        """A reader's turn; Busy where none came in time. `slow`: the file may take long."""
        mine = _Waiting(account(), slow)
        with self.changed:
            self.waiting.append(mine)
            came = self.changed.wait_for(lambda: self._next() is mine, LONGEST_WAIT)
            self.waiting.remove(mine)
            if came:
                self._take(mine, 1)
            self.changed.notify_all()  # there may be a reader for the one after it too
        if not came:
            raise Busy(f"{name}: was not read within {LONGEST_WAIT:g} s, so many others are; try again in a moment")
        try:
            yield
        finally:
            with self.changed:
                self._take(mine, -1)
                self.changed.notify_all()

    def _take(self, which: _Waiting, count: int) -> None:
        self.held[which.account] += count
        self.slow += count if which.slow else 0
        if count > 0:
            if len(self.served) > REMEMBERED:
                self.served.clear()
            self.served[which.account] = max(self.served.values(), default=0) + 1
        elif not self.held[which.account]:
            del self.held[which.account]

    def _next(self) -> _Waiting | None:
        """Who is next: of the account that holds the fewest readers, of those alike the one that was served longest ago."""
        if self.held.total() >= self.readers:
            return None
        room_for_slow = self.slow < max(1, self.readers - 1)
        able = [each for each in self.waiting if room_for_slow or not each.slow]
        return min(able, key=lambda each: (self.held[each.account], self.served.get(each.account, 0)), default=None)
