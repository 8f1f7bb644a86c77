"""Which workers are alive, by the heartbeats they write."""

from datetime import timedelta

from django.db import InterfaceError, OperationalError
from django.db.models.functions import Now
from procrastinate.contrib.django.models import ProcrastinateWorker

GONE = (OperationalError, InterfaceError)  # the database went away: whoever was at work is taken up again
HEARTBEAT = 2.0  # s between two
DEAD = 7.0  # s without one, after which a worker is taken for dead


def anybody_works() -> bool:
    """True where at least one worker is alive."""
    return ProcrastinateWorker.objects.filter(last_heartbeat__gt=Now() - timedelta(seconds=DEAD)).exists()
