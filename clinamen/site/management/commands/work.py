"""`manage.py work`: work off the jobs. Any number of workers may run, on any machine that reaches the database.

A worker outlives its database: it says that it is gone, looks for it again and again, and goes on. Beside its jobs each looks now
and then for those of workers that died.
"""

import logging
import threading
import time
from typing import Any

from django.core.management.base import BaseCommand
from django.db import close_old_connections, connection
from procrastinate import exceptions
from procrastinate.contrib.django import app

from clinamen.exports.actions.take_up import take_up
from clinamen.scenes.workers import DEAD, GONE, HEARTBEAT

LOOK = 3.0  # s between two looks for jobs of dead workers
POLL = 1.5  # s between two looks for jobs that nobody told of: those that were taken up
LONGEST = 4.0  # s between two looks for a database that is gone
GRACE = 3.0  # s that a job may go on when its worker is told to stop; then it is taken up by another
log = logging.getLogger("clinamen.work")


class Command(BaseCommand):
    help = "Work off the jobs, until told to stop."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--once", action="store_true", help="stop when no job is left")
        parser.add_argument(
            "--queue", action="append", help="work off this queue only (art, exports, films, default); repeatable"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        if options["once"]:
            take_up()
            _work(options["queue"], wait=False)
            return
        threading.Thread(target=_look_after, daemon=True).start()
        rest = 0.0
        while True:
            begun = time.monotonic()
            try:
                _work(options["queue"], wait=True)
                return
            except (exceptions.ConnectorException, *GONE) as error:
                rest = 0.5 if time.monotonic() - begun > 2 * LONGEST else min(LONGEST, 2 * rest + 0.5)
                log.warning("The database is gone; looking for it again", extra={"cause": str(error)[:300]})
                time.sleep(rest)


def _work(queues: list[str] | None, wait: bool) -> None:
    connector: Any = app.connector  # Django's, which knows the connector that a worker needs
    worker = app.with_connector(connector.get_worker_connector())
    with worker.replace_connector(worker.connector):
        worker.run_worker(
            queues=queues,
            wait=wait,
            install_signal_handlers=True,
            delete_jobs="successful",
            update_heartbeat_interval=HEARTBEAT,
            stalled_worker_timeout=DEAD,
            fetch_job_polling_interval=POLL,
            shutdown_graceful_timeout=GRACE,
        )


def _look_after() -> None:
    """Look for jobs of dead workers, for ever. After a time without the database everybody's heartbeats are old: they are given
    the time to write new ones first."""
    since = time.monotonic()
    while True:
        time.sleep(LOOK)
        try:
            close_old_connections()
            connection.ensure_connection()
            if time.monotonic() - since > 3 * LOOK:
                time.sleep(DEAD)
            take_up()
            since = time.monotonic()
        except (exceptions.ConnectorException, *GONE):
            connection.close()
        except Exception:
            log.exception("Looking for jobs of dead workers failed")
