"""A scene is a chain of revisions, each a whole document; the scene points at its head. Undo moves the head."""

import uuid
from typing import Any

from django.conf import settings
from django.db import models

from clinamen.art.models import Picture


class Scene(models.Model):
    """One person's scene. `tip` is the newest revision of the line that redo walks along."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="scenes")
    title = models.CharField(max_length=200)
    head = models.ForeignKey("Revision", null=True, on_delete=models.SET_NULL, related_name="+")
    tip = models.ForeignKey("Revision", null=True, on_delete=models.SET_NULL, related_name="+")
    created = models.DateTimeField(auto_now_add=True)
    updated = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-updated"]

    def __str__(self) -> str:
        return self.title


class Revision(models.Model):
    """One state of a scene's document; never changed. `refused` marks a version kept aside after a conflict."""

    scene = models.ForeignKey(Scene, on_delete=models.CASCADE, related_name="revisions")
    parent = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="children")
    number = models.PositiveIntegerField(default=1)
    document: Any = models.JSONField()
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    created = models.DateTimeField(auto_now_add=True)
    says = models.CharField(max_length=300)
    control = models.CharField(max_length=120, blank=True, help_text="which control made it, to join quick edits")
    refused = models.BooleanField(default=False)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.number}: {self.says}"


class SceneArt(models.Model):
    """Which picture stands behind an art file name of a scene. Rows are only added, so every revision keeps its art."""

    scene = models.ForeignKey(Scene, on_delete=models.CASCADE, related_name="art")
    file = models.CharField(max_length=400)
    picture = models.ForeignKey(Picture, on_delete=models.PROTECT, related_name="uses")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["scene", "file"], name="one_picture_a_file")]

    def __str__(self) -> str:
        return self.file
