"""The application started by bin/run in a folder of its own, for tests and benches that end its parts."""

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path

import psycopg

from tests.conftest import ROOT

WORDS = {
    "web": "gunicorn",
    "art": "work --queue art",
    "exports": "work --queue exports",
    "films": "work --queue films",
    "prover": "manage.py prove",
    "database keeper": "database keep",
}
MADE = """
from django.contrib.auth.models import User; from django.test import Client; from django.conf import settings
from clinamen.core import document; from clinamen.scenes.models import Scene, Revision
ada = User.objects.create_user("ada", password="a-long-passphrase")
scene = Scene.objects.create(owner=ada, title="Long")
layers = [{"id": f"sky-{n}", "art": {"made": {"kind": "gradient"}, "width": 600, "height": 400}, "depth": 100 * n} for n in range(3)]
made = document.parse({"title": "Long", "layers": layers})
scene.head = Revision.objects.create(scene=scene, document=made.to_json(), says="made"); scene.save()
client = Client(); client.force_login(ada)
print(client.cookies[settings.SESSION_COOKIE_NAME].value)
"""
ASKED = """
from django.db import transaction; from clinamen.exports.models import Export; from clinamen.exports.tasks import defer_export
from clinamen.scenes.models import Scene
scene = Scene.objects.get()
with transaction.atomic():
    export = Export.objects.create(scene=scene, revision_id=scene.head_id, kind="web", options={})
    defer_export(export)
"""


class Started:
    """bin/run at work; its parts by name."""

    def __enter__(self) -> "Started":
        self.var = Path(tempfile.mkdtemp(prefix="clinamen-started-"))
        self.var.chmod(0o755)  # the database's own user goes in too
        self.environment = {
            name: value for name, value in os.environ.items() if not name.startswith(("CLINAMEN_", "PG"))
        }
        self.environment |= {
            "CLINAMEN_VAR": str(self.var),
            "CLINAMEN_DEMO": "0",
            "PORT": str(18200 + os.getpid() % 600),
        }
        self.process = subprocess.Popen(
            [ROOT / "bin/run"], env=self.environment, stdout=subprocess.PIPE, text=True, start_new_session=True
        )
        assert self.process.stdout
        for line in self.process.stdout:
            if "Clinamen is at" in line:
                self.address = line.split()[3].rstrip("/")
                break
        return self

    def __exit__(self, *_: object) -> None:
        self.stop()
        shutil.rmtree(self.var, ignore_errors=True)

    def stop(self) -> None:
        """As Ctrl-C does it."""
        if self.process.poll() is None:
            self.process.send_signal(signal.SIGTERM)
            self.process.wait(timeout=60)

    def get(self, path: str, session: str = "") -> tuple[int, str]:
        """Status and text of an answer; status 0 where there is none."""
        asked = urllib.request.Request(
            self.address + path, headers={"Cookie": f"sessionid={session}"} if session else {}
        )
        try:
            with urllib.request.urlopen(asked, timeout=30) as answer:
                return answer.status, answer.read().decode()
        except urllib.error.HTTPError as error:
            return error.code, error.read().decode()
        except OSError:
            return 0, ""

    def pid_of(self, part: str) -> int:
        """The process of a part; 0 while there is none."""
        if part == "database":
            try:
                return int((self.var / "postgres/postmaster.pid").read_text().split()[0])
            except (OSError, IndexError):
                return 0
        if part == "web worker":
            return next(iter(children(self.pid_of("web"))), 0)
        for pid in children(int((self.var / "supervisor.pid").read_text())):
            if WORDS[part] in _command(pid):
                return pid
        return 0

    @contextmanager
    def frozen_database(self) -> Iterator[None]:
        """The database and all its processes stand still."""
        parts = [self.pid_of("database"), *children(self.pid_of("database"))]
        for pid in parts:
            os.kill(pid, signal.SIGSTOP)
        try:
            yield
        finally:
            for pid in parts:
                os.kill(pid, signal.SIGCONT)

    @cached_property
    def _session(self) -> str:
        return self.run(MADE)

    def session(self) -> str:
        """The session of somebody who has a scene."""
        return self._session

    def ask_for_an_export(self) -> None:
        """Have the scene's page made."""
        self.session()
        self.run(ASKED)

    def export_status(self) -> str:
        """How the export stands."""
        with psycopg.connect(**self.database()) as asked:
            ((status,),) = asked.execute("SELECT status FROM exports_export").fetchall()
        return str(status)

    def database(self) -> dict[str, str]:
        """How its database is reached."""
        address = self._database()
        host, port = address["CLINAMEN_DB_HOST"], address["CLINAMEN_DB_PORT"]
        return {"host": host, "port": port, "user": "clinamen", "dbname": "clinamen"}

    def _database(self) -> dict[str, str]:
        return dict(line.split("=", 1) for line in (self.var / "postgres.env").read_text().split())

    def run(self, script: str) -> str:
        """What a script says that is run in the application's shell."""
        address = self._database()
        done = subprocess.run(
            [sys.executable, "manage.py", "shell", "-v", "0", "-c", script],
            cwd=ROOT, env={**self.environment, **address}, capture_output=True, text=True, check=False,
        )  # fmt: skip
        assert done.returncode == 0, done.stderr
        return done.stdout.strip()


def children(pid: int) -> list[int]:
    """Processes that a process started itself."""
    try:
        return [int(child) for child in Path(f"/proc/{pid}/task/{pid}/children").read_text().split()]
    except OSError:
        return []


def _command(pid: int) -> str:
    try:
        return Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\0", b" ").decode()
    except OSError:
        return ""
