"""Django's PostgreSQL, its connections given up on when an answer takes longer than `settings.PATIENCE` seconds (0: never).

The server's own limits (statement_timeout, lock_timeout) say nothing while the server itself stands still.
"""

import select
import time
from collections.abc import Generator
from typing import Any

import psycopg
from django.conf import settings
from django.db import OperationalError
from django.db.backends.postgresql import base
from psycopg.conninfo import make_conninfo
from psycopg.errors import ConnectionTimeout, _WaitTimeout
from psycopg.pq import PollingStatus

from clinamen.shared import hearing

STILL = "the database does not answer"
SLOW = "the database answers, but was too slow for this"
SHORT = 0.5  # s that a database which answers at all takes for a new connection


class TooSlow(psycopg.OperationalError):
    """The database is there, and took longer for one question than anybody waits."""


def takes_connections(known: Any) -> bool:
    """Whether the server behind a connection takes another one within SHORT seconds: one that stands still takes none."""
    told = {
        "host": known.host, "port": known.port, "dbname": known.db, "user": known.user, "password": known.password,
    }  # fmt: skip
    dsn = make_conninfo(**{name: value.decode() for name, value in told.items() if value})
    tried, deadline = psycopg.pq.PGconn.connect_start(dsn.encode()), time.monotonic() + SHORT
    try:
        status = PollingStatus.WRITING
        while status in (PollingStatus.READING, PollingStatus.WRITING):
            lines = ([tried.socket], []) if status == PollingStatus.READING else ([], [tried.socket])
            if not any(select.select(*lines, [], max(0.0, deadline - time.monotonic()))):
                return False
            status = PollingStatus(tried.connect_poll())
        return status == PollingStatus.OK
    except (OSError, psycopg.Error):
        return False
    finally:
        tried.finish()


class DatabaseWrapper(base.DatabaseWrapper):
    """The same, with connections that lose patience."""

    gave_up = False

    def get_new_connection(self, conn_params: dict[str, Any]) -> Any:
        if not settings.PATIENCE:
            return super().get_new_connection(conn_params)
        try:
            with hearing.asked():
                connection: Any = super().get_new_connection(conn_params)
        except ConnectionTimeout:
            hearing.gave_up()
            raise
        self.gave_up = False
        connection.wait = self._patient(connection, connection.wait)
        return connection

    def cursor(self) -> Any:
        """A cursor, where the database is not known to stand still."""
        if hearing.stands_still():
            raise OperationalError(STILL)
        return super().cursor()

    def is_usable(self) -> bool:
        """As Django asks before a request. A line that is open and on which nothing came is taken to be well without a question:
        had the database gone, its end would have come. Where the database stands still a new connection would be waited for as
        long again."""
        if self._silent():
            return True
        usable = bool(super().is_usable())
        if not usable and self.gave_up:
            self.close()
            raise OperationalError(STILL)
        return usable

    def _silent(self) -> bool:
        line: Any = self.connection
        if line is None or line.closed:
            return False
        poll = select.poll()
        poll.register(line.fileno(), select.POLLIN)
        return not poll.poll(0)

    def _patient(self, connection: Any, usual: Any) -> Any:
        def wait(gen: Generator[Any, Any, Any], interval: float = 0.1, timeout: float | None = None) -> Any:
            with hearing.asked():
                try:
                    return usual(gen, interval=interval, timeout=timeout or settings.PATIENCE)
                except _WaitTimeout as error:
                    # where others were answered meanwhile, or a new line is taken up, it is this question that is slow
                    heard = hearing.silent_for() < 0.9 * settings.PATIENCE
                    there = heard or takes_connections(connection.pgconn)
                    connection.pgconn.finish()  # what comes of it later is nobody's answer
                    if there:
                        raise TooSlow(SLOW) from error
                    self.gave_up = True
                    hearing.gave_up()
                    raise psycopg.OperationalError(STILL) from error

        return wait
