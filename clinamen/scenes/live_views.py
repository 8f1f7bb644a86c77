"""What a page hears of others: a line of server-sent events (HTML Standard, section 9.2), and who else is there."""

import json
import queue
import threading
import time
from collections.abc import Iterator
from typing import Any

from django.conf import settings
from django.db import connection
from django.http import HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from clinamen.scenes import presence
from clinamen.scenes.access import scene_of, visitor
from clinamen.scenes.documents import document_of
from clinamen.scenes.models import Scene
from clinamen.scenes.rooms import ROOMS
from clinamen.shared import live

LONGEST = 600.0  # s: then the page opens another line, asked anew whether it may

_open = threading.BoundedSemaphore(max(1, settings.LINES))


@visitor
@require_GET
def line(request: HttpRequest, pk: Any) -> HttpResponseBase:
    """Events for one page: "changed", "present", "comments", "again". 503 where this process holds as many lines as it can."""
    scene, page = scene_of(request, pk), request.GET.get("page", "")[:40]
    if not settings.LIVE or not page:
        return HttpResponse(status=204)
    if not _open.acquire(blocking=False):
        return HttpResponse("Too many pages are open", status=503, headers={"Retry-After": "5"})
    room = request.GET.get("room", "")
    presence.came(scene, page, request, room if room in ROOMS else "", request.GET.get("layer", "")[:80])
    answer = StreamingHttpResponse(_events(scene, page), content_type="text/event-stream")
    answer["Cache-Control"], answer["X-Accel-Buffering"] = "no-store", "no"
    return answer


def _events(scene: Scene, page: str) -> Iterator[bytes]:
    begun = beat = time.monotonic()
    try:
        with live.waiting(scene.pk) as words:
            connection.close()  # a line that waits needs none
            yield b"retry: 2000\n\n"
            while time.monotonic() - begun < LONGEST:
                try:
                    word = words.get(timeout=2.0)
                    yield f"event: {word['kind']}\ndata: {json.dumps(word)}\n\n".encode()
                except queue.Empty:
                    yield b":\n\n"  # found out thus: a page that has gone
                if time.monotonic() - beat > presence.BEAT:
                    beat = time.monotonic()
                    presence.lives(page)
                    connection.close()
    finally:
        _open.release()
        presence.left(scene.pk, page)
        connection.close()


@visitor
@require_GET
def present(request: HttpRequest, pk: Any) -> HttpResponse:
    """Who else has the scene open."""
    scene = scene_of(request, pk)
    assert scene.head is not None
    found = presence.others(scene, request.GET.get("page", ""), document_of(scene.head))
    return render(request, "scenes/present.html", {"others": found})
