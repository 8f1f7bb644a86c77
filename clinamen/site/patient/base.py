"""Django's PostgreSQL, its connections given up on when an answer takes longer than `settings.PATIENCE` seconds (0: never).

The server's own limits (statement_timeout, lock_timeout) say nothing while the server itself stands still.
"""

import select
from collections.abc import Generator
from typing import Any

import psycopg
from django.conf import settings
from django.db import OperationalError
from django.db.backends.postgresql import base
from psycopg.errors import ConnectionTimeout, _WaitTimeout

from clinamen.shared import hearing

SLOW = "the database does not answer"


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
            raise OperationalError(SLOW)
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
            raise OperationalError(SLOW)
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
            try:
                with hearing.asked():
                    return usual(gen, interval=interval, timeout=timeout or settings.PATIENCE)
            except _WaitTimeout as error:
                self.gave_up = True
                hearing.gave_up()
                connection.pgconn.finish()  # what comes of it later is nobody's answer
                raise psycopg.OperationalError(SLOW) from error

        return wait
