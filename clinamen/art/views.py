"""Art for the screen: reduced pictures, only for somebody whose scene uses them."""

from django.apps import apps
from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.cache import cache_control

from clinamen.art.models import Picture
from clinamen.art.store import read, reduced
from clinamen.core.artwork import MEDIA_TYPES, VECTOR

SIZES = (160, 1600)


@login_required
@cache_control(private=True, max_age=31536000, immutable=True)
def reduced_picture(request: HttpRequest, sha256: str, longest: int, mirrored: str = "") -> FileResponse:
    """A reduced picture; 404 for one that no scene of the visitor's uses."""
    if longest not in SIZES or mirrored not in ("", "x", "y", "xy"):
        raise Http404
    picture = _used_picture(request, sha256)
    return FileResponse(reduced(picture, longest, mirrored).open("rb"), content_type="image/webp")


@login_required
@cache_control(private=True, max_age=31536000, immutable=True)
def vector_picture(request: HttpRequest, sha256: str) -> HttpResponse:
    """A vector picture as it is, for an image element: sharp at every size. It was checked when it came in, and may
    still run and load nothing."""
    picture = _used_picture(request, sha256)
    if picture.format != VECTOR:
        raise Http404
    answer = HttpResponse(read(picture), content_type=MEDIA_TYPES[VECTOR])
    answer["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox"
    return answer


def _used_picture(request: HttpRequest, sha256: str) -> Picture:
    uses = apps.get_model("scenes", "SceneArt").objects.filter(scene__owner=request.user, picture__sha256=sha256)
    if not uses.exists():
        raise Http404
    return get_object_or_404(Picture, sha256=sha256)
