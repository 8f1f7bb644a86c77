"""Every hostile file is refused in one sentence that names it, or taken for what it can be, on the page and on the command line; never
by a fault of the program."""

import os
import re
from pathlib import Path

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from clinamen.cli.main import BAD_INPUT, main
from tests.conftest import layer, noise, scene, write_folder
from tests.hostile import HOSTILE, Hostile
from tests.web.conftest import png


@pytest.mark.parametrize("each", HOSTILE, ids=lambda each: each.id)
def test_on_the_page(visitor, someone, each: Hostile) -> None:
    file = SimpleUploadedFile("plain.bin", each.make())
    file.name = each.file
    answer = visitor.post("/scenes/new/", {"title": "Hostile", "files": [file]})
    text = answer.content.decode()
    if not each.says:
        assert answer.status_code == 302, text
        assert visitor.get(answer.url).status_code == 200
        return
    assert answer.status_code == 422 and not someone.scenes.exists()
    told = re.findall(r"<li[^>]*>(.*?)</li>", text, re.S)
    assert any(re.search(each.says, line) and each.file.split(".")[0] in line for line in told), told


@pytest.mark.parametrize("each", [x for x in HOSTILE if x.file.endswith(".ora")], ids=lambda each: each.id)
def test_on_the_command_line(tmp_path, capsys, each: Hostile) -> None:
    (tmp_path / each.file).write_bytes(each.make())
    status = main(["check", str(tmp_path / each.file)])
    told = capsys.readouterr().err
    assert (
        (status == BAD_INPUT and re.search(each.says, told) and "Traceback" not in told) if each.says else status == 0
    )


def check(place: Path, capsys) -> str:
    """What the command line says of a scene that it refuses."""
    assert main(["check", str(place)]) == BAD_INPUT
    told = capsys.readouterr().err
    assert len(told.strip().splitlines()) == 1 and "Traceback" not in told
    return told


def test_devices_and_pipes_are_refused_before_a_byte_is_read(tmp_path, capsys) -> None:
    os.mkfifo(tmp_path / "scene.json")
    assert "scene.json: is no plain file" in check(tmp_path, capsys)
    assert "is no plain file" in check(Path("/dev/zero"), capsys)
    assert "cannot be read" in check(tmp_path / "missing.json", capsys)


def test_a_file_larger_than_any_scene_is_refused_by_its_size(tmp_path, capsys) -> None:
    with (tmp_path / "scene.json").open("wb") as file:
        file.truncate(300 * 1024 * 1024)
    assert "is 300 MB large; at most 200 MB" in check(tmp_path, capsys)


def test_art_that_leads_out_of_the_folder_is_refused(tmp_path, capsys) -> None:
    (tmp_path / "outside.png").write_bytes(png(40, 30))
    folder = write_folder(tmp_path / "scene", scene(layer("a", 40, 30)), {"a": noise(40, 30)})
    (folder / "art/a.png").unlink()
    (folder / "art/a.png").symlink_to(tmp_path / "outside.png")
    assert main(["render", str(folder), "--out", str(tmp_path / "out.png")]) == BAD_INPUT
    assert "leads out of the scene's folder" in capsys.readouterr().err
    (folder / "art/a.png").unlink()
    (folder / "art/b.png").write_bytes(png(40, 30))
    (folder / "art/a.png").symlink_to("b.png")
    assert main(["render", str(folder), "--out", str(tmp_path / "out.png")]) == 0, "within the folder a link is a file"


def test_a_million_unknown_fields_are_one_sentence(tmp_path, capsys) -> None:
    fields = ",".join(f'"k{n}":1' for n in range(1_000_000))
    (tmp_path / "scene.json").write_text(f'{{"title": "x", {fields}}}')
    assert "has 1000001 fields" in check(tmp_path, capsys)


def test_a_nul_is_refused_wherever_text_is_kept(visitor, made, tmp_path, capsys) -> None:
    (tmp_path / "scene.json").write_text('{"title": "a\\u0000b"}')
    assert "NUL" in check(tmp_path, capsys)
    for address, values in (
        (f"/scenes/{made.pk}/edit/title/", {"title": "a\0b"}),
        (f"/scenes/{made.pk}/edit/layer/", {"layer": "back", "name": "a\0b"}),
        ("/sign-in/", {"username": "a\0b", "password": "x"}),
    ):
        answer = visitor.post(address, values)
        assert answer.status_code == 422 and "NUL" in answer.content.decode(), address
    assert visitor.get(f"/scenes/{made.pk}/depth/?layer=a%00b").status_code == 422
    assert "NUL" not in str(made.head.document)
    page = visitor.post(f"/scenes/{made.pk}/put/", {"folder": "a\0b"}, headers={"Accept": "text/html,*/*;q=0.8"})
    assert (
        page.status_code == 422 and "folder: holds a NUL" in page.content.decode() and "<h1>" in page.content.decode()
    )
