"""Shoot: a film's ranges made by whichever workers have time, and put together by the one that is done last."""

import base64
import time
from collections.abc import Callable, Sequence
from contextlib import ExitStack
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
from django.db import transaction
from django.utils import timezone

from clinamen.art import files
from clinamen.art.store import fitted
from clinamen.core import document
from clinamen.core.arrays import Pixels
from clinamen.core.errors import ClinamenError
from clinamen.core.exchange.names import id_from_name
from clinamen.core.exports import EXPORTS
from clinamen.core.exports.base import checked
from clinamen.core.exports.film import film
from clinamen.core.film.film import Film
from clinamen.core.pictures.encoding import encode_jpeg
from clinamen.exports.actions.make import FAULT, CalledOff, why, zipped
from clinamen.exports.models import Export, Part
from clinamen.scenes.models import RUNNING, Scene
from clinamen.scenes.shelf import pictures_of, shelf_of
from clinamen.scenes.workers import GONE

TOLD_EVERY = 0.5  # seconds between two looks at the row while frames are drawn
NEWEST = 240  # px: longest side of the newest frame's picture
MOST_TRIES = 3

Defer = Callable[[Part], None]


def ask(scene: Scene, options: dict[str, Any], only_draft: bool, defer: Defer) -> Export:
    """A film asked for: its row, a part for the draft and one for each range, each with its job. BadEdit where there is no such
    film."""
    assert scene.head is not None
    kind = EXPORTS["film"]
    told = film(document.parse(scene.head.document), checked(kind.options, options))
    with transaction.atomic():
        export = Export.objects.create(scene=scene, revision=scene.head, kind=kind.id, options=options, says=told.says)
        ranges = [] if only_draft else told.ranges()
        parts = [Part(export=export, number=None, first=0, last=told.course.count)]
        parts += [Part(export=export, number=n, first=a, last=b) for n, (a, b) in enumerate(ranges)]
        for part in Part.objects.bulk_create(parts):
            defer(part)
    return export


def shoot(part: Part) -> None:
    """Make one part, and the film where it was the last; what goes wrong is said on its row and leaves the others alone."""
    export = part.export
    running = Export.objects.filter(pk=export.pk, status__in=RUNNING)
    if not running.update(status=Export.Status.WORKING):
        return
    Export.objects.filter(pk=export.pk, begun=None).update(begun=timezone.now())
    if part.status != Part.Status.DONE:
        if part.tries >= MOST_TRIES:  # whoever tried died of it
            _failed(part, "a worker died of it three times; film a smaller size")
        else:
            _make(part)
    finish(export)


def _make(part: Part) -> None:
    part.tries += 1
    part.status, part.done, part.says = Part.Status.WORKING, 0, ""
    part.save()
    try:
        told = _film(part.export)
        made = told.draft() if part.number is None else told
        part.file = (
            f"{part.export.folder}/{'draft' if part.number is None else f'part-{part.number:04d}'}{made.made_as.part}"
        )
        scene = document.parse(part.export.revision.document)
        shelf = shelf_of(pictures_of(part.export.scene), scene)
        with files.making(part.file) as path:
            made.make_part(path, (part.first, part.last), shelf, _teller(part))
            if part.number is None:  # a draft is a film already
                whole = path.with_name(f"whole{made.made_as.ending}")
                made.join(whole, [(path, part.frames)])
                whole.replace(path)
        part.status, part.done = Part.Status.DONE, part.frames
        part.save()
        if part.number is None:
            Export.objects.filter(pk=part.export_id).update(draft=part.file)
    except CalledOff:
        _clear(part.export)
    except GONE:
        raise
    except ClinamenError as error:
        _failed(part, str(error))
    except Exception as error:
        _failed(part, why(error))
        raise


def _failed(part: Part, says: str) -> None:
    part.status, part.says = Part.Status.FAILED, says[:500]
    part.save()


def _film(export: Export) -> Film:
    options = checked(EXPORTS[export.kind].options, export.options)
    return film(document.parse(export.revision.document), options)


def _teller(part: Part) -> Callable[[int, Pixels], None]:
    """Writes how many frames are done and the newest of them to the rows now and then; stops when the film was called off."""
    told = 0.0

    def seen(number: int, picture: Pixels) -> None:
        nonlocal told
        if time.monotonic() - told < TOLD_EVERY:
            return
        told = time.monotonic()
        Part.objects.filter(pk=part.pk).update(done=number + 1 - part.first)
        working = Export.objects.filter(pk=part.export_id, status=Export.Status.WORKING)
        if not working.update(newest=small(picture)):
            raise CalledOff("called off")

    return seen


def small(picture: Pixels) -> str:
    """A frame's small picture, as an address that holds it; what is clear is grey."""
    less = fitted(picture, NEWEST).astype(np.float32)
    alpha = less[..., 3:] / 255
    laid = np.rint(less[..., :3] * alpha + 128 * (1 - alpha)).astype(np.uint8)
    return "data:image/jpeg;base64," + base64.b64encode(encode_jpeg(laid, 80)).decode()


def finish(export: Export) -> None:
    """Put the film together where all parts are done, by one worker; say it failed where one has, and no other is under way."""
    parts = list(export.parts.all())
    ranges = [part for part in parts if part.number is not None]
    if any(part.status in RUNNING for part in parts):
        return
    failed = [part for part in parts if part.status == Part.Status.FAILED and (part.number is not None or not ranges)]
    if failed:
        _end(export, status=Export.Status.FAILED, says=_why(failed))
        return
    # who holds the first part's row puts the film together; another that comes meanwhile leaves it to him. The film's own row
    # stays free, so that it can be called off
    with transaction.atomic():
        if Part.objects.select_for_update(skip_locked=True).filter(pk=(ranges or parts)[0].pk).first() is None:
            return
        if not Export.objects.filter(pk=export.pk, status=Export.Status.WORKING).exists():
            return
        try:
            _together(export, ranges)
        except GONE:
            raise
        except ClinamenError as error:
            _end(export, status=Export.Status.FAILED, says=str(error)[:500])
        except Exception:
            _end(export, status=Export.Status.FAILED, says=FAULT.capitalize())
            raise


def _end(export: Export, **fields: Any) -> None:
    """Write how a film ended, unless it was called off; then nothing is left of it."""
    row = Export.objects.filter(pk=export.pk, status=Export.Status.WORKING)
    if not row.update(finished=timezone.now(), **fields):
        _clear(export)


def _why(failed: Sequence[Part]) -> str:
    first = failed[0]
    where = "The draft" if first.number is None else f"Frames {first.first} to {first.last - 1}"
    more = f", and {len(failed) - 1} more ranges" if len(failed) > 1 else ""
    return f"{where}{more}: {first.says}"[:500]


def _together(export: Export, ranges: Sequence[Part]) -> None:
    made = _film(export)
    if not ranges:
        draft = Export.objects.get(pk=export.pk).draft
        _done(export, draft, [[Path(draft).name, files.size(draft) or 0]], f"{made.draft().says}, a draft")
        return
    stem = id_from_name(document.parse(export.revision.document).title, ())
    many = made.made_as.many
    file = f"{export.folder}/{stem}-film{'.zip' if many else made.made_as.ending}"
    with ExitStack() as near:
        parts = [(near.enter_context(files.here(part.file)), part.frames) for part in ranges]
        with files.making(file) as path:
            if many:
                frames = path.with_name("frames")
                made.join(frames, parts)
                pictures = {each.name: each.read_bytes() for each in sorted(frames.iterdir())}
                path.write_bytes(zipped(pictures, f"{stem}-film"))
                contents = [[name, len(data)] for name, data in pictures.items()]
            else:
                made.join(path, parts)
                contents = [[path.name, path.stat().st_size]]
    _done(export, file, contents, made.says)
    for part in ranges:
        files.delete(part.file)


def _done(export: Export, file: str, contents: list[list[Any]], says: str) -> None:
    told = {"file": file, "size": files.size(file) or 0, "contents": contents, "says": says, "share": 1.0}
    _end(export, status=Export.Status.DONE, **told)


def progress(export: Export) -> dict[str, Any]:
    """How far a film is: frames done and in all, frames a second, and seconds left; 0 while those cannot be said."""
    parts = list(export.parts.all())
    counted = [part for part in parts if part.number is not None] or parts
    done, count = sum(part.done for part in counted), sum(part.frames for part in counted)
    passed = (timezone.now() - export.begun).total_seconds() if export.begun else 0.0
    rate = done / passed if passed > 0 else 0.0
    left = (count - done) / rate if rate else 0.0
    return {"done": done, "count": count, "rate": rate, "left": left, "share": done / max(1, count)}


def again(export: Export, defer: Defer) -> None:
    """Take the ranges up again that failed; the others keep what they have."""
    with transaction.atomic():
        failed = Export.objects.filter(pk=export.pk, status=Export.Status.FAILED)
        if not failed.update(status=Export.Status.WORKING, says="", begun=timezone.now()):
            return
        bad = list(export.parts.filter(status=Part.Status.FAILED))
        for part in bad or list(export.parts.all())[:1]:
            part.status = Part.Status.WAITING if bad else part.status
            part.tries, part.says = 0, ""
            part.save()
            defer(part)


def call_off(export: Export) -> None:
    """End a film; what was made of it is taken away."""
    running = Export.objects.filter(pk=export.pk, status__in=RUNNING)
    if running.update(status=Export.Status.CANCELLED, finished=timezone.now()):
        _clear(export)


def _clear(export: Export) -> None:
    files.clear(export.folder)


def remove(export: Export) -> None:
    """Take an export away, with its files."""
    call_off(export)
    folder = export.folder
    export.delete()
    files.clear(folder)


def clean(days: float, most_bytes: float) -> int:
    """Take exports away that are older than this, and the oldest as long as all take more room; how many."""
    ended = Export.objects.exclude(status__in=RUNNING).order_by("-created")
    kept, gone = 0.0, 0
    for export in ended:
        kept += _bytes(export)
        if kept > most_bytes or timezone.now() - export.created > timedelta(days=days):
            remove(export)
            gone += 1
    return gone


def _bytes(export: Export) -> int:
    return files.total(export.folder)
