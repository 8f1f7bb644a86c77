"""`manage.py work`: work off the jobs. Any number of workers may run, on any machine that reaches the database."""

from typing import Any

from django.core.management.base import BaseCommand
from procrastinate.contrib.django import app


class Command(BaseCommand):
    help = "Work off the jobs, until told to stop."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--once", action="store_true", help="stop when no job is left")
        parser.add_argument(
            "--queue", action="append", help="work off this queue only (art, exports, default); repeatable"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        connector: Any = app.connector  # Django's, which knows the connector that a worker needs
        worker = app.with_connector(connector.get_worker_connector())
        with worker.replace_connector(worker.connector):
            worker.run_worker(
                queues=options["queue"],
                wait=not options["once"],
                install_signal_handlers=True,
                delete_jobs="successful",
            )
