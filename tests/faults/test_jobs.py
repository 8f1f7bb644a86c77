"""Jobs and rows stay together: what a dead worker was doing is done again, what lost its job gets one, and nothing is tried for ever."""

from typing import Any

import pytest
from django.db import OperationalError, connection
from django.test import Client

from clinamen.core.exports import EXPORTS
from clinamen.exports.actions import shoot, take_up
from clinamen.exports.actions.make import make
from clinamen.exports.models import Export
from clinamen.exports.tasks import defer_export, defer_part
from clinamen.scenes.actions import prepare_art
from clinamen.scenes.models import JobStatus, Preparation
from clinamen.scenes.workers import DEAD, anybody_works

FRESH, OLD = 0.0, DEAD + 1


def asked(made: Any) -> Export:
    """An export asked for, with its job."""
    export = Export.objects.create(scene=made, revision=made.head, kind="layered", options={})
    defer_export(export)
    return export


def worker(age: float) -> int:
    """A worker whose last heartbeat is so many seconds old."""
    with connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now() - %s * interval '1 second') RETURNING id", [age]
        )  # fmt: skip
        return int(cursor.fetchone()[0])


def jobs(**args: str) -> list[tuple[str, int, float]]:
    """Status, attempts and seconds until it may begin of each job of a row."""
    ((name, value),) = args.items()
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT status::text, attempts, coalesce(extract(epoch FROM scheduled_at - clock_timestamp()), 0)::float"
            " FROM procrastinate_jobs WHERE args ->> %s = %s ORDER BY id", [name, value])  # fmt: skip
        return list(cursor.fetchall())


def begun(by: int | None, attempts: int = 0) -> None:
    """All jobs are being done by a worker."""
    with connection.cursor() as cursor:
        cursor.execute("UPDATE procrastinate_jobs SET status = 'doing', worker_id = %s, attempts = %s", [by, attempts])


def lost() -> None:
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM procrastinate_jobs")


def test_a_dead_workers_job_is_done_again_and_a_living_ones_is_left_alone(made) -> None:
    export = asked(made)
    begun(by=worker(FRESH))
    take_up.take_up()
    assert jobs(export_id=str(export.pk)) == [("doing", 0, 0.0)]
    begun(by=worker(OLD))
    take_up.take_up()
    ((status, attempts, wait),) = jobs(export_id=str(export.pk))
    assert (status, attempts) == ("todo", 1) and wait <= 0, "the first time at once"
    begun(by=worker(OLD), attempts=1)
    take_up.take_up()
    ((status, attempts, wait),) = jobs(export_id=str(export.pk))
    assert (status, attempts) == ("todo", 2) and 0 < wait <= take_up.rest(1), "then after a rest"


def test_what_kills_every_worker_is_given_up_in_words(made) -> None:
    export = asked(made)
    Export.objects.update(status=JobStatus.WORKING)
    begun(by=None, attempts=take_up.MOST_TRIES - 1)
    take_up.take_up()
    export.refresh_from_db()
    assert export.status == JobStatus.FAILED and "broken off 3 times" in export.says
    assert jobs(export_id=str(export.pk)) == []


def test_a_row_without_a_job_gets_one_a_few_times(made) -> None:
    export = asked(made)
    for tries in range(take_up.MOST_TRIES):
        lost()
        Export.objects.update(status=JobStatus.WORKING)
        take_up.take_up()
        ((status, _, wait),) = jobs(export_id=str(export.pk))
        assert status == "todo" and wait <= take_up.rest(tries)
        take_up.take_up()
        assert len(jobs(export_id=str(export.pk))) == 1, "one job is enough"
    lost()
    take_up.take_up()
    export.refresh_from_db()
    assert export.status == JobStatus.FAILED and jobs(export_id=str(export.pk)) == []


@pytest.mark.parametrize("ended", [JobStatus.DONE, JobStatus.FAILED, JobStatus.CANCELLED])
def test_what_has_ended_needs_no_job(made, ended) -> None:
    export = asked(made)
    lost()
    Export.objects.update(status=ended)
    assert take_up.take_up() == 0 and jobs(export_id=str(export.pk)) == []


def test_an_export_that_lost_its_database_goes_on_when_it_is_back(made, monkeypatch) -> None:
    export = asked(made)

    def gone(*args: Any) -> None:
        raise OperationalError("the server closed the connection unexpectedly")

    with monkeypatch.context() as broken:
        broken.setattr(type(EXPORTS["layered"]), "build", gone)
        with pytest.raises(OperationalError):
            make(export)
    export.refresh_from_db()
    assert export.status == JobStatus.WORKING, "not said to have failed: it is no fault of the export"
    lost()
    take_up.take_up()
    make(Export.objects.get(pk=export.pk))
    export.refresh_from_db()
    assert export.status == JobStatus.DONE and export.size > 0


def test_a_film_whose_parts_are_done_is_put_together_by_somebody_else(made) -> None:
    film = shoot.ask(made, {"seconds": 2.0}, only_draft=True, defer=defer_part)
    (part,) = film.parts.all()
    part.status = JobStatus.DONE
    part.save()
    Export.objects.update(status=JobStatus.WORKING)
    lost()
    take_up.take_up()
    assert [status for status, *_ in jobs(part_id=str(part.pk))] == ["todo"]
    take_up.take_up()
    assert len(jobs(part_id=str(part.pk))) == 1


def test_a_part_of_a_film_that_nobody_can_make_ends_the_film_in_words(made) -> None:
    film = shoot.ask(made, {"seconds": 2.0}, only_draft=True, defer=defer_part)
    film.parts.update(tries=take_up.MOST_TRIES)
    lost()
    take_up.take_up()
    film.refresh_from_db()
    assert film.status == JobStatus.FAILED and "broken off 3 times" in film.says and film.finished is not None


def test_art_whose_job_is_gone_is_prepared_after_all(made) -> None:
    row = Preparation.objects.create(
        scene=made, key="0" * 64, layer="back", document=made.head.document, status="working"
    )
    take_up.take_up()
    assert [status for status, *_ in jobs(preparation_id=str(row.pk))] == ["todo"]
    prepare_art.cancel(row)
    lost()
    assert take_up.take_up() == 0


def test_an_export_called_off_leaves_nothing(made, monkeypatch) -> None:
    from django.core.files.storage import default_storage

    export, kind = asked(made), type(EXPORTS["layered"])
    whole = kind.build

    def called_off_meanwhile(self: Any, *args: Any) -> Any:
        files = whole(self, *args)
        shoot.call_off(Export.objects.get(pk=export.pk))
        return files

    monkeypatch.setattr(kind, "build", called_off_meanwhile)
    make(export)
    export.refresh_from_db()
    assert export.status == JobStatus.CANCELLED and not default_storage.exists(export.folder)


def test_with_no_worker_the_page_says_so(visitor: Client, made) -> None:
    export = asked(made)
    assert (
        not anybody_works()
        and "No worker is running" in visitor.get(f"/exports/{export.pk}/standing/").content.decode()
    )
    worker(FRESH)
    assert (
        anybody_works()
        and "No worker is running" not in visitor.get(f"/exports/{export.pk}/standing/").content.decode()
    )
