"""So many requests at a time: a process that works on all that come at once serves none of them soon.

A line that only waits for word (`scene-line`) gives its turn back when it stands: what follows is waiting.
"""

import threading
from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponseBase

_turns = threading.BoundedSemaphore(max(1, settings.AT_ONCE))


class Turns:
    """Middleware: waits for a turn."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        with _turns:
            return self.get_response(request)
