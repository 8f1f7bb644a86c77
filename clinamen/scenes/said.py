"""A fault that the core can say in a sentence is told as one, wherever it comes from: as a toast within a page, as a page with
the ways out where a room cannot be drawn or a form was not taken, as plain text instead of a picture."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from clinamen.core.boundary import without_nul, worded
from clinamen.core.errors import ClinamenError
from clinamen.scenes.access import scene_of
from clinamen.scenes.answers import refused_edit


class SaidFaults:
    """Middleware: answers for a view that ended with one of the core's own exceptions."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(self, request: HttpRequest, *_: object) -> HttpResponse | None:
        """Text with a NUL in it is refused before anybody tries to keep it."""
        try:
            for sent in (request.GET, request.POST):
                for name, values in sent.lists():
                    for value in values:
                        without_nul(name, value)
        except ClinamenError as error:
            return self._said(request, error, 422)
        return None

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        told = worded(exception)
        return None if told is None else self._said(request, told, 409)

    def _said(self, request: HttpRequest, exception: ClinamenError, status: int) -> HttpResponse:
        if request.htmx:  # type: ignore[attr-defined]
            return refused_edit(request, exception)
        where = request.resolver_match
        if where is not None and where.url_name == "scene-room":
            scene = scene_of(request, where.kwargs["pk"], changes=False)
            room = where.kwargs["room"]
            return render(
                request, "scenes/stuck.html", {"scene": scene, "room": room, "says": str(exception)}, status=status
            )
        if "text/html" in request.headers.get("Accept", ""):
            return render(request, "scenes/not_taken.html", {"says": str(exception)}, status=status)
        return HttpResponse(str(exception), content_type="text/plain; charset=utf-8", status=status)
