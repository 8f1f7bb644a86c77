"""A copy made while people edit and bring things in, restored elsewhere: nothing that was acknowledged before it began is missing."""

import os
import subprocess
import threading

import psycopg
import pytest
from django.conf import settings as django_settings
from django.db import connection
from django.test import Client

from clinamen.art.models import Picture
from clinamen.scenes.models import Scene
from tests.conftest import ROOT
from tests.web.conftest import png, upload

ELSEWHERE = "test_clinamen_restored"


def run(command: str, folder, **told: str) -> None:
    environment = {**os.environ, **told}
    done = subprocess.run(
        [ROOT / "bin" / command, folder], check=False, env=environment, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr


def asked(database: str, question: str) -> list[tuple]:
    told = django_settings.DATABASES["default"]
    with psycopg.connect(
        host=told["HOST"], port=told["PORT"], user=told["USER"], dbname=database, autocommit=True
    ) as line:
        answer = line.execute(question)
        return answer.fetchall() if answer.description else []


@pytest.mark.django_db(transaction=True)
def test_nothing_acknowledged_is_missing_from_a_copy_made_meanwhile(settings, tmp_path, django_user_model) -> None:
    ada = django_user_model.objects.create_user("ada", password="a-long-passphrase")
    acknowledged: list[int] = []
    stop = threading.Event()

    def work() -> None:
        client = Client()
        client.force_login(ada)
        files = [upload("1-layer.png", png(seed=1))]
        client.post("/scenes/new/", {"title": "Backed up", "width": "160", "height": "90", "files": files})
        scene = Scene.objects.get()
        number = 2
        while not stop.is_set() or len(acknowledged) < 4:
            picture = upload(f"{number}-layer.png", png(60, 40, seed=number))
            client.post(f"/scenes/{scene.pk}/layers/", {"files": [picture], "room": "art"})
            scene.refresh_from_db()
            acknowledged.append(scene.head_id)
            number += 1
        connection.close()

    worker = threading.Thread(target=work)
    worker.start()
    while len(acknowledged) < 2:
        stop.wait(0.05)
    before = list(acknowledged)
    database = settings.DATABASES["default"]
    told = {
        "CLINAMEN_VAR": str(tmp_path),
        "CLINAMEN_DB_HOST": database["HOST"],
        "CLINAMEN_DB_PORT": str(database["PORT"]),
    }
    run("backup", tmp_path / "copy", **told, CLINAMEN_DB_NAME=str(database["NAME"]))
    stop.set()
    worker.join()
    assert len(acknowledged) > len(before), "people went on meanwhile"
    elsewhere = f"{ELSEWHERE}_{os.getpid()}"
    try:
        run("restore", tmp_path / "copy", **{**told, "CLINAMEN_VAR": str(tmp_path / "new")}, CLINAMEN_DB_NAME=elsewhere)
        kept = {pk for (pk,) in asked(elsewhere, "SELECT id FROM scenes_revision")}
        assert set(before) <= kept
        named = [
            Picture(sha256=sha, format=kind) for sha, kind in asked(elsewhere, "SELECT sha256, format FROM art_picture")
        ]
        assert len(named) >= len(before)
        for picture in named:
            assert (tmp_path / "new/store" / picture.name).exists(), "every file that the database names"
        again = subprocess.run([ROOT / "bin/restore", tmp_path / "copy"], check=False, env={**os.environ, **told, "CLINAMEN_VAR": str(tmp_path / "new"),
                               "CLINAMEN_DB_NAME": elsewhere}, capture_output=True, text=True)  # fmt: skip
        assert again.returncode == 2 and "empty place" in again.stderr
    finally:
        asked("postgres", f"DROP DATABASE IF EXISTS {elsewhere} WITH (FORCE)")
