"""Whose files a request has read: an account's, or of who came by a link those of his address."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponseBase

from clinamen.core.pictures.turns import asking


class Asking:
    """Middleware: says for whom files are read meanwhile."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        with asking(lambda: self._account(request)):
            return self.get_response(request)

    def _account(self, request: HttpRequest) -> str:
        return f"account {request.user.pk}" if request.user.is_authenticated else f"at {request.META['REMOTE_ADDR']}"
