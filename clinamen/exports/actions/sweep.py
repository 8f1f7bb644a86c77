"""Sweep: what nobody can reach any more is taken away: scenes long in the bin, then art, files as they came, and prepared art
and opaque sets that no scene uses; and small pictures made long ago, which are made again when they are asked for.

What was kept or asked for within `GRACE` stays, used or not: an upload keeps its files before its scene is written. A
picture's row is locked while its file goes, so that who keeps the same picture meanwhile waits, and then keeps it anew.
"""

import os
import time
from collections.abc import Iterable, Iterator
from contextlib import suppress
from datetime import timedelta
from itertools import chain
from pathlib import Path, PurePosixPath

from django.conf import settings
from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from clinamen.art import files
from clinamen.art.derived import KeptSets, set_key
from clinamen.art.models import Picture
from clinamen.core import document
from clinamen.core.errors import ClinamenError
from clinamen.exports.actions.shoot import remove
from clinamen.exports.models import Export
from clinamen.scenes.models import Scene, SceneFont, Source
from clinamen.scenes.shelf import pictures_of, shelf_of

IN_BIN = timedelta(days=30)
GRACE = timedelta(days=1)
FAILED_JOBS = ("failed", "cancelled", "aborted")


def sweep() -> dict[str, int]:
    """One round: how much of each kind was taken away."""
    told = {"scenes": _scenes(), "pictures": _pictures(), "originals": _originals()}
    prepared, sets = _derived()
    return {**told, "prepared": prepared, "sets": sets, "small": _small(), "jobs": _jobs()}


def throw_away(scene: Scene) -> None:
    """Delete a scene for good, with what was exported of it."""
    for export in Export.objects.filter(scene=scene):
        remove(export)
    scene.delete()


def _scenes() -> int:
    old = list(Scene.every.filter(binned__lt=timezone.now() - IN_BIN))
    for scene in old:
        throw_away(scene)
    return len(old)


def _pictures() -> int:
    gone = 0
    unused = Picture.objects.filter(uses=None, created__lt=timezone.now() - GRACE)
    for pk in list(unused.values_list("pk", flat=True)):
        with transaction.atomic():
            locked = Picture.objects.select_for_update().filter(pk=pk, created__lt=timezone.now() - GRACE).first()
            if locked is None or locked.uses.exists():
                continue
            files.delete(locked.name)
            for reduction in _reductions(locked.sha256):
                reduction.unlink(missing_ok=True)
            locked.delete()
            gone += 1
    return gone


def _reductions(sha256: str) -> Iterator[Path]:
    yield from (Path(settings.VAR) / "screen").glob(f"*/{sha256[:2]}/{sha256}*.webp")


def _originals() -> int:
    """Files as they came that no scene names."""
    used = {*SceneFont.objects.values_list("sha256", flat=True), *Source.objects.values_list("sha256", flat=True)}
    root = files.folder()
    if root is None:
        return _taken_far("originals", used)
    return _taken((root / "originals").glob("*/*"), used)


def _derived() -> tuple[int, int]:
    """Prepared art and opaque sets whose key no scene's head asks for; what an older version asks for again is made anew. Sets
    that heads ask for and nobody has (after a restore, or where they are worked out otherwise now) are worked out here."""
    used: set[str] = set()
    kept = {path.name for path in (Path(settings.VAR) / "sets").glob("*/*")}
    if files.folder() is None:
        kept |= {PurePosixPath(name).name for name, *_ in files.inside("sets")}
    for scene in Scene.every.select_related("head").iterator():
        if scene.head is None:
            continue
        with suppress(ClinamenError):
            made, pictures = document.parse(scene.head.document), pictures_of(scene)
            shelf, at_hand = shelf_of(pictures, made), shelf_of(pictures, made, draft=True)
            for layer in made.layers:
                with suppress(ClinamenError):
                    name = shelf.set_name(layer)
                    used |= {shelf.key_of(layer), set_key(name)}
                    if set_key(name) not in kept and at_hand.is_ready(layer):
                        KeptSets().keep(name, shelf.opaque(layer))
    return _unused("prepared", "*.png", used), _unused("sets", "*", used)


def _unused(top: str, pattern: str, used: set[str]) -> int:
    far = _taken_far(top, used) if files.folder() is None else 0
    return _taken((Path(settings.VAR) / top).glob(f"*/{pattern}"), used) + far


def _small() -> int:
    """Pictures made for the screen and for lists long ago."""
    folder = Path(settings.VAR)
    return _taken(chain(folder.glob("screen/*/*/*.webp"), folder.glob("pictures/*/*.webp")), set(), IN_BIN)


def _taken_far(top: str, used: set[str]) -> int:
    """As `_taken`, of a folder in a bucket; who keeps a file anew writes it anew."""
    young, gone = time.time() - GRACE.total_seconds(), 0
    for name, kept_at, _ in list(files.inside(top)):
        if PurePosixPath(name).stem not in used and kept_at <= young:
            files.delete(name)
            gone += 1
    return gone


def _taken(found: Iterable[Path], used: set[str], rest: timedelta = GRACE) -> int:
    """Take files away whose name is not among what is used, and that were kept longer ago than so; how many."""
    gone, young = 0, time.time() - rest.total_seconds()
    for path in found:
        if path.stem.split("-")[0] in used or path.stat().st_mtime > young:
            continue
        aside = path.with_name(f".going-{path.name}")
        os.replace(path, aside)
        if aside.stat().st_mtime > young:  # somebody kept it anew just now
            os.replace(aside, path)
            continue
        aside.unlink()
        gone += 1
    return gone


def _jobs() -> int:
    """Jobs that ended badly: what there is to say of them stands on their rows."""
    return ProcrastinateJob.objects.filter(status__in=FAILED_JOBS).delete()[0]
