"""Films in the room Export: asked for, made range by range by whoever has time, watched, played, called off and cleaned away."""

import io
import zipfile
from datetime import timedelta
from pathlib import Path

import numpy as np
import pytest
from django.core.files.storage import default_storage
from django.test import Client
from django.utils import timezone
from PIL import Image
from procrastinate.contrib.django.models import ProcrastinateJob

from clinamen.core.film.film import Film
from clinamen.exports.actions import shoot as shooting
from clinamen.exports.actions.shoot import clean, shoot
from clinamen.exports.models import Export, Part
from tests.films import decoded, probed

pytestmark = pytest.mark.django_db


@pytest.fixture
def moving(visitor, made):
    """The scene with a clock of eight seconds at 25 frames a second."""
    for values in ({"on": "1"}, {"duration": "8", "fps": "25"}):
        visitor.post(f"/scenes/{made.pk}/edit/driver/", {"driver": "time", **values})
    made.refresh_from_db()
    assert made.head.document["drivers"]["time"]["duration"] == 8
    return made


def ask(visitor, made, **values: str) -> Export:
    answer = visitor.post(f"/scenes/{made.pk}/exports/new/", {"kind": "film", **values})
    assert answer.status_code == 200
    return Export.objects.filter(scene=made).first()


def work(export: Export, *numbers: int | None) -> Export:
    """Do the jobs of these parts; of all where none is told."""
    for part in export.parts.select_related("export__revision", "export__scene"):
        if not numbers or part.number in numbers:
            shoot(part)
    export.refresh_from_db()
    return export


def row(visitor, export: Export) -> str:
    return visitor.get(f"/exports/{export.pk}/").content.decode()


def files(export: Export) -> list[str]:
    folder = Path(default_storage.path(export.folder))
    return sorted(path.name for path in folder.rglob("*")) if folder.is_dir() else []


def test_a_film_is_cut_into_ranges_a_job_each_and_put_together_by_the_last(visitor, moving) -> None:
    export = ask(visitor, moving, scale="0.5")
    ranges = [(part.first, part.last) for part in export.parts.exclude(number=None)]
    assert ranges == [(0, 67), (67, 133), (133, 200)]
    jobs = list(ProcrastinateJob.objects.filter(task_name="exports.part"))
    assert {job.args["part_id"] for job in jobs} == set(export.parts.values_list("pk", flat=True))
    assert max(jobs, key=lambda job: job.priority).args["part_id"] == export.parts.get(number=None).pk, (
        "the draft first"
    )
    assert "200 frames, 8 s at 25 frames a second, 160 × 90 px" in export.says
    work(export, 2, 0)
    assert (
        export.status == "working"
        and "of 200 frames" in row(visitor, export)
        and export.newest.startswith("data:image/jpeg")
    )
    work(export, None)
    assert export.draft and "Draft, a quarter of the size" in row(visitor, export)
    work(export, 1)
    assert export.status == "done" and "<video" in row(visitor, export)
    path = Path(default_storage.path(export.file))
    assert path.name == "three-film.mp4" and len(probed(path)["times"]) == 200
    assert files(export) == ["draft.mp4", "three-film.mp4"], "parts are taken away"
    assert len(probed(Path(default_storage.path(export.draft)))["times"]) == 200


def test_only_a_draft_is_a_film_too(visitor, moving) -> None:
    export = work(ask(visitor, moving, draft="1", format="mov"))
    assert export.status == "done" and export.parts.count() == 1 and "a draft" in row(visitor, export)
    assert probed(Path(default_storage.path(export.file)))["width"] == 80


def test_a_film_plays_in_ranges_and_is_downloaded_whole(visitor, moving) -> None:
    export = work(ask(visitor, moving, to_time="0.4", format="gif"))
    whole = b"".join(visitor.get(f"/exports/{export.pk}/file/").streaming_content)
    assert Image.open(io.BytesIO(whole)).n_frames == 10
    address = f"/exports/{export.pk}/film.play"

    def part(asked: str):
        return visitor.get(address, headers={"Range": asked})

    size = len(whole)
    for asked, low, high in (
        ("bytes=0-99", 0, 100),
        ("bytes=50-", 50, size),
        ("bytes=-7", size - 7, size),
        (f"bytes=9-{size * 3}", 9, size),
    ):
        answer = part(asked)
        assert answer.status_code == 206 and answer["Content-Range"] == f"bytes {low}-{high - 1}/{size}"
        assert b"".join(answer.streaming_content) == whole[low:high] and int(answer["Content-Length"]) == high - low
    assert part(f"bytes={size}-").status_code == 416 and part("bytes=9-3").status_code == 416
    for asked in ("bytes=1-2,5-6", "lines=1-2", "bytes=-", "bytes=²-3"):
        assert part(asked).status_code == 200
    assert part("bytes=0-99")["Content-Type"] == "image/gif"
    stranger = Client()
    assert (
        stranger.get(address).status_code == 302 and visitor.get(f"/exports/{export.pk}/other.play").status_code == 200
    )


def test_numbered_pngs_come_in_one_archive(visitor, moving) -> None:
    export = work(ask(visitor, moving, to_time="0.2", format="png"))
    archive = zipfile.ZipFile(io.BytesIO(b"".join(visitor.get(f"/exports/{export.pk}/file/").streaming_content)))
    assert sorted(archive.namelist()) == [f"three-film/0000{n}.png" for n in range(5)]
    assert np.asarray(Image.open(archive.open("three-film/00003.png"))).shape == (180, 320, 3)


def test_one_bad_range_does_not_lose_the_rest(visitor, moving, monkeypatch) -> None:
    export, make = ask(visitor, moving, format="mkv"), Film.make_part

    def broken(film: Film, path: Path, numbers: tuple[int, int], *rest: object) -> None:
        if numbers[0] == 67:
            raise RuntimeError("a fault")
        make(film, path, numbers, *rest)

    monkeypatch.setattr(Film, "make_part", broken)
    work(export, None, 0)
    with pytest.raises(RuntimeError):
        work(export, 1)
    assert work(export, 2).status == "failed"
    assert "Frames 67 to 132: it failed by a fault of the program" in row(visitor, export)
    monkeypatch.undo()
    kept = {name: Path(default_storage.path(f"{export.folder}/{name}")).stat().st_mtime_ns for name in files(export)}
    answer = visitor.post(f"/exports/{export.pk}/retry/").content.decode()
    assert "134 of 200 frames" in answer
    assert ProcrastinateJob.objects.filter(status="todo", task_name="exports.part").count() == 5, "four, and one again"
    monkeypatch.setattr(Film, "join", lambda *_: pytest.fail("too early"))
    assert all(
        Path(default_storage.path(f"{export.folder}/{name}")).stat().st_mtime_ns == at for name, at in kept.items()
    )
    monkeypatch.undo()
    assert work(export, 1).status == "done"
    assert len(decoded(Path(default_storage.path(export.file)), 320, 180)) == 200


def test_a_range_whose_worker_died_is_made_again_and_one_that_kills_workers_is_given_up(visitor, moving) -> None:
    export = ask(visitor, moving, to_time="0.4")
    part = export.parts.get(number=0)
    part.status, part.tries, part.done = "working", 1, 4  # as a dead worker leaves it
    part.save()
    work(export, 0, None)
    assert export.status == "done"
    other = ask(visitor, moving, to_time="0.4")
    other.parts.filter(number=0).update(status="working", tries=3)
    assert work(other).status == "failed" and "a worker died of it three times" in row(visitor, other)


def test_who_dies_putting_a_film_together_leaves_it_to_the_next(visitor, moving, monkeypatch) -> None:
    export, join = ask(visitor, moving, to_time="0.4"), Film.join
    work(export, None)

    def dies(*_: object) -> None:
        raise KeyboardInterrupt

    monkeypatch.setattr(Film, "join", dies)
    with pytest.raises(KeyboardInterrupt):
        work(export, 0)
    assert Export.objects.get(pk=export.pk).status == "working" and export.parts.get(number=0).status == "done"
    monkeypatch.setattr(Film, "join", join)
    assert work(export, 0).status == "done", "its job is taken up again"


def test_a_film_called_off_stops_between_two_frames_and_leaves_nothing(visitor, moving, monkeypatch) -> None:
    export = ask(visitor, moving)
    work(export, None)
    monkeypatch.setattr(shooting, "TOLD_EVERY", 0.0)
    seen = []

    def small(picture: np.ndarray) -> str:
        seen.append(1)
        if len(seen) == 3:
            visitor.post(f"/exports/{export.pk}/cancel/")
        return "data:"

    monkeypatch.setattr(shooting, "small", small)
    work(export, 0)
    assert (
        export.status == "cancelled" and len(seen) <= 4 and files(export) == [] and "cancelled" in row(visitor, export)
    )
    work(export, 1)
    assert len(seen) <= 4, "what waits is not begun"
    assert "Take this export away" in row(visitor, export)
    visitor.post(f"/exports/{export.pk}/discard/")
    assert not Export.objects.filter(pk=export.pk).exists()


@pytest.mark.parametrize(
    ("asked", "says"),
    [
        ({"over": "scroll"}, "a scroll takes no time by itself"),
        ({"format": "mp4", "transparent": "1"}, ".apng, numbered PNGs, .mkv"),
        ({"seconds": "many"}, "Seconds: &#x27;many&#x27; is not a number"),
        ({"seconds": "30000"}, "frames are too many"),
        ({"only": "moon"}, "there is no layer or group"),
        ({"format": "avi"}, "File: "),
    ],
)
def test_what_cannot_be_filmed_is_said_at_once_and_asks_for_nothing(visitor, moving, asked, says: str) -> None:
    answer = visitor.post(f"/scenes/{moving.pk}/exports/new/", {"kind": "film", **asked})
    assert says in answer.content.decode() and not Export.objects.exists() and not Part.objects.exists()
    assert not ProcrastinateJob.objects.filter(task_name="exports.part").exists()


def test_the_queue_says_what_is_before_and_is_changed_on_request(visitor, moving) -> None:
    first, second = ask(visitor, moving, kind="web"), ask(visitor, moving, kind="layered")
    assert "1 export before it" in row(visitor, second) and "before it" not in row(visitor, first)
    visitor.post(f"/exports/{second.pk}/first/")
    best = max(ProcrastinateJob.objects.filter(queue_name="exports"), key=lambda job: job.priority)
    assert best.args == {"export_id": str(second.pk)}


def test_a_page_waits_behind_no_film_and_a_film_behind_no_page(visitor, moving) -> None:
    ask(visitor, moving)
    elements, page = ask(visitor, moving, kind="elements"), ask(visitor, moving, kind="web")
    assert "before it" not in row(visitor, page) and "1 export before it" in row(visitor, elements)
    waiting = {
        job.queue_name: job for job in ProcrastinateJob.objects.order_by("pk") if job.task_name == "exports.make"
    }
    assert {name: job.args["export_id"] for name, job in waiting.items()} == {
        "films": str(elements.pk),
        "exports": str(page.pk),
    }
    parts = ProcrastinateJob.objects.filter(task_name="exports.part")
    assert {job.queue_name for job in parts} == {"films"}
    visitor.post(f"/exports/{elements.pk}/first/")
    best = max(ProcrastinateJob.objects.filter(queue_name="films"), key=lambda job: job.priority)
    assert best.args == {"export_id": str(elements.pk)}


def test_old_exports_and_what_takes_too_much_room_are_cleaned_away(visitor, moving) -> None:
    old, middle, new = (work(ask(visitor, moving, to_time="0.2", draft="1")) for _ in range(3))
    Export.objects.filter(pk=old.pk).update(created=timezone.now() - timedelta(days=40))
    assert clean(30, 1e12) == 1 and files(old) == [] and files(middle)
    assert clean(30, new.size * 1.5) == 1 and list(Export.objects.all()) == [new]
    visitor.post(f"/exports/{new.pk}/discard/")
    assert not Export.objects.exists() and files(new) == []


def test_a_page_that_watches_gets_what_moves_and_the_row_when_it_is_over(visitor, moving) -> None:
    export = ask(visitor, moving, to_time="0.4")
    watched = visitor.get(f"/exports/{export.pk}/standing/")
    assert "HX-Retarget" not in watched and "<video" not in watched.content.decode()
    work(export, None)
    assert visitor.get(f"/exports/{export.pk}/standing/")["HX-Retarget"] == f"#export-{export.pk}", "the draft has come"
    assert "HX-Retarget" not in visitor.get(f"/exports/{export.pk}/standing/?draft=1"), "and goes on playing"
    work(export, 0)
    over = visitor.get(f"/exports/{export.pk}/standing/?draft=1")
    assert over["HX-Reswap"] == "outerHTML" and "Download" in over.content.decode()
