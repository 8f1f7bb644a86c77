"""A memory of bounded size: values by key, those not used lately dropped first, each worked out by one thread only.

Who asks for a value that another thread is making waits for it. What failed is not remembered: each who waited tries for
himself. Who finds a value takes no lock, only leaves a mark that it was used: an answer finds hundreds, and threads that
hand one lock round spend their time on that. What is oldest is dropped when room is wanted, unless it was marked since it last
stood in line (the clock of Corbató, 1968): then it stands behind the others again, its mark gone.
"""

from collections.abc import Callable, Hashable
from contextlib import AbstractContextManager, nullcontext
from threading import Event, Lock
from typing import Generic, TypeVar

Value = TypeVar("Value")


class _Kept(Generic[Value]):
    """A value, and whether it was used since it last stood in line."""

    __slots__ = ("used", "value")

    def __init__(self, value: Value) -> None:
        self.value, self.used = value, False


class Bounded(Generic[Value]):
    """Values by key, those not used lately dropped when the sizes of all add up to more than `limit` bytes."""

    def __init__(self, limit: int, size: Callable[[Value], int]) -> None:
        self.limit, self.size, self.held = limit, size, 0
        self.values: dict[Hashable, _Kept[Value]] = {}
        self.making: dict[Hashable, Event] = {}
        self.lock = Lock()

    def __contains__(self, key: Hashable) -> bool:
        return key in self.values

    def get(
        self, key: Hashable, make: Callable[[], Value], waits: Callable[[], AbstractContextManager[None]] = nullcontext
    ) -> Value:
        """The value for `key`, made if it is not held. `make` must not ask for the same key. `waits` is entered while another
        thread makes it."""
        while True:
            kept = self.values.get(key)
            if kept is not None:
                kept.used = True
                return kept.value
            with self.lock:
                being_made = self.making.get(key)
                if being_made is None and key not in self.values:
                    done = self.making[key] = Event()
                    break
            if being_made is not None:
                with waits():
                    being_made.wait()
        try:
            value = make()
            self._keep(key, value)
            return value
        finally:
            with self.lock:
                del self.making[key]
            done.set()

    def _keep(self, key: Hashable, value: Value) -> None:
        with self.lock:
            self.held += self.size(value)
            self.values[key] = _Kept(value)
            while self.held > self.limit and len(self.values) > 1:
                oldest = next(iter(self.values))
                kept = self.values.pop(oldest)
                if kept.used or oldest == key:
                    kept.used = False
                    self.values[oldest] = kept
                else:
                    self.held -= self.size(kept.value)

    def clear(self) -> None:
        """Forget everything."""
        with self.lock:
            self.values.clear()
            self.held = 0
