"""How much an account may have: bytes of files, scenes, jobs that wait or run. A scene's owner pays, whoever brings in."""

from dataclasses import dataclass
from typing import Any

from django.conf import settings
from django.db.models import Sum

from clinamen.art.models import Picture
from clinamen.core.errors import BadEdit
from clinamen.scenes.models import RUNNING, Preparation, Scene, Source


@dataclass(frozen=True)
class Used:
    """What an account has."""

    scenes: int
    bytes: int


def used(owner: Any) -> Used:
    """What an account has: its scenes with those in the bin, and the files behind them, each counted once."""
    scenes = Scene.every.filter(owner=owner)
    pictures = Picture.objects.filter(pk__in=Picture.objects.filter(uses__scene__in=scenes).values("pk"))
    sources = Source.objects.filter(scene__in=scenes)
    total = sum(rows.aggregate(all=Sum("size"))["all"] or 0 for rows in (pictures, sources))
    return Used(scenes.count(), total)


def room_for(owner: Any, bytes_more: int = 0, scenes_more: int = 0) -> None:
    """BadEdit where an account has no room for so much more."""
    has, most = used(owner), settings.QUOTA_GIGABYTES * 1e9
    if bytes_more and has.bytes + bytes_more > most:
        left = max(0.0, most - has.bytes) / 1e6
        raise BadEdit(
            f"files: {bytes_more / 1e6:.1f} MB do not fit: {owner.username} has {left:.1f} MB left of "
            f"{settings.QUOTA_GIGABYTES:g} GB; delete scenes that nobody needs, or ask who runs this server for more"
        )
    if scenes_more and has.scenes + scenes_more > settings.QUOTA_SCENES:
        raise BadEdit(
            f"Scenes: {owner.username} has {has.scenes} of {settings.QUOTA_SCENES}, those in the bin with them; delete some first"
        )


def room_for_a_job(owner: Any, running: int) -> None:
    """BadEdit where so many jobs of an account wait or run already."""
    running += Preparation.objects.filter(scene__owner=owner, status__in=RUNNING).count()
    if running >= settings.QUOTA_JOBS:
        raise BadEdit(
            f"{running} jobs of {owner.username} wait or run already; wait until some are done, or cancel one"
        )
