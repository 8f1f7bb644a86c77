"""`manage.py check_store`: read every file that a scene needs and compare it with what was brought in. Status 1 where one
is lost.

What was lost is healed by bringing the same file in again, in any scene that uses it.
"""

import hashlib
import sys
from collections.abc import Iterator
from typing import Any

from django.core.management.base import BaseCommand

from clinamen.art.models import Picture
from clinamen.art.store import Lost, read, read_original
from clinamen.scenes.models import SceneArt, SceneFont, Source


class Command(BaseCommand):
    help = "Read every file that a scene needs and say which are lost or damaged."

    def handle(self, *args: Any, **options: Any) -> None:
        told = list(problems())
        for line in told:
            self.stdout.write(line)
        if told:
            self.stdout.write(f"{len(told)} lost or damaged; bring the same files in again")
            sys.exit(1)
        self.stdout.write("All files are there and whole")


def problems() -> Iterator[str]:
    """A line for each file that is lost or damaged, with a scene that needs it."""
    for picture in Picture.objects.order_by("pk").iterator():
        try:
            read(picture)
        except Lost:
            use = SceneArt.objects.select_related("scene").filter(picture=picture).first()
            yield _line(picture.name, f"{use.scene.title}: {use.file}" if use else "")
    for font in SceneFont.objects.select_related("scene").order_by("sha256").distinct("sha256"):
        yield from _original(font.sha256, f"{font.scene.title}: {font.file}")
    for source in Source.objects.select_related("scene").order_by("sha256").distinct("sha256"):
        yield from _original(source.sha256, f"{source.scene.title}: {source.name}")


def _original(sha256: str, needed_by: str) -> Iterator[str]:
    data = read_original(sha256)
    if data is None or hashlib.sha256(data).hexdigest() != sha256:
        yield _line(f"originals/{sha256}", needed_by)


def _line(name: str, needed_by: str) -> str:
    return f"{name} is lost or damaged" + (f"; needed by {needed_by}" if needed_by else "; no scene needs it")
