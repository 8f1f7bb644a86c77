"""A memory shared by processes and machines: one's own memory before a table of the database that all of them reach.

A process that is alone (`settings.SHARES` is off) keeps to its own. What is kept in the table is signed with the application's
key, since it is unpickled. A table that does not answer is no fault: the value is made here.
"""

import hashlib
import hmac
import logging
import pickle
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import timedelta
from typing import Any, Generic, TypeVar

from django.conf import settings
from django.db import DatabaseError, connection
from django.utils import timezone

from clinamen.core.bounded import Bounded
from clinamen.shared.models import Remembered
from clinamen.shared.turns import resting

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

        return self.own.get(key, fetched, waits=resting)

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
        data = None
        with _harmless("read"):
            data = Remembered.objects.filter(pk=self._name(key)).values_list("data", flat=True).first()
        value: Value | None = None if data is None else opened(self._name(key), bytes(data))
        return value

    def _write(self, key: str, group: str, value: Value, rest: timedelta | None = None) -> None:
        if not settings.SHARES:
            return
        name = self._name(key)
        with _harmless("written"):
            _keep(name, group, sealed(name, value), rest)


@contextmanager
def _harmless(done: str) -> Iterator[None]:
    """A table that does not answer is no fault. Within somebody's transaction it is one, since that is lost too then; each
    question would else ask two more, to be on the safe side."""
    if connection.in_atomic_block:
        yield
        return
    try:
        yield
    except DatabaseError:
        log.warning("What processes remember together could not be %s", done, exc_info=True)


def _keep(name: str, group: str, data: bytes, rest: timedelta | None) -> None:
    """Write a row in the place of one of its name, and take out those of its group that rested: one question, and no transaction
    of its own, since every answer to a page ends with it."""
    table, now = Remembered._meta.db_table, timezone.now()
    gone = ""
    told: list[Any] = [name, group, data, now.isoformat()]
    if rest is not None:
        gone = f"WITH gone AS (DELETE FROM {table} WHERE belongs = %s AND made < %s AND key <> %s) "
        told = [group, (now - rest).isoformat(), name, *told]
    with connection.cursor() as cursor:
        cursor.execute(
            f"{gone}INSERT INTO {table} (key, belongs, data, made) VALUES (%s, %s, %s, %s) ON CONFLICT (key) DO UPDATE "
            "SET belongs = EXCLUDED.belongs, data = EXCLUDED.data, made = EXCLUDED.made",
            told,
        )


def forget() -> int:
    """Take out what was made long ago; how much that was."""
    return Remembered.objects.filter(made__lt=timezone.now() - KEPT).delete()[0]


def _signature(name: str, data: bytes) -> bytes:
    return hmac.new(settings.SECRET_KEY.encode(), name.encode() + b"\0" + data, hashlib.sha256).digest()


def sealed(name: str, value: object, level: int = 1) -> bytes:
    """A value as bytes that only this application can have written, under a name; compressed so much, 0 where it is already."""
    data = zlib.compress(pickle.dumps(value, protocol=5), level)
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
