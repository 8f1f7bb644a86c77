"""A scene is a chain of revisions, each a whole document; the scene points at its head. Undo moves the head.

Going back follows `parent`, going forward `ahead`: the revision that redo leads to from here. What neither can reach any
more is thinned (see `actions/thin.py`).
"""

import secrets
import uuid
from typing import Any

from django.conf import settings
from django.db import models
from django.utils import timezone

from clinamen.art.models import Picture


class JobStatus(models.TextChoices):
    """How far a job of the worker has come."""

    WAITING = "waiting"
    WORKING = "working"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"


def new_token() -> str:
    """A word that nobody guesses."""
    return secrets.token_urlsafe(24)


RUNNING = (JobStatus.WAITING, JobStatus.WORKING)  # a job that is not over


class Standing(models.Manager["Scene"]):
    """Scenes that are not in the bin."""

    def get_queryset(self) -> models.QuerySet["Scene"]:
        return super().get_queryset().filter(binned=None)


class Scene(models.Model):
    """One person's scene, standing at its head. One in the bin is found through `every` alone."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="scenes")
    title = models.CharField(max_length=200)
    head = models.ForeignKey("Revision", null=True, on_delete=models.SET_NULL, related_name="+")
    created = models.DateTimeField(auto_now_add=True)
    updated = models.DateTimeField(auto_now=True)
    binned = models.DateTimeField(null=True, db_index=True, help_text="when it was put into the bin")
    folder = models.CharField(max_length=80, blank=True)
    starts = models.BooleanField(default=False, help_text="a template: offered to start new scenes from")

    # not kept: who asks, what he may do, whether it is his, and whether versions may be kept aside
    visitor: Any = None
    may_edit = own = keeps_aside = True

    objects = Standing()
    every = models.Manager["Scene"]()

    class Meta:
        ordering = ["-updated"]
        base_manager_name = "every"

    def __str__(self) -> str:
        return self.title


class Revision(models.Model):
    """One state of a scene's document; the document is never changed. `refused` marks a version kept aside after a conflict."""

    scene = models.ForeignKey(Scene, on_delete=models.CASCADE, related_name="revisions")
    parent = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="children")
    ahead = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="+")
    number = models.PositiveIntegerField(default=1)
    document: Any = models.JSONField()
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    created = models.DateTimeField(auto_now_add=True)
    says = models.CharField(max_length=300)
    control = models.CharField(max_length=120, blank=True, help_text="which control made it, to join quick edits")
    refused = models.BooleanField(default=False)
    name = models.CharField(max_length=120, blank=True, help_text="given by somebody who wants to find it again")
    undoes = models.ForeignKey(
        "self", null=True, on_delete=models.SET_NULL, related_name="+",
        help_text="whose change this one takes back while later ones of others stay",
    )  # fmt: skip

    class Meta:
        ordering = ["id"]
        indexes = [
            models.Index(fields=["scene"], condition=models.Q(refused=True), name="kept_aside"),
            models.Index(fields=["scene", "-number"], name="by_number"),  # each edit asks for the last number
        ]

    def __str__(self) -> str:
        return f"{self.number}: {self.says}"


class Share(models.Model):
    """Somebody else's right to a scene."""

    class May(models.TextChoices):
        """What a share lets do."""

        LOOK = "look"
        EDIT = "edit"

    scene = models.ForeignKey(Scene, on_delete=models.CASCADE, related_name="shares")
    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="shares")
    may = models.CharField(max_length=10, choices=May.choices, default=May.LOOK)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["account__username"]
        constraints = [models.UniqueConstraint(fields=["scene", "account"], name="one_share_an_account")]

    def __str__(self) -> str:
        return f"{self.account} may {self.may}"


class LookLink(models.Model):
    """An address that lets whoever has it look at a scene, until it is ended."""

    scene = models.ForeignKey(Scene, on_delete=models.CASCADE, related_name="links")
    token = models.CharField(max_length=64, unique=True, default=new_token)
    created = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"link to {self.scene}"


class Comment(models.Model):
    """A remark on a scene, pinned to a layer, a finding or a moment; or an answer to that."""

    scene = models.ForeignKey(Scene, on_delete=models.CASCADE, related_name="comments")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    answers = models.ForeignKey("self", null=True, on_delete=models.CASCADE, related_name="replies")
    text = models.CharField(max_length=2000)
    layer = models.CharField(max_length=80, blank=True)
    finding: Any = models.JSONField(null=True, help_text="check, layer and side")
    moment: Any = models.JSONField(null=True, help_text="where the drivers stand")
    number = models.PositiveIntegerField(default=0, help_text="of the revision it was said of")
    created = models.DateTimeField(auto_now_add=True)
    settled = models.DateTimeField(null=True)

    class Meta:
        ordering = ["created", "id"]

    def __str__(self) -> str:
        return self.text[:60]


class Presence(models.Model):
    """A page that is open on a scene: whose it is and what he holds."""

    page = models.CharField(primary_key=True, max_length=40)
    scene = models.ForeignKey(Scene, on_delete=models.CASCADE, related_name="present")
    account = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE)
    room = models.CharField(max_length=20, blank=True)
    layer = models.CharField(max_length=80, blank=True)
    seen = models.DateTimeField(default=timezone.now, db_index=True)

    class Meta:
        ordering = ["account__username", "page"]

    def __str__(self) -> str:
        return f"{self.account} in {self.room}"


class SceneArt(models.Model):
    """Which picture stands behind an art file name of a scene. Rows are only added, so every revision keeps its art."""

    scene = models.ForeignKey(Scene, on_delete=models.CASCADE, related_name="art")
    file = models.CharField(max_length=400)
    picture = models.ForeignKey(Picture, on_delete=models.PROTECT, related_name="uses")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["scene", "file"], name="one_picture_a_file")]

    def __str__(self) -> str:
        return self.file


class SceneFont(models.Model):
    """A font brought into a scene, by its file name there. Rows are only added, so every revision keeps its letters."""

    scene = models.ForeignKey(Scene, on_delete=models.CASCADE, related_name="fonts")
    file = models.CharField(max_length=400)
    sha256 = models.CharField(max_length=64, db_index=True)
    name = models.CharField(max_length=200)
    licence = models.CharField(max_length=2000, blank=True)

    class Meta:
        ordering = ["name", "id"]
        constraints = [models.UniqueConstraint(fields=["scene", "file"], name="one_font_a_file")]

    def __str__(self) -> str:
        return self.name


class Source(models.Model):
    """A file that several layers were taken out of (pages, groups, an archive), kept as it came."""

    scene = models.ForeignKey(Scene, on_delete=models.CASCADE, related_name="sources")
    name = models.CharField(max_length=400)
    sha256 = models.CharField(max_length=64)
    size = models.PositiveBigIntegerField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return self.name


TELLING = 0.1  # of the work done, before which nothing follows from how long it took


class Preparation(models.Model):
    """A recipe to be run at full size by the worker: one row for each key, whoever asked for it."""

    Status = JobStatus
    queue = "art"

    scene = models.ForeignKey(Scene, on_delete=models.CASCADE, related_name="preparations")
    key = models.CharField(max_length=64)
    layer = models.CharField(max_length=80)
    document: Any = models.JSONField()
    status = models.CharField(max_length=20, choices=JobStatus.choices, default=JobStatus.WAITING)
    share = models.FloatField(default=0)
    says = models.CharField(max_length=500, blank=True)
    tries = models.IntegerField(default=0, help_text="how often it was taken up again")
    created = models.DateTimeField(auto_now_add=True)
    started = models.DateTimeField(null=True)

    # not kept: the layer's name, seconds that the recipe takes by its steps, and the work that waits before it
    label, expected, ahead = "", 0.0, 0.0

    class Meta:
        constraints = [models.UniqueConstraint(fields=["scene", "key"], name="one_preparation_a_key")]

    def __str__(self) -> str:
        return f"{self.layer}: {self.status}"

    @property
    def running(self) -> bool:
        return self.status in RUNNING

    @property
    def seconds_left(self) -> float:
        """How long it is until the art is there: by what its steps usually take, and more and more by how the work goes."""
        if self.started is None:
            return max(1.0, self.ahead + self.expected)
        gone = (timezone.now() - self.started).total_seconds()
        whole = max(self.expected, gone / self.share if self.share > TELLING else 0.0)
        return max(1.0, min(whole, 4 * self.expected) - gone, (1 - self.share) * self.expected)
