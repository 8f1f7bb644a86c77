"""Word of what changed, carried by PostgreSQL's LISTEN and NOTIFY to every process, and from there to the pages that wait for it.

A word is told within a transaction and heard when that is committed. A process listens on one connection of its own from when
somebody waits on; who listens again after the database was gone is told "again", since something may have been missed.
"""

import json
import logging
import queue
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import Any

import psycopg
from django.db import connection

CHANNEL = "clinamen_scene"
LONGEST = 4.0  # s between two tries to listen again
KEPT = 200  # words that wait for a page that does not take them
log = logging.getLogger("clinamen.live")

Words = queue.Queue[dict[str, Any]]


def tell(about: object, kind: str, **more: Any) -> None:
    """Tell all who wait for word about a thing (its primary key) what happened; at most 8000 bytes."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, json.dumps({"about": str(about), "kind": kind, **more})])


class _Ear:
    """This process's one connection that listens, and who waits for what it hears."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.waiting: dict[str, set[Words]] = {}
        self.thread: threading.Thread | None = None
        self.ends = threading.Event()
        self.hears = threading.Event()

    def add(self, about: str, words: Words) -> None:
        with self.lock:
            self.waiting.setdefault(about, set()).add(words)
            if self.thread is None or not self.thread.is_alive():
                self.ends.clear()
                self.thread = threading.Thread(
                    target=self._listen, args=(connection.get_connection_params(),), daemon=True
                )
                self.thread.start()

    def remove(self, about: str, words: Words) -> None:
        with self.lock:
            self.waiting.get(about, set()).discard(words)
            if not self.waiting.get(about):
                self.waiting.pop(about, None)

    def _listen(self, told: dict[str, Any]) -> None:
        rest = 0.0
        told = {name: value for name, value in told.items() if name != "cursor_factory"}
        while not self.ends.is_set():
            try:
                with psycopg.connect(**told, autocommit=True) as line:
                    line.execute(f"LISTEN {CHANNEL}")
                    if rest:
                        self._give_all({"kind": "again"})
                    rest = 0.0
                    self.hears.set()
                    while not self.ends.is_set():
                        for word in line.notifies(timeout=1.0):
                            self._give(word.payload)
            except psycopg.Error as error:
                self.hears.clear()
                rest = min(LONGEST, 2 * rest + 0.5)
                log.warning("Nobody tells what changes; listening again", extra={"cause": str(error)[:300]})
                time.sleep(rest)
        self.hears.clear()

    def _give(self, payload: str) -> None:
        word = json.loads(payload)
        with self.lock:
            for words in self.waiting.get(word.pop("about", ""), ()):
                _put(words, word)

    def _give_all(self, word: dict[str, Any]) -> None:
        with self.lock:
            for each in self.waiting.values():
                for words in each:
                    _put(words, word)


def _put(words: Words, word: dict[str, Any]) -> None:
    with suppress(queue.Full):
        words.put_nowait(word)


_ear = _Ear()


@contextmanager
def waiting(about: object) -> Iterator[Words]:
    """The words told about a thing from now on."""
    words: Words = queue.Queue(KEPT)
    _ear.add(str(about), words)
    _ear.hears.wait(5.0)
    try:
        yield words
    finally:
        _ear.remove(str(about), words)


def stop() -> None:
    """Listen no more; until somebody waits again."""
    thread = _ear.thread
    _ear.ends.set()
    if thread is not None:
        thread.join(timeout=10)
