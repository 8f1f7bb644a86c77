"""Jobs of the worker for scenes."""

import time
from datetime import timedelta

from django.db import close_old_connections
from django.utils import timezone
from procrastinate.contrib.django import app

from clinamen.scenes.actions.prepare_art import run
from clinamen.scenes.actions.thin import thin
from clinamen.scenes.models import Preparation, Presence
from clinamen.shared import memory

RESTED = 0.8  # s
LEFT = timedelta(hours=1)  # without a sign of life, after which nothing is kept of a page


@app.task(name="scenes.prepare", queue=Preparation.queue)
def prepare(preparation_id: int) -> None:
    """Run one layer's recipe, when the hand has rested: the preview goes before, and a next mark calls this off."""
    time.sleep(RESTED)
    close_old_connections()
    row = Preparation.objects.select_related("scene").filter(pk=preparation_id).first()
    if row is not None:
        run(row)


@app.periodic(cron="17 4 * * *")
@app.task(name="scenes.thin", queueing_lock="thin")
def thin_out(timestamp: int) -> None:
    """Take out documents that nobody can reach any more."""
    close_old_connections()
    thin()


@app.periodic(cron="7 * * * *")
@app.task(name="scenes.forget", queueing_lock="forget")
def forget_what_is_old(timestamp: int) -> None:
    """Take out what processes remembered together long ago, and pages whose web server died with them."""
    close_old_connections()
    memory.forget()
    Presence.objects.filter(seen__lt=timezone.now() - LEFT).delete()
