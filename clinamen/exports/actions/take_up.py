"""Take up: jobs whose worker died are done again, and rows that wait for a job that is not there any more get one.

Each is tried a few times, with a longer rest before each; after that its row says that it failed. Any number of workers may look
at once: what one has locked the others leave alone.
"""

from datetime import timedelta
from typing import Any

from django.db import models, transaction
from django.db.models import Exists, F, OuterRef, Q, TextField
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast, Now
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from clinamen.exports.actions.shoot import finish
from clinamen.exports.models import Export, Part
from clinamen.scenes.models import RUNNING, JobStatus, Preparation
from clinamen.scenes.workers import DEAD

MOST_TRIES = 3
GIVEN_UP = f"it was broken off {MOST_TRIES} times by a worker that died or a database that went away; try it again"
UNDER_WAY = ("todo", "doing")

# a task, the rows its jobs belong to, and which argument of a job names its row
OWNERS: tuple[tuple[str, type[models.Model], str], ...] = (
    ("exports.make", Export, "export_id"),
    ("exports.part", Part, "part_id"),
    ("scenes.prepare", Preparation, "preparation_id"),
)


def rest(tries: int) -> float:
    """Seconds before the next try: none before the first, then ever longer."""
    return float(2**tries - 1)


def take_up() -> int:
    """One look at all jobs and rows: how many were taken up or given up."""
    return _of_dead_workers() + sum(_without_a_job(*owner) for owner in OWNERS) + _films_left_apart()


def _of_dead_workers() -> int:
    """Jobs that a worker was doing when it died."""
    dead = Q(worker=None) | Q(worker__last_heartbeat__lt=Now() - timedelta(seconds=DEAD))
    with transaction.atomic():
        jobs = ProcrastinateJob.objects.select_for_update(skip_locked=True, of=("self",))
        found = list(jobs.filter(dead, status="doing"))
        for job in found:
            rows = [(row, job.args.get(name)) for task, row, name in OWNERS if task == job.task_name]
            if job.attempts + 1 >= MOST_TRIES and rows:
                ProcrastinateJob.objects.filter(pk=job.pk).delete()
                for row, pk in rows:
                    _give_up(row, pk)
            else:
                later = timezone.now() + timedelta(seconds=rest(job.attempts))
                app.job_manager.retry_job_by_id(job.pk, later)
    return len(found)


def _without_a_job(task: str, row: type[models.Model], name: str) -> int:
    """Rows that wait or are said to be worked on while no job does it: it failed with the database, or got lost."""
    jobs = ProcrastinateJob.objects.filter(task_name=task, status__in=UNDER_WAY)
    mine = jobs.annotate(of=KeyTextTransform(name, "args")).filter(of=Cast(OuterRef("pk"), TextField()))
    objects: Any = row._default_manager
    lost = objects.filter(~Exists(mine), status__in=RUNNING)
    if row is Export:
        lost = lost.filter(parts=None)
    elif row is Part:
        lost = lost.filter(export__status__in=RUNNING)
    found = 0
    for each in lost:
        pk = each.pk
        with transaction.atomic():
            still = objects.select_for_update(skip_locked=True, of=("self",)).filter(pk=pk, status__in=RUNNING)
            if not still.filter(~Exists(mine)).exists():
                continue
            found += 1
            if each.tries >= MOST_TRIES:
                _give_up(row, pk)
                continue
            objects.filter(pk=pk).update(tries=F("tries") + 1, status=JobStatus.WAITING)
            _defer(task, each.queue, rest(each.tries), {name: pk if isinstance(pk, int) else str(pk)})
    return found


def _films_left_apart() -> int:
    """Films whose parts are all done and that nobody puts together: whoever was at it died, or lost the database."""
    open_parts = Part.objects.filter(export=OuterRef("pk"), status__in=RUNNING)
    under_way = ProcrastinateJob.objects.filter(task_name="exports.part", status__in=UNDER_WAY)
    under_way = under_way.annotate(of=KeyTextTransform("part_id", "args"))
    films = Export.objects.filter(~Exists(open_parts), status__in=RUNNING).exclude(parts=None)
    found = 0
    for export in films:
        parts = list(export.parts.values_list("pk", flat=True))
        if under_way.filter(of__in=[str(pk) for pk in parts]).exists():
            continue
        found += 1
        if export.tries >= MOST_TRIES:
            _give_up(Export, export.pk)
            continue
        Export.objects.filter(pk=export.pk).update(tries=F("tries") + 1)
        _defer("exports.part", Part.queue, rest(export.tries), {"part_id": parts[0]})
    return found


def _defer(task: str, queue: str, seconds: float, args: dict[str, Any]) -> None:
    later: dict[str, Any] = {"schedule_in": {"seconds": seconds}} if seconds else {}
    app.configure_task(task, queue=queue, **later).defer(**args)


def _give_up(row: type[models.Model], pk: Any) -> None:
    objects: Any = row._default_manager
    objects.filter(pk=pk, status__in=RUNNING).update(status=JobStatus.FAILED, says=GIVEN_UP)
    for part in Part.objects.select_related("export").filter(pk=pk) if row is Part else ():
        Export.objects.filter(pk=part.export_id, status=JobStatus.WAITING).update(status=JobStatus.WORKING)
        finish(part.export)
