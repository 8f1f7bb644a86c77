"""What every page's frame shows."""

from django.conf import settings
from django.http import HttpRequest

from clinamen.accounts.loopback import on_loopback


def frame(request: HttpRequest) -> dict[str, object]:
    """`demo`: whether the one-click demo sign-in is offered."""
    return {"demo": settings.DEMO and on_loopback(request)}
