"""A memory shared by processes and machines: one's own memory before a table of the database that all of them reach.

A process that is alone (`settings.SHARES` is off) keeps to its own. What is kept in the table is signed with the application's
key, since it is unpickled. A table that does not answer is no fault: the value is made here.
"""

import hashlib
import hmac
import logging
import pickle
import zlib
from collections.abc import Callable
from datetime import timedelta
from typing import Any, Generic, TypeVar

from django.conf import settings
from django.db import DatabaseError, transaction
from django.utils import timezone

from clinamen.core.bounded import Bounded
from clinamen.shared.models import Remembered

Value = TypeVar("Value")
KEPT = timedelta(hours=6)  # how long the table keeps what nobody made anew
SIGNED = 32  # bytes
log = logging.getLogger("clinamen.shared")


class Shared(Generic[Value]):
    """Values by key, of one kind. `most`: how many this process keeps itself."""

    def __init__(self, kind: str, most: int) -> None:
        self.kind = kind
        self.own: Bounded[Value] = Bounded(most, lambda value: 1)

    def __contains__(self, key: str) -> bool:
        return key in self.own or self.found(key) is not None

    def get(self, key: str, make: Callable[[], Value]) -> Value:
        """The value for `key`, made if nobody has it."""

        def fetched() -> Value:
            value = self._read(key)
            if value is None:
                value = make()
                self._write(key, "", value)
            return value

        return self.own.get(key, fetched)

    def found(self, key: str) -> Value | None:
        """The value for `key` where somebody has it."""
        if key in self.own:
            return self.own.get(key, lambda: self._read(key))  # type: ignore[arg-type, return-value]
        value = self._read(key)
        return None if value is None else self.own.get(key, lambda: value)

    def put(self, key: str, value: Value, group: str, rest: timedelta) -> None:
        """Keep a value; others of its group that are older than `rest` are forgotten."""
        self.own.get(key, lambda: value)
        self._write(key, group, value, rest)

    def _name(self, key: str) -> str:
        return f"{self.kind}/{key}"[:120]

    def clear(self) -> None:
        """Forget everything, here and for all."""
        self.own.clear()
        Remembered.objects.filter(key__startswith=f"{self.kind}/").delete()

    def _read(self, key: str) -> Value | None:
        if not settings.SHARES:
            return None
        try:
            with transaction.atomic():
                data = Remembered.objects.filter(pk=self._name(key)).values_list("data", flat=True).first()
        except DatabaseError:
            log.warning("What processes remember together could not be read", exc_info=True)
            return None
        value: Value | None = None if data is None else opened(self._name(key), bytes(data))
        return value

    def _write(self, key: str, group: str, value: Value, rest: timedelta | None = None) -> None:
        if not settings.SHARES:
            return
        name = self._name(key)
        row = Remembered(key=name, belongs=group, data=sealed(name, value), made=timezone.now())
        try:
            with transaction.atomic():
                if rest is not None:
                    Remembered.objects.filter(belongs=group, made__lt=timezone.now() - rest).delete()
                Remembered.objects.bulk_create([row], update_conflicts=True, unique_fields=["key"],
                                               update_fields=["belongs", "data", "made"])  # fmt: skip
        except DatabaseError:
            log.warning("What processes remember together could not be written", exc_info=True)


def forget() -> int:
    """Take out what was made long ago; how much that was."""
    return Remembered.objects.filter(made__lt=timezone.now() - KEPT).delete()[0]


def _signature(name: str, data: bytes) -> bytes:
    return hmac.new(settings.SECRET_KEY.encode(), name.encode() + b"\0" + data, hashlib.sha256).digest()


def sealed(name: str, value: object) -> bytes:
    """A value as bytes that only this application can have written, under a name."""
    data = zlib.compress(pickle.dumps(value, protocol=5), 1)
    return _signature(name, data) + data


def opened(name: str, data: bytes) -> Any:
    """What was sealed under a name; None where that was not written by this application, or by another version of it."""
    signature, data = data[:SIGNED], data[SIGNED:]
    if not hmac.compare_digest(signature, _signature(name, data)):
        return None
    try:
        return pickle.loads(zlib.decompress(data))
    except Exception:  # of another version of the program
        return None
