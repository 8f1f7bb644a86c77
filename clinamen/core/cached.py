"""A property worked out once an object. Python 3.11's own holds one lock for all objects of a class while it works: one page's
threads would wait for another's."""

from collections.abc import Callable
from typing import Any, Generic, TypeVar, overload

Value = TypeVar("Value")


class cached_property(Generic[Value]):
    """As `functools.cached_property` of Python 3.12 and later: two threads that ask one object at once may both work it out."""

    def __init__(self, make: Callable[[Any], Value]) -> None:
        self.make, self.__doc__ = make, make.__doc__

    def __set_name__(self, owner: type[Any], name: str) -> None:
        self.name = name

    @overload
    def __get__(self, instance: None, owner: type[Any] | None = None) -> "cached_property[Value]": ...

    @overload
    def __get__(self, instance: object, owner: type[Any] | None = None) -> Value: ...

    def __get__(self, instance: object | None, owner: type[Any] | None = None) -> "cached_property[Value] | Value":
        if instance is None:
            return self
        value = instance.__dict__[self.name] = self.make(instance)
        return value
