"""Make: build an export of a revision and pack it; run by the worker."""

import io
import time
import zipfile
from collections.abc import Callable

from django.db import transaction
from django.utils import timezone

from clinamen.art import files
from clinamen.art.store import FULL
from clinamen.core import document
from clinamen.core.errors import BadEdit, ClinamenError
from clinamen.core.exchange.names import id_from_name
from clinamen.core.exports import EXPORTS, Told
from clinamen.core.exports.base import checked
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.exports.models import Export
from clinamen.scenes.models import Scene
from clinamen.scenes.shelf import pictures_of, shelf_of
from clinamen.scenes.workers import GONE

TOLD_EVERY = 0.3  # seconds between two looks at the row while the work goes on
NO_ROOM = "there is no space left where exports are kept; make room, then try again"
FAULT = "it failed by a fault of the program; try again"


def why(error: Exception) -> str:
    """What a row says of an error that has no words of its own."""
    return NO_ROOM if isinstance(error, OSError) and error.errno in FULL else FAULT


class CalledOff(ClinamenError):
    """The visitor called the export off."""


def make(export: Export) -> None:
    """Build, pack and keep an export; what goes wrong is said on its row."""
    started = Export.objects.filter(pk=export.pk, status__in=(Export.Status.WAITING, Export.Status.WORKING)).update(
        status=Export.Status.WORKING
    )
    if not started:
        return
    export.refresh_from_db()
    try:
        scene, kind = document.parse(export.revision.document), EXPORTS[export.kind]
        options = checked(kind.options, export.options)
        shelf = shelf_of(pictures_of(export.scene), scene)
        built = kind.build(scene, shelf, options, Told(_teller(export)), _more(export))
        stem = id_from_name(scene.title, ())
        if kind.single:
            ((name, data),) = built.items()
        else:
            data, name = zipped(built, f"{stem}-{export.kind}"), f"{stem}-{export.kind}.zip"
        export.file = f"exports/{export.pk}/{name}"
        files.write(export.file, data)
        export.size = len(data)
        export.contents = [[file, len(content)] for file, content in sorted(built.items())]
        export.budget = kind.budget(built)
        export.status = Export.Status.DONE
    except CalledOff:
        files.clear(export.folder)
        return
    except GONE:
        raise
    except ClinamenError as error:
        export.status, export.says = Export.Status.FAILED, str(error)[:500]
    except Exception as error:
        export.status, export.says = Export.Status.FAILED, why(error).capitalize()
        raise
    finally:
        if export.status != Export.Status.WORKING:
            _ended(export)


def again(export: Export, defer: Callable[[Export], object]) -> None:
    """Make an export once more that failed."""
    with transaction.atomic():
        failed = Export.objects.filter(pk=export.pk, status=Export.Status.FAILED)
        if failed.update(status=Export.Status.WAITING, says="", share=0.0, tries=0, finished=None):
            defer(export)


def _ended(export: Export) -> None:
    """Write how it ended, unless it was called off meanwhile; then nothing is left of it."""
    export.finished = timezone.now()
    told = {f: getattr(export, f) for f in ("status", "says", "file", "size", "contents", "budget", "finished")}
    if not Export.objects.filter(pk=export.pk, status=Export.Status.WORKING).update(**told, share=1.0):
        files.clear(export.folder)


def _more(export: Export) -> list[tuple[document.Scene, ArtShelf]]:
    """The scenes that follow, as they were when the export was asked for; as they are now where that is not kept any more."""
    found = []
    for scene_pk, revision_pk in export.more:
        scene = Scene.objects.select_related("head").filter(pk=scene_pk, owner=export.scene.owner).first()
        if scene is None or scene.head is None:
            raise BadEdit("A scene that should follow on the page was deleted; choose again what follows")
        revision = scene.revisions.filter(pk=revision_pk).first() or scene.head
        made = document.parse(revision.document)
        found.append((made, shelf_of(pictures_of(scene), made)))
    return found


def _teller(export: Export):  # type: ignore[no-untyped-def]
    """Writes the share done and the file it is at to the row now and then, and stops the work when it was called off."""
    told = time.monotonic()

    def tell(share: float, file: str) -> None:
        nonlocal told
        if time.monotonic() - told < TOLD_EVERY:
            return
        told = time.monotonic()
        row = Export.objects.filter(pk=export.pk, status=Export.Status.WORKING)
        if not row.update(share=share, says=file[:500]):
            raise CalledOff("called off")

    return tell


def zipped(files: dict[str, bytes], folder: str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in sorted(files.items()):
            stored = name.endswith((".png", ".webp", ".avif", ".mov", ".webm", ".mkv", ".pdf"))
            archive.writestr(f"{folder}/{name}", data, zipfile.ZIP_STORED if stored else zipfile.ZIP_DEFLATED)
    return out.getvalue()
