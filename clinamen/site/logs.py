"""Logs: a line of JSON for each thing said; what is said over and over is said once a minute, with how often."""

import logging
import threading
import time

from django.db import InterfaceError, OperationalError
from procrastinate.exceptions import ConnectorException

AGAIN = 60.0  # s until the same is said again


class NoTrail(logging.Filter):
    """A database that went away is a line, not a page: where the program was meanwhile says nothing."""

    def filter(self, record: logging.LogRecord) -> bool:
        error = record.exc_info[1] if record.exc_info else None
        if isinstance(error, OperationalError | InterfaceError | ConnectorException):
            record.cause = str(error.__cause__ or error).strip()[:300]
            record.exc_info = record.exc_text = None
        return True


class SaidOnce(logging.Filter):
    """Lets the same fault through once in a while: its place in the code, or its words where it has none."""

    def __init__(self, again: float = AGAIN) -> None:
        super().__init__()
        self.again = again
        self.said: dict[tuple[object, ...], tuple[float, int]] = {}
        self.lock = threading.Lock()

    def filter(self, record: logging.LogRecord) -> bool:
        if record.levelno < logging.WARNING:
            return True
        key, now = _key(record), time.monotonic()
        with self.lock:
            when, left_out = self.said.get(key, (-self.again, 0))
            if now - when < self.again:
                self.said[key] = when, left_out + 1
                return False
            if len(self.said) > 1000:
                self.said.clear()
            self.said[key] = now, 0
        if left_out:
            record.left_out = left_out
        return True


def _key(record: logging.LogRecord) -> tuple[object, ...]:
    error = record.exc_info[1] if record.exc_info else None
    if error is None:
        return record.name, record.msg
    trace = error.__traceback__
    while trace is not None and trace.tb_next is not None:
        trace = trace.tb_next
    place = (trace.tb_frame.f_code.co_filename, trace.tb_lineno) if trace else ()
    return record.name, type(error), place
