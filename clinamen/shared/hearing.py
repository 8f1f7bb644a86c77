"""Whether the database answers at all, as far as this process has heard: one that stands still tells nobody so.

Who has waited for its patience to end says it here, and for a moment after that nobody else begins to wait: what he would find
out by waiting as long again is known.
"""

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

MOMENT = 1.0  # s: enough to tell all who stand in line


class _Heard:
    """What this process has heard."""

    def __init__(self) -> None:
        self.waiting: set[int] = set()  # threads that have asked
        self.since = self.until = 0.0  # when the last answer came; until when it is known to stand still


_heard = _Heard()


@contextmanager
def asked() -> Iterator[None]:
    """While this thread waits for an answer."""
    if not _heard.waiting:
        _heard.since = time.monotonic()
    _heard.waiting.add(threading.get_ident())
    try:
        yield
        _heard.since = time.monotonic()
    finally:
        _heard.waiting.discard(threading.get_ident())


def silent_for() -> float:
    """Seconds that somebody has waited while no answer came to anybody."""
    return time.monotonic() - _heard.since if _heard.waiting else 0.0


def gave_up() -> None:
    """Somebody's patience has ended."""
    _heard.until = time.monotonic() + MOMENT


def stands_still() -> bool:
    """True where that was just now."""
    return time.monotonic() < _heard.until
