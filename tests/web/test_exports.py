import io
import json
import zipfile

import pytest
from procrastinate.contrib.django.models import ProcrastinateJob

from clinamen.exports.actions.make import make
from clinamen.exports.models import Export
from clinamen.scenes.models import Revision, Scene
from tests.conftest import scene

pytestmark = pytest.mark.django_db


def ask(visitor, made, **values: str) -> Export:
    answer = visitor.post(f"/scenes/{made.pk}/exports/new/", values)
    assert answer.status_code == 200
    return Export.objects.filter(scene=made).first()


def download(visitor, export: Export) -> bytes:
    return b"".join(visitor.get(f"/exports/{export.pk}/file/").streaming_content)


def test_an_export_is_a_job_committed_with_its_row(visitor, made) -> None:
    export = ask(visitor, made, kind="web", fit="contain")
    job = ProcrastinateJob.objects.get()
    assert job.task_name == "exports.make" and job.args == {"export_id": str(export.pk)} and export.running
    assert "waits for the worker" in visitor.get(f"/exports/{export.pk}/").content.decode()


@pytest.mark.parametrize(("kind", "member"), [("web", "three-web/index.html"), ("engine", "three-engine/kit.json")])
def test_exports_are_made_listed_with_sizes_and_downloaded(visitor, made, kind: str, member: str) -> None:
    export = ask(visitor, made, kind=kind, pixels_per_metre="50", page_size="1024", power_of_two="1")
    make(export)
    export.refresh_from_db()
    row = visitor.get(f"/exports/{export.pk}/").content.decode()
    assert export.status == "done" and "Download" in row and member.split("/")[1] in row
    archive = zipfile.ZipFile(io.BytesIO(download(visitor, export)))
    assert member in archive.namelist()
    assert dict(export.contents)[member.split("/")[1]] == archive.getinfo(member).file_size
    assert ("What it costs its visitors" in row) == (kind == "web")
    if kind == "web":
        assert export.budget == json.loads(archive.read("three-web/budget.json")) and "1280 × 800" in row
    if kind == "engine":
        kit = json.loads(archive.read(member))
        assert kit["pixels_per_metre"] == 50 and all((p["width"] & (p["width"] - 1)) == 0 for p in kit["pages"])


def test_the_layered_file_is_an_ora(visitor, made) -> None:
    export = ask(visitor, made, kind="layered")
    make(export)
    export.refresh_from_db()
    assert export.file.endswith("/three.ora") and download(visitor, export)[30:38] == b"mimetype"


def test_what_cannot_be_exported_says_why(visitor, made) -> None:
    export = ask(visitor, made, kind="engine", page_size="100", pixels_per_metre="1")
    make(export)
    row = visitor.get(f"/exports/{export.pk}/").content.decode()
    assert "more than an atlas page of 100 px holds" in row
    answer = visitor.post(f"/scenes/{made.pk}/exports/new/", {"kind": "engine", "page_size": "huge"})
    assert "Page size:" in answer.content.decode()
    assert visitor.get(f"/exports/{export.pk}/file/").status_code == 404


def test_a_cancelled_export_is_not_made(visitor, made) -> None:
    export = ask(visitor, made, kind="web")
    visitor.post(f"/exports/{export.pk}/cancel/")
    make(export)
    export.refresh_from_db()
    assert export.status == "cancelled" and export.file == ""


def test_exports_belong_to_the_scenes_owner(visitor, made, client, django_user_model) -> None:
    export = ask(visitor, made, kind="web")
    make(export)
    client.force_login(django_user_model.objects.create_user("eve"))
    for address in (f"/exports/{export.pk}/", f"/exports/{export.pk}/file/"):
        assert client.get(address).status_code == 404


def test_other_scenes_follow_on_the_same_page_as_they_are_now(visitor, made) -> None:
    other = Scene.objects.create(owner=made.owner, title="Other")
    other.head = Revision.objects.create(scene=other, document=scene(title="Other").to_json(), says="made")
    other.save()
    room = visitor.get(f"/scenes/{made.pk}/export/").content.decode()
    assert f'name="more" value="{other.pk}"' in room and f'name="more" value="{made.pk}"' not in room
    export = ask(visitor, made, kind="web", more=str(other.pk))
    make(export)
    page = zipfile.ZipFile(io.BytesIO(download(visitor, export))).read("three-web/index.html").decode()
    assert page.count("data-scene=") == 2 and 'data-title="Other"' in page
    export = ask(visitor, made, kind="web", more=str(other.pk))
    other.delete()
    make(export)
    export.refresh_from_db()
    assert export.status == "failed" and "was deleted; choose again what follows" in export.says
    answer = visitor.post(f"/scenes/{made.pk}/exports/new/", {"kind": "web", "more": str(export.pk)})
    assert "More scenes: one of them is not there any more" in answer.content.decode()


def test_what_failed_is_made_once_more_at_a_press(visitor, made) -> None:
    export = ask(visitor, made, kind="web", fit="cover")
    Export.objects.filter(pk=export.pk).update(status="failed", says="The machine was too busy to read Back. Try again")
    ProcrastinateJob.objects.all().delete()
    assert "Try again</button>" in visitor.get(f"/exports/{export.pk}/").content.decode()
    row = visitor.post(f"/exports/{export.pk}/retry/").content.decode()
    assert "too busy" not in row and ProcrastinateJob.objects.get().args == {"export_id": str(export.pk)}
    make(export)
    export.refresh_from_db()
    assert export.status == "done" and export.says == ""
