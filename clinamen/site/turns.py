"""So many requests at a time: a process that works on all that come at once serves none of them soon.

Who asks for a verdict mostly waits for a prover, and has turns apart, so that nobody's edit stands behind that. A line that only
waits for word (`scene-line`) gives its turn back when it stands: what follows is waiting.
"""

import threading
from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponseBase

_turns = threading.BoundedSemaphore(max(1, settings.AT_ONCE))
_patient = threading.BoundedSemaphore(max(1, 2 * settings.AT_ONCE))


class Turns:
    """Middleware: waits for a turn."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        with _patient if "verdict" in request.GET or request.path.endswith("/fixes/") else _turns:
            return self.get_response(request)
