"""Jobs of the worker for scenes."""

import time

from django.db import close_old_connections
from procrastinate.contrib.django import app

from clinamen.scenes.actions.prepare_art import run
from clinamen.scenes.actions.thin import thin
from clinamen.scenes.models import Preparation

RESTED = 0.8  # s


@app.task(name="scenes.prepare", queue="art")
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
