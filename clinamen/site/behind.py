"""Behind a reverse proxy the visitor's address is the one that the proxy saw: the last in the header that it writes."""

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponseBase


class Behind:
    """Middleware: takes the address from `X-Forwarded-For`, where it is said that a proxy stands before."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        told = request.META.get("HTTP_X_FORWARDED_FOR", "")
        if settings.PROXY and told:
            request.META["REMOTE_ADDR"] = told.rsplit(",", 1)[-1].strip()[:45]
        return self.get_response(request)
