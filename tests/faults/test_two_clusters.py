"""Two copies of the application that begin at once on one machine: neither reaches the other's data."""

import os
import shutil
import subprocess
import tempfile
from pathlib import Path

import psycopg

from tests.conftest import ROOT

COUNT = 4


def test_databases_begun_at_once_are_each_their_own() -> None:
    folders = [Path(tempfile.mkdtemp(prefix="clinamen-cluster-")) for _ in range(COUNT)]
    for folder in folders:
        folder.chmod(0o755)  # the database's own user goes in too
    try:
        begun = [_database(folder, "start") for folder in folders]
        assert [process.wait(timeout=120) for process in begun] == [0] * COUNT
        ports = []
        for folder in folders:
            told = dict(line.split("=", 1) for line in (folder / "postgres.env").read_text().split())
            port = told["CLINAMEN_DB_PORT"]
            with psycopg.connect(host=told["CLINAMEN_DB_HOST"], port=port, user="clinamen", dbname="postgres") as asked:
                ((data,),) = asked.execute("SHOW data_directory").fetchall()
            assert data == str(folder / "postgres")
            ports.append(port)
        assert len(set(ports)) == COUNT
    finally:
        for process in [_database(folder, "stop") for folder in folders]:
            process.wait(timeout=120)
        for folder in folders:
            shutil.rmtree(folder, ignore_errors=True)


def _database(folder: Path, what: str) -> subprocess.Popen[bytes]:
    """The command at work on the cluster in a folder."""
    return subprocess.Popen([ROOT / "bin/database", what], env={**os.environ, "CLINAMEN_VAR": str(folder)})
