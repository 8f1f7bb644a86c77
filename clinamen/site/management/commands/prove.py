"""`manage.py prove`: a process that works out proofs for the web servers of this machine."""

from typing import Any

from django.core.management.base import BaseCommand

from clinamen.scenes.proving import serve
from clinamen.site.staying import stay


class Command(BaseCommand):
    help = "Work out proofs for the web servers of this machine, until told to stop."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--number", type=int, default=0, help="which of CLINAMEN_PROVERS this is, from 0")

    def handle(self, *args: Any, **options: Any) -> None:
        stay()
        serve(options["number"])
