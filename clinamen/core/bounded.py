"""A memory of bounded size: values by key, the least recently used dropped first, each worked out by one thread only.

Who asks for a value that another thread is making waits for it. What failed is not remembered: each who waited tries for
himself.
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Event, Lock
from typing import Generic, TypeVar, cast

Value = TypeVar("Value")
_NOTHING = object()


class Bounded(Generic[Value]):
    """Values by key, the least recently used dropped when their sizes add up to more than `limit` bytes."""

    def __init__(self, limit: int, size: Callable[[Value], int]) -> None:
        self.limit, self.size, self.held = limit, size, 0
        self.values: OrderedDict[Hashable, Value] = OrderedDict()
        self.making: dict[Hashable, Event] = {}
        self.lock = Lock()

    def __contains__(self, key: Hashable) -> bool:
        with self.lock:
            return key in self.values

    def get(self, key: Hashable, make: Callable[[], Value]) -> Value:
        """The value for `key`, made if it is not held. `make` must not ask for the same key."""
        while True:
            with self.lock:
                held = self.values.get(key, _NOTHING)
                if held is not _NOTHING:
                    self.values.move_to_end(key)
                    return cast("Value", held)
                being_made = self.making.get(key)
                if being_made is None:
                    done = self.making[key] = Event()
                    break
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
            self.values[key] = value
            while self.held > self.limit and len(self.values) > 1:
                self.held -= self.size(self.values.popitem(last=False)[1])

    def clear(self) -> None:
        """Forget everything."""
        with self.lock:
            self.values.clear()
            self.held = 0
