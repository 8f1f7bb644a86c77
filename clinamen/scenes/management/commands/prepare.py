"""`manage.py prepare`: make the database if there is none, bring it up to date, load the demo scenes. Quick when done."""

from typing import Any

import psycopg
from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand
from psycopg import sql

from clinamen.scenes.demo import load_demo


class Command(BaseCommand):
    help = "Make the database, bring it up to date, load the demo scenes."

    def handle(self, *args: Any, **options: Any) -> None:
        database: dict[str, Any] = dict(settings.DATABASES["default"])
        with psycopg.connect(
            host=database["HOST"], port=database["PORT"], user=database["USER"], dbname="postgres", autocommit=True
        ) as connection:
            known = connection.execute("SELECT 1 FROM pg_database WHERE datname = %s", [database["NAME"]]).fetchone()
            if known is None:
                connection.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(database["NAME"])))
        call_command("migrate", verbosity=0)
        if settings.DEMO:
            load_demo()
