"""Jobs of the worker. A job is committed with the row it belongs to, so none is lost and none runs for nothing."""

from django.conf import settings
from django.db import close_old_connections
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from clinamen.exports.actions.make import make
from clinamen.exports.actions.shoot import clean, shoot
from clinamen.exports.actions.sweep import sweep
from clinamen.exports.models import FILMS, OTHERS, Export, Part

DRAFT_FIRST, WANTED_FIRST = 10, 20  # priorities: what is waited for by somebody who looks at it goes before what is not


@app.task(name="exports.make")
def make_export(export_id: str) -> None:
    """Make one export."""
    close_old_connections()
    export = Export.objects.select_related("revision", "scene").filter(pk=export_id).first()
    if export is not None:
        make(export)


@app.task(name="exports.part", queue=FILMS)
def make_part(part_id: int) -> None:
    """Make one range of a film's frames."""
    close_old_connections()
    part = Part.objects.select_related("export__revision", "export__scene").filter(pk=part_id).first()
    if part is not None:
        shoot(part)


def defer_export(export: Export) -> None:
    """The job that makes an export in one piece."""
    make_export.configure(queue=export.queue).defer(export_id=str(export.pk))


def defer_part(part: Part) -> None:
    """The job that makes a part; a draft goes before other films' frames."""
    make_part.configure(priority=DRAFT_FIRST if part.number is None else 0).defer(part_id=part.pk)


def put_first(export: Export) -> None:
    """Have an export's jobs done before the others that wait."""
    waiting = ProcrastinateJob.objects.filter(status="todo", queue_name__in=(FILMS, OTHERS))
    parts = list(export.parts.values_list("pk", flat=True))
    waiting.filter(args__export_id=str(export.pk)).update(priority=WANTED_FIRST)
    waiting.filter(args__part_id__in=parts).update(priority=WANTED_FIRST)


@app.periodic(cron="41 3 * * *")
@app.task(name="exports.clean", queueing_lock="exports-clean")
def clean_exports(timestamp: int) -> None:
    """Take old exports away, then what nobody uses any more."""
    close_old_connections()
    clean(settings.EXPORTS_DAYS, settings.EXPORTS_GIGABYTES * 1e9)
    sweep()
