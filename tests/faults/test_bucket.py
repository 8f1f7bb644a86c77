"""Files kept in an S3-compatible bucket: one process and many, in separate folders, against one database and one bucket."""

import io
import os
import subprocess
import sys
import time
import urllib.request
import zipfile
from pathlib import Path

import pytest
from django.conf import settings as django_settings

from clinamen.art import files, store
from clinamen.art.models import Picture
from clinamen.core.errors import BadArt
from clinamen.exports.actions.make import make
from clinamen.exports.actions.shoot import remove
from clinamen.exports.actions.sweep import sweep
from clinamen.exports.models import Export, Part
from clinamen.scenes.models import Scene
from tests import bucket
from tests.conftest import ROOT
from tests.web.conftest import png, upload


@pytest.fixture(scope="module")
def address():
    with bucket.served() as address:
        yield address


@pytest.fixture
def far(settings, tmp_path, address):
    settings.VAR = tmp_path
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    settings.STORAGES = {**settings.STORAGES, "default": bucket.storage(address)}
    store._seen.clear()


@pytest.mark.django_db
def test_a_scene_lives_in_a_bucket_and_what_is_lost_there_is_healed(far, made, visitor) -> None:
    page = visitor.get(f"/scenes/{made.pk}/depth/").content.decode()
    picture = Picture.objects.order_by("pk").first()
    assert files.folder() is None and files.size(picture.name) == picture.size
    address = f"/art/{picture.sha256}/160.webp"
    assert address.rsplit("/", 1)[0] in page and visitor.get(address).status_code == 200
    files.delete(picture.name)
    store._seen.clear()
    assert "lost" in visitor.get(f"/scenes/{made.pk}/depth/").content.decode()
    with pytest.raises(BadArt, match="was lost or damaged"):
        store.read(picture, "1-back.png")
    visitor.post(f"/scenes/{made.pk}/layers/", {"files": [upload("again.png", png(seed=1))], "room": "art"})
    assert files.size(picture.name) == picture.size
    files.write(picture.name, b"x" * picture.size)
    with pytest.raises(BadArt):
        store.read(picture)
    assert files.size(picture.name) is None and files.size(f"{picture.name}.damaged") == picture.size


@pytest.mark.django_db
def test_an_export_goes_to_the_bucket_in_ranges_and_away(far, made, visitor) -> None:
    export = Export.objects.create(scene=made, revision_id=made.head_id, kind="web", options={})
    make(export)
    export.refresh_from_db()
    assert export.status == "done" and files.total(export.folder) == export.size > 1000
    whole = b"".join(visitor.get(f"/exports/{export.pk}/file/").streaming_content)
    assert "index.html" in " ".join(zipfile.ZipFile(io.BytesIO(whole)).namelist())
    part = visitor.get(f"/exports/{export.pk}/file/", headers={"Range": "bytes=5-14"})
    assert part.status_code == 206 and b"".join(part.streaming_content) == whole[5:15]
    remove(export)
    assert files.total(export.folder) == 0


@pytest.mark.django_db
def test_what_nobody_uses_is_swept_out_of_the_bucket(far, monkeypatch) -> None:
    name = store.original_name(store.keep_original(b"nobody's"))
    assert sweep()["originals"] == 0, "too young"
    inside = files.inside
    monkeypatch.setattr(files, "inside", lambda top: [(n, at - 90_000, size) for n, at, size in inside(top)])
    assert sweep()["originals"] == 1 and files.size(name) is None


@pytest.mark.django_db
def test_a_bucket_that_does_not_answer_is_told_in_words(far, settings, made, visitor) -> None:
    picture = Picture.objects.first()
    settings.STORAGES = {**settings.STORAGES, "default": bucket.storage("http://127.0.0.1:9")}
    store._seen.clear()
    visitor.raise_request_exception = False
    with pytest.raises(files.StoreAway):
        files.read(picture.name)
    answer = visitor.get(f"/scenes/{made.pk}/depth/")
    assert answer.status_code == 503 and "The store of files does not answer" in answer.content.decode()


# --- several machines ------------------------------------------------------------------------------------------------


class Machines:
    """Web servers and workers, each with a working folder of its own."""

    def __init__(self, folder: Path, address: str) -> None:
        self.folder, self.running, self.ports = folder, [], []
        database = django_settings.DATABASES["default"]
        self.shared = {**os.environ, **bucket.environment(address), "CLINAMEN_DB_NAME": str(database["NAME"]),
                       "CLINAMEN_SECRET": "of the test", "CLINAMEN_SHARES": "1", "CLINAMEN_DEMO": "0"}  # fmt: skip

    def start(self, name: str, *command: str) -> None:
        var = self.folder / name
        var.mkdir()
        told = (var / "said").open("w")
        self.running.append(
            subprocess.Popen(command, cwd=ROOT, env={**self.shared, "CLINAMEN_VAR": str(var)}, stdout=told, stderr=told)
        )

    def web(self, number: int) -> str:
        import socket

        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        gunicorn = str(Path(sys.executable).with_name("gunicorn"))
        self.start(f"web-{number}", gunicorn, "clinamen.site.wsgi", "--bind", f"127.0.0.1:{port}", "--threads", "4")
        return f"http://127.0.0.1:{port}"

    def stop(self) -> None:
        for process in self.running:
            process.terminate()
        for process in self.running:
            process.wait(timeout=30)


@pytest.mark.django_db(transaction=True)
def test_two_web_servers_and_three_workers_share_database_and_bucket(
    far, tmp_path, address, settings, client, django_user_model
) -> None:
    settings.SECRET_KEY = "of the test"
    ada = django_user_model.objects.create_user("ada", password="a-long-passphrase")
    client.force_login(ada)
    machines = Machines(tmp_path / "machines", address)
    machines.folder.mkdir()
    try:
        webs = [machines.web(number) for number in (1, 2)]
        for number in (1, 2, 3):
            machines.start(f"worker-{number}", sys.executable, "manage.py", "work")
        files_ = [upload(f"{n}-layer.png", png(seed=n)) for n in (1, 2)]
        client.post("/scenes/new/", {"title": "Shared", "width": "160", "height": "90", "files": files_})
        scene, session = Scene.objects.get(), client.cookies["sessionid"].value

        def get(web: str, path: str) -> bytes:
            asked = urllib.request.Request(web + path, headers={"Cookie": f"sessionid={session}"})
            return urllib.request.urlopen(asked, timeout=60).read()

        def answers(web: str) -> bool:
            try:
                return get(web, "/alive/") == b"alive"
            except OSError:
                return False

        wait(lambda: all(answers(web) for web in webs))
        picture = Picture.objects.first()
        pages = [get(web, f"/scenes/{scene.pk}/depth/").decode() for web in webs]
        assert all("Shared" in page for page in pages)
        small = [get(web, f"/art/{picture.sha256}/160.webp") for web in webs]
        assert small[0] == small[1] and len(small[0]) > 100

        # a film in ranges: whichever worker has time takes one
        from clinamen.exports.actions.shoot import ask
        from clinamen.exports.tasks import defer_part

        client.post(
            f"/scenes/{scene.pk}/edit/driver/", {"driver": "time", "duration": "8", "fps": "25", "room": "motion"}
        )
        scene.refresh_from_db()
        export = ask(scene, {"format": "webm", "seconds": 8}, only_draft=False, defer=defer_part)
        assert export.parts.exclude(number=None).count() >= 3
        wait(lambda: Export.objects.get(pk=export.pk).status not in ("waiting", "working"))
        export.refresh_from_db()
        assert export.status == "done", (export.says, [part.says for part in export.parts.all()])
        films = [get(web, f"/exports/{export.pk}/file/") for web in webs]
        assert films[0] == films[1] and len(films[0]) == export.size > 1000
        assert not Part.objects.filter(export=export).exclude(status="done").exists()
        assert not any((machines.folder / f"worker-{n}" / "store").exists() for n in (1, 2, 3)), (
            "nothing is kept on a machine"
        )
    finally:
        machines.stop()


def wait(what, seconds: float = 120) -> None:
    deadline = time.monotonic() + seconds
    while not what():
        assert time.monotonic() < deadline
        time.sleep(0.1)
