"""Ready: whether a visitor would be served now. Alive says only that the process answers."""

import os
import shutil
from collections.abc import Callable
from pathlib import Path

from django.conf import settings
from django.db import connection
from django.http import HttpRequest, HttpResponse, JsonResponse

from clinamen.art import files
from clinamen.art.files import write_file
from clinamen.scenes.workers import anybody_works

LEAST = 50_000_000  # bytes that must be free where files are kept


def alive(request: HttpRequest) -> HttpResponse:
    """The process answers."""
    return HttpResponse("alive")


def ready(request: HttpRequest) -> HttpResponse:
    """Database, store and worker, each "well" or what is wrong; 503 where one of them is not well."""
    told = {"database": _told(_database), "store": _told(_store)}
    told["worker"] = _told(_worker) if told["database"] == "well" else "not known without the database"
    return JsonResponse(told, status=200 if all(says == "well" for says in told.values()) else 503)


def _told(look: Callable[[], str]) -> str:
    try:
        return look()
    except Exception as error:  # whatever is wrong with it is what is asked for
        return f"does not answer ({type(error).__name__})"


def _database() -> str:
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
    return "well"


def _store() -> str:
    if files.folder() is None:
        files.write("ready", b"well")  # raises where the bucket does not answer
    place = Path(settings.VAR) / f"ready-{os.getpid()}"
    write_file(place, b"well")
    place.unlink()
    free = shutil.disk_usage(settings.VAR).free
    return "well" if free >= LEAST else f"has only {free / 1e6:.0f} MB left"


def _worker() -> str:
    return "well" if anybody_works() else "no worker is running"
