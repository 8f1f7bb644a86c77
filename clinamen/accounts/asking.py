"""The account for which a request has files read; the address of somebody who came by a link."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponseBase

from clinamen.core.pictures.reader_turns import asking


class Asking:
    """Middleware: names the account for which files are read while a request is answered."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        with asking(lambda: self._account(request)):
            return self.get_response(request)

    def _account(self, request: HttpRequest) -> str:
        return f"account {request.user.pk}" if request.user.is_authenticated else f"at {request.META['REMOTE_ADDR']}"
