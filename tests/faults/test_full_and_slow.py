"""A disk that is full, on a small one of its own, and a store that is slow."""

import os
import subprocess
from pathlib import Path

import pytest
from django.core.files.storage import FileSystemStorage

from clinamen.art import files
from clinamen.art.models import Picture
from clinamen.scenes.models import Scene
from tests.web.conftest import png, upload
from tests.web.test_scenes import edit, head

pytestmark = pytest.mark.django_db
ROOM = 3  # MB


@pytest.fixture
def small_disk(settings, tmp_path):
    """The store and all else that is written, on a disk of ROOM MB."""
    if os.geteuid() != 0:
        pytest.skip("only root makes a disk")
    place = tmp_path / "small"
    place.mkdir()
    made = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", f"size={ROOM}m", "tmpfs", place], capture_output=True, check=False
    )
    if made.returncode:
        pytest.skip("no disk can be made here")
    settings.VAR = place
    settings.STORAGES = {**settings.STORAGES, "default": {
        "BACKEND": "django.core.files.storage.FileSystemStorage", "OPTIONS": {"location": place / "store"},
    }}  # fmt: skip
    yield place
    subprocess.run(["umount", "-l", place], check=True)


def filled(place: Path) -> Path:
    """A file that takes what room there is."""
    taken = place / "taken"
    with taken.open("wb") as file:
        try:
            while True:
                file.write(b"x" * 65536)
                file.flush()
        except OSError:
            pass
    return taken


def test_a_full_disk_refuses_in_words_keeps_what_there_is_and_goes_on_when_there_is_room(
    visitor, small_disk, made
) -> None:
    visitor.raise_request_exception = False
    before, pictures = head(made), Picture.objects.count()
    taken = filled(small_disk)
    large = [upload("more.png", png(500, 400, seed=9))]
    answer = visitor.post(f"/scenes/{made.pk}/layers/", {"files": large, "room": "art"})
    assert answer.status_code == 507 and "no space left" in answer.content.decode()
    assert head(made) == before and Picture.objects.count() == pictures, "nothing half done"
    assert not list(small_disk.rglob(".new-*")), "nor left lying about"
    edit(visitor, made, "depth", layer="front", rate="0.4")
    assert head(made) != before, "what needs no room goes on"
    assert visitor.get("/ready/").status_code == 503
    taken.unlink()
    visitor.post(f"/scenes/{made.pk}/layers/", {"files": [upload("more.png", png(500, 400, seed=9))], "room": "art"})
    assert len(head(made).layers) == len(before.layers) + 1


class Slow(FileSystemStorage):
    """A store far away: how often it is asked is counted, since each time costs."""

    asked = 0

    def _open(self, *told, **more):
        type(self).asked += 1
        return super()._open(*told, **more)

    def size(self, name):
        type(self).asked += 1
        return super().size(name)


def test_what_a_hand_does_does_not_wait_for_a_slow_store(visitor, made, settings, monkeypatch) -> None:
    settings.STORAGES = {**settings.STORAGES, "default": {
        "BACKEND": "tests.faults.test_full_and_slow.Slow", "OPTIONS": {"location": settings.VAR / "store"},
    }}  # fmt: skip
    monkeypatch.setattr(files, "folder", lambda: None)  # it is far: what was seen there is believed for a while
    page = visitor.get(f"/scenes/{made.pk}/depth/")
    assert page.status_code == 200
    Slow.asked = 0
    for number in range(4):
        edit(visitor, made, "depth", layer="front", rate=f"0.{3 + number}")
    assert Slow.asked == 0 and Scene.objects.get(pk=made.pk).revisions.count() == 5
