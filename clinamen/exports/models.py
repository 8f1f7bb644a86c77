"""Exports: one row for each that was asked for, worked off by the worker."""

import uuid
from typing import Any

from django.db import models
from django.db.models import Q

from clinamen.core.exports import EXPORTS
from clinamen.core.film.formats import FORMATS
from clinamen.scenes.models import RUNNING, JobStatus, Revision, Scene

# the workers' queues: a page that is ready in seconds never stands behind hours of frames
FILMS, OTHERS = "films", "exports"
BY_FRAME = [kind.id for kind in EXPORTS.values() if kind.by_frame]


class Export(models.Model):
    """One export of one revision."""

    Status = JobStatus

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    scene = models.ForeignKey(Scene, on_delete=models.CASCADE, related_name="exports")
    revision = models.ForeignKey(Revision, on_delete=models.RESTRICT, related_name="+")
    kind = models.CharField(max_length=20)
    options: Any = models.JSONField(default=dict)
    more: Any = models.JSONField(
        default=list, help_text="scene and revision of each scene that follows on the same page"
    )
    status = models.CharField(max_length=20, choices=JobStatus.choices, default=JobStatus.WAITING)
    share = models.FloatField(default=0)
    says = models.CharField(max_length=500, blank=True)
    file = models.CharField(max_length=300, blank=True)
    size = models.PositiveBigIntegerField(default=0)
    contents: Any = models.JSONField(default=list, help_text="name and size of every file inside")
    budget: Any = models.JSONField(default=list, help_text="what it costs its visitors, by window and layer")
    draft = models.CharField(max_length=300, blank=True, help_text="a film's draft, kept beside it")
    newest = models.TextField(blank=True, help_text="the frame drawn last, small, as an address that holds it")
    begun = models.DateTimeField(null=True)
    tries = models.IntegerField(default=0, help_text="how often it was taken up again")
    created = models.DateTimeField(auto_now_add=True)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"{self.kind} of {self.scene}"

    @property
    def folder(self) -> str:
        """Folder of its files in the store."""
        return f"exports/{self.pk}"

    @property
    def queue(self) -> str:
        """Name of the queue in which its jobs wait."""
        return FILMS if self.kind in BY_FRAME else OTHERS

    @property
    def before(self) -> int:
        """How many exports in its queue are to be made before it."""
        films = Q(kind__in=BY_FRAME)
        running = Export.objects.filter(films if self.queue == FILMS else ~films, status__in=RUNNING)
        return running.filter(created__lt=self.created).count()

    @property
    def running(self) -> bool:
        return self.status in RUNNING

    @property
    def shows(self) -> str:
        """How a page shows the finished film: "video", "picture", or not at all."""
        if self.kind != "film" or self.status != JobStatus.DONE:
            return ""
        return next((each.shown for each in FORMATS.values() if self.file.endswith(each.ending)), "")

    @property
    def kind_name(self) -> str:
        return EXPORTS[self.kind].name if self.kind in EXPORTS else self.kind


class Part(models.Model):
    """A range of a film's frames, a job of its own; the film's draft is the part without a number."""

    Status = JobStatus
    queue = FILMS

    export = models.ForeignKey(Export, on_delete=models.CASCADE, related_name="parts")
    number = models.IntegerField(null=True)
    first = models.IntegerField()
    last = models.IntegerField(help_text="the frame after its last")
    status = models.CharField(max_length=20, choices=JobStatus.choices, default=JobStatus.WAITING)
    done = models.IntegerField(default=0)
    tries = models.IntegerField(default=0)
    says = models.CharField(max_length=500, blank=True)
    file = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["export", "number"], name="one_part_a_number")]

    def __str__(self) -> str:
        return f"frames {self.first} to {self.last - 1} of {self.export}"

    @property
    def frames(self) -> int:
        return self.last - self.first
