"""Exports: one row for each that was asked for, worked off by the worker."""

import uuid
from typing import Any

from django.db import models

from clinamen.core.exports import EXPORTS
from clinamen.scenes.models import JobStatus, Revision, Scene


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
    created = models.DateTimeField(auto_now_add=True)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"{self.kind} of {self.scene}"

    @property
    def running(self) -> bool:
        return self.status in (self.Status.WAITING, self.Status.WORKING)

    @property
    def kind_name(self) -> str:
        return EXPORTS[self.kind].name if self.kind in EXPORTS else self.kind
