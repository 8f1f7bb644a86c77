"""Every hostile file is refused in one sentence that names it, or taken for what it can be, on the page and on the command line; never
by a fault of the program."""

import re

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from clinamen.cli.main import BAD_INPUT, main
from tests.hostile import HOSTILE, Hostile


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
