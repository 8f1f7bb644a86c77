"""Prepare art: recipes on large art are run by the worker, with progress and cancel; who waits sees a preview."""

import time
from contextlib import suppress

from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from clinamen.art.store import SIZES, reduced_prepared
from clinamen.core import document
from clinamen.core.document import Scene as Document
from clinamen.core.errors import ClinamenError
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.prep.base import Cancelled
from clinamen.scenes.models import RUNNING, Preparation, Scene
from clinamen.scenes.shelf import pictures_of, shelf_of
from clinamen.scenes.workers import GONE

TOLD_EVERY = 0.4  # seconds between two looks at the row while the work goes on


def ask_for(scene: Scene, made: Document) -> None:
    """Ask the worker for all art of the document that is not ready; what nobody needs any more is called off. Part of
    the action that made the document, so that the jobs are committed with it."""
    wanted: dict[str, str] = {}
    if any(layer.recipe is not None for layer in made.layers):
        wanted = wanted_of(made, shelf_of(pictures_of(scene), made, draft=True))
    # the worker stops when its row is gone; what the visitor called off stays called off
    Preparation.objects.filter(scene=scene).exclude(key__in=wanted).exclude(
        status=Preparation.Status.CANCELLED
    ).delete()
    for key, layer_id in wanted.items():
        _ask(scene, key, layer_id, made)


def wanted_of(made: Document, shelf: ArtShelf) -> dict[str, str]:
    """Layer ids by key of the art that is not ready at full size; a recipe that cannot be run is no art to wait for."""
    wanted = {}
    for layer in made.layers:
        if layer.recipe is not None:
            with suppress(ClinamenError):
                if not shelf.is_ready(layer):
                    wanted[shelf.key_of(layer)] = layer.id
    return wanted


def standing(scene: Scene, made: Document, shelf: ArtShelf) -> list[Preparation]:
    """How the art that is not ready stands, without asking for anything. What nobody has asked for yet (prepared art was
    lost) comes as a row that is not saved, for the visitor to ask for."""
    wanted = wanted_of(made, shelf)
    if not wanted:
        return []
    rows = {row.key: row for row in Preparation.objects.filter(scene=scene, key__in=wanted).order_by("pk")}
    ahead = 0.0
    for row in rows.values():
        layer = made.layer(wanted[row.key])
        row.label, row.expected, row.ahead = layer.label, layer.recipe.seconds if layer.recipe else 0.0, ahead
        ahead += row.seconds_left if row.running else 0.0
    lost = [
        Preparation(scene=scene, key=key, layer=layer_id, status=Preparation.Status.CANCELLED)
        for key, layer_id in wanted.items()
        if key not in rows or rows[key].status == Preparation.Status.DONE
    ]
    for row in lost:
        row.label = made.layer(row.layer).label
    return [*(row for row in rows.values() if row.status != Preparation.Status.DONE), *lost]


def _ask(scene: Scene, key: str, layer_id: str, made: Document, again: bool = False) -> None:
    with transaction.atomic():
        row, fresh = Preparation.objects.get_or_create(
            scene=scene, key=key, defaults={"layer": layer_id, "document": made.to_json()}
        )
        called_off = row.status in (Preparation.Status.CANCELLED, Preparation.Status.FAILED) and again
        lost = row.status == Preparation.Status.DONE  # the prepared picture is not there any more
        if fresh or called_off or lost:
            row.status, row.share, row.says, row.started, row.tries = Preparation.Status.WAITING, 0, "", None, 0
            row.save()
            app.configure_task("scenes.prepare", queue=row.queue).defer(preparation_id=row.pk)


def ask_again(scene: Scene, made: Document, key: str) -> None:
    """Ask again for art that was called off, failed or got lost."""
    for wanted, layer_id in wanted_of(made, shelf_of(pictures_of(scene), made, draft=True)).items():
        if wanted == key:
            _ask(scene, key, layer_id, made, again=True)


def cancel(row: Preparation) -> None:
    """Call a preparation off; work that is going on stops at its next look."""
    Preparation.objects.filter(pk=row.pk, status__in=RUNNING).update(status=Preparation.Status.CANCELLED)


def run(row: Preparation) -> None:
    """Run one layer's recipe; what goes wrong is said on the row."""
    started = Preparation.objects.filter(pk=row.pk, status__in=RUNNING).update(
        status=Preparation.Status.WORKING, started=timezone.now()
    )
    if not started:
        return
    made = document.parse(row.document)
    shelf = shelf_of(pictures_of(row.scene), made)
    says, status = "", Preparation.Status.DONE
    try:
        layer = made.layer(row.layer)
        pixels = shelf.prepare(layer, _teller(row))
        for longest in SIZES:  # what the screen will ask for first
            reduced_prepared(f"{row.key}-done", longest, "", lambda: pixels)
    except Cancelled:
        return
    except GONE:
        status = Preparation.Status.WORKING
        raise
    except ClinamenError as error:
        says, status = str(error)[:500], Preparation.Status.FAILED
    except Exception:
        says, status = "The work failed by a fault of the program; try it again", Preparation.Status.FAILED
        raise
    finally:
        if status != Preparation.Status.WORKING:
            Preparation.objects.filter(pk=row.pk, status=Preparation.Status.WORKING).update(
                status=status, says=says, share=1.0
            )


def _teller(row: Preparation):  # type: ignore[no-untyped-def]
    """A `tick` that writes the share done to the row now and then, and stops the work when it was called off."""
    told = time.monotonic()

    def tick(share: float) -> None:
        nonlocal told
        if time.monotonic() - told < TOLD_EVERY:
            return
        told = time.monotonic()
        if not Preparation.objects.filter(pk=row.pk, status=Preparation.Status.WORKING).update(share=share):
            raise Cancelled("called off")

    return tick
