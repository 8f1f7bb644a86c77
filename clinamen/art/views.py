"""Art for the screen: reduced pictures, only for somebody whose scene uses them."""

from django.apps import apps
from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest
from django.shortcuts import get_object_or_404
from django.views.decorators.cache import cache_control

from clinamen.art.models import Picture
from clinamen.art.store import reduced

SIZES = (160, 1600)


@login_required
@cache_control(private=True, max_age=31536000, immutable=True)
def reduced_picture(request: HttpRequest, sha256: str, longest: int, mirrored: str = "") -> FileResponse:
    """A reduced picture; 404 for one that no scene of the visitor's uses."""
    uses = apps.get_model("scenes", "SceneArt").objects.filter(scene__owner=request.user, picture__sha256=sha256)
    if longest not in SIZES or mirrored not in ("", "x", "y", "xy") or not uses.exists():
        raise Http404
    picture = get_object_or_404(Picture, sha256=sha256)
    return FileResponse(reduced(picture, longest, mirrored).open("rb"), content_type="image/webp")
