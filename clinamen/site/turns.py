"""So many requests at a time: a process that works on all that come at once serves none of them soon.

The interpreter runs one thread at a time, so answers of a scene's rooms, which are short and mostly work, are made one after the
other: half of them are there in half the time that all of them take. What may take long, waits for a prover or draws pictures has
turns apart, so that nobody's edit stands behind that. Who has waited for a while goes on without a turn: behind a request that
hangs nobody hangs for long. A turn begins where the view does, when the request has been read, and ends with the answer. Who asks
whether the process lives, and a line that waits for word of others, needs none.
"""

import threading
from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponseBase

FREE = ("alive", "ready", "scene-line")
SHORT = ("scene-desk", "scene-edit", "scene-room", "scene-history", "scene-preparing")
PATIENT, MORE_PATIENT = 0.8, 5.0  # seconds that a short and a long request wait for their turn

_short = threading.Semaphore(1)
_long = threading.Semaphore(max(1, settings.AT_ONCE))


class Turns:
    """Middleware: waits for a turn."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response
        self.turns: dict[int, threading.Semaphore] = {}

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        try:
            return self.get_response(request)
        finally:
            turn = self.turns.pop(id(request), None)
            if turn is not None:
                turn.release()

    def process_view(self, request: HttpRequest, *_: object) -> None:
        """Wait for a turn."""
        name = request.resolver_match.url_name if request.resolver_match else None
        if name in FREE:
            return
        short = name in SHORT and "verdict" not in request.GET
        turns = _short if short else _long
        if turns.acquire(timeout=PATIENT if short else MORE_PATIENT):
            self.turns[id(request)] = turns
