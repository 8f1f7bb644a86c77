"""A memory of bounded size: values by key, the least recently used dropped first."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

Value = TypeVar("Value")


class Bounded(Generic[Value]):
    """Values by key, the least recently used dropped when their sizes add up to more than `limit` bytes."""

    def __init__(self, limit: int, size: Callable[[Value], int]) -> None:
        self.limit, self.size, self.held = limit, size, 0
        self.values: OrderedDict[Hashable, Value] = OrderedDict()
        self.lock = Lock()

    def __contains__(self, key: Hashable) -> bool:
        with self.lock:
            return key in self.values

    def get(self, key: Hashable, make: Callable[[], Value]) -> Value:
        """The value for `key`, made if it is not held."""
        with self.lock:
            if key in self.values:
                self.values.move_to_end(key)
                return self.values[key]
        value = make()
        with self.lock:
            if key not in self.values:
                self.held += self.size(value)
            self.values[key] = value
            while self.held > self.limit and len(self.values) > 1:
                self.held -= self.size(self.values.popitem(last=False)[1])
        return value
