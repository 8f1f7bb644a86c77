"""What processes and machines remember together: made again where it is gone, so nothing here needs to outlive a crash."""

from django.db import models
from django.utils import timezone


class Remembered(models.Model):
    """One thing that was worked out once: what is told by a name, with the group that it is forgotten with."""

    key = models.CharField(primary_key=True, max_length=120)
    belongs = models.CharField(max_length=60, db_index=True)
    data = models.BinaryField()
    made = models.DateTimeField(default=timezone.now, db_index=True)

    def __str__(self) -> str:
        return self.key
