"""Is the visitor on this very machine?"""

from django.http import HttpRequest

PASSED_ON = ("HTTP_X_FORWARDED_FOR", "HTTP_FORWARDED", "HTTP_X_REAL_IP", "HTTP_X_FORWARDED_HOST", "HTTP_VIA")


def on_loopback(request: HttpRequest) -> bool:
    """True when the visitor's own address is loopback, and no proxy passed the request on."""
    address = request.META.get("REMOTE_ADDR", "")
    direct = not any(header in request.META for header in PASSED_ON)
    return direct and (address == "::1" or address.startswith("127."))
