"""Art, kept by content: one row and one file for each picture, whoever uses it."""

from typing import Any

from django.db import models

from clinamen.core.pictures.limits import MEDIA_TYPES


class Picture(models.Model):
    """A picture in the store, never changed and never overwritten."""

    sha256 = models.CharField(max_length=64, unique=True)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    format = models.CharField(max_length=8)
    size = models.PositiveBigIntegerField()
    coverage = models.FloatField(null=True, help_text="share of the picture that is opaque")
    shows: Any = models.JSONField(null=True, help_text="box (left, top, right, bottom) of all that shows")
    created = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.sha256[:12]} {self.width} × {self.height}"

    @property
    def name(self) -> str:
        """Name in the store."""
        return f"art/{self.sha256[:2]}/{self.sha256}.{self.format.lower()}"

    @property
    def content_type(self) -> str:
        return MEDIA_TYPES[self.format]
