"""How large a request may be: one that says that it is larger is refused before anything of it is read."""

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseBase


class Bodies:
    """Middleware: 413 for what is too large. A body of unknown length is not read at all."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        told = request.META.get("CONTENT_LENGTH") or "0"
        size = int(told) if told.isascii() and told.isdigit() else 0
        if size > settings.BODY_MEGABYTES * 1e6:
            most = f"at most {settings.BODY_MEGABYTES:g} MB are taken at once"
            says = f"What was sent is {size / 1e6:.0f} MB; {most}. Send it in parts"
            return HttpResponse(says, status=413, content_type="text/plain; charset=utf-8")
        return self.get_response(request)
