"""What went wrong around the application, in words: the database, the disk, or the program itself; and what is safe.

Nothing here asks the database or the session, so that it is said at once. What was sent can be sent again.
"""

import sys
from dataclasses import dataclass

from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from django.template.loader import render_to_string

from clinamen.art.files import StoreAway
from clinamen.art.store import FULL
from clinamen.site.patient.base import TooSlow

SAFE = "All that was saved is safe; what you did last is not saved yet."
BUSY, STOPPED, DISK = "57014", "55P03", "53100"  # SQLSTATE: query cancelled, lock not available, disk full


@dataclass(frozen=True)
class Cause:
    """What a visitor is told: a title, a sentence, the status of the answer."""

    title: str
    says: str
    status: int = 503


def cause_of(error: BaseException | None) -> Cause:
    """The cause of an exception that nobody else had words for."""
    seen: BaseException | None = error
    while seen is not None:
        if isinstance(seen, OSError) and seen.errno in FULL:
            return Cause("The disk is full", f"There is no space left where Clinamen keeps its files. {SAFE}", 507)
        if isinstance(seen, StoreAway):
            return Cause("The store of files does not answer", f"It is stopped, or the way to it is. {SAFE}")
        if isinstance(seen, OperationalError | InterfaceError):
            return _database(seen)
        seen = seen.__cause__ or seen.__context__
    return Cause(
        "Something went wrong",
        f"This is a fault of the program, not of your work. {SAFE} Try it again, or go back and do it another way.",
        500,
    )


def _database(error: BaseException) -> Cause:
    if isinstance(error.__cause__, TooSlow):
        return Cause("That took too long", f"The database answers, but was too slow for this. {SAFE}")
    code = getattr(error.__cause__, "sqlstate", None)
    if code == DISK:
        return Cause("The disk is full", f"There is no space left where the database keeps its files. {SAFE}", 507)
    if code == BUSY:
        return Cause("That took too long", f"The database is busy and did not get to this within its time. {SAFE}")
    if code == STOPPED:
        return Cause("Somebody else is at it", f"Another change of the same thing is still under way. {SAFE}")
    return Cause("The database does not answer", f"It is stopped, starts again, or stands still. {SAFE}")


def fault(request: HttpRequest) -> HttpResponse:
    """The answer where a view ended with an exception; Django calls it while that is being handled."""
    cause = cause_of(sys.exc_info()[1])
    if request.headers.get("HX-Request"):
        return HttpResponse(f"{cause.title}. {cause.says}", status=cause.status, content_type="text/plain")
    told = {"cause": cause, "again": _again(request), "path": request.get_full_path()}
    return HttpResponse(render_to_string("fault.html", told), status=cause.status)


def _again(request: HttpRequest) -> dict[str, list[str]] | None:
    """What a form sent, to be sent again; None where files or a password were with it, which are not put into a page."""
    if request.method != "POST":
        return {}
    try:
        sent, files = request.POST, request.FILES
    except Exception:  # what cannot be read cannot be sent again
        return None
    if files or any("password" in name for name in sent):
        return None
    return {**{name: sent.getlist(name) for name in sent}, "csrfmiddlewaretoken": [get_token(request)]}
