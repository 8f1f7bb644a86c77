"""Is the visitor on this very machine?"""

from django.http import HttpRequest


def on_loopback(request: HttpRequest) -> bool:
    """True when the visitor's own address is loopback, and no proxy passed the request on."""
    address = request.META.get("REMOTE_ADDR", "")
    return "HTTP_X_FORWARDED_FOR" not in request.META and (address == "::1" or address.startswith("127."))
