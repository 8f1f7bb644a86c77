"""Jobs of the worker for scenes, and the watch over jobs whose worker died."""

import time
from typing import Any

from procrastinate.contrib.django import app

from clinamen.scenes.actions.prepare_art import run
from clinamen.scenes.actions.thin import thin
from clinamen.scenes.models import Preparation

RESTED = 0.8  # s


@app.task(name="scenes.prepare", queue="art")
def prepare(preparation_id: int) -> None:
    """Run one layer's recipe, when the hand has rested: the preview goes before, and a next mark calls this off."""
    time.sleep(RESTED)
    row = Preparation.objects.select_related("scene").filter(pk=preparation_id).first()
    if row is not None:
        run(row)


@app.periodic(cron="17 4 * * *")
@app.task(name="scenes.thin", queueing_lock="thin")
def thin_out(timestamp: int) -> None:
    """Take out documents that nobody can reach any more."""
    thin()


@app.periodic(cron="* * * * *")
@app.task(name="scenes.take_up_again", queueing_lock="take-up-again", pass_context=True)
async def take_up_again(context: Any, timestamp: int) -> None:
    """Jobs that a worker was doing when it died are done again."""
    for job in await app.job_manager.get_stalled_jobs():
        await app.job_manager.retry_job(job)
