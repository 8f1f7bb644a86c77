import csv
import hashlib
import io
import json
import subprocess
import sys

import numpy as np
import pytest
from PIL import Image

from clinamen.cli.main import main
from clinamen.core.exports import EXPORTS
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.reading import decode_file
from clinamen.core.reports import REPORTS
from tests.conftest import ROOT, layer, noise, psnr, scene, track, write_folder
from tests.fonts import SIDE, UNITS, boxes


@pytest.fixture
def folder(tmp_path):
    made = scene(
        layer("back", 300, 200, depth=500), layer("far", 260, 150, depth="infinite"), view={"width": 200, "height": 120},
        drivers={"scroll": {}, "pointer": {"reach_x": 10, "reach_y": 0}}, tracks=[track("camera", "x", "scroll", (0, 0), (1, 80))],
    )  # fmt: skip
    return write_folder(tmp_path / "scene", made, {"back": noise(300, 200), "far": noise(260, 150, 2)})


def run(capsys, *arguments: object) -> tuple[int, str, str]:
    status = main([str(argument) for argument in arguments])
    said = capsys.readouterr()
    return status, said.out, said.err


def test_offsets_at_one_state(folder, capsys) -> None:
    status, out, _ = run(capsys, "offsets", folder, "--scroll", 0.5, "--pointer", "1,0")
    data = json.loads(out)
    assert status == 0 and data["state"] == {"scroll": 0.5, "pointer": [1.0, 0.0], "time": 0.0}
    back, far = data["layers"]
    distance = 200 * 50 / 36
    rate = distance / (distance + 500)
    assert back["rate"] == pytest.approx(rate)
    assert back["matrix"] == pytest.approx([1, 0, 100 - 150 - rate * 50, 0, 1, 60 - 100, 0, 0, 1])
    assert (far["rate"], far["matrix"][2], far["opacity"], far["blur"]) == pytest.approx((0, 100 - 130, 1, 0))


def test_a_table_has_a_row_for_each_state_and_layer(folder, capsys) -> None:
    _, out, _ = run(capsys, "offsets", folder / "scene.json", "--table", "scroll:0:1:0.01")
    rows = json.loads(out)
    assert len(rows) == 101 * 2 and rows[-1]["scroll"] == 1 and rows[-1]["id"] == "far"
    _, out, _ = run(capsys, "offsets", folder, "--table", "pointer-x:-1:1:0.5", "--csv")
    table = list(csv.DictReader(io.StringIO(out)))
    assert [row["pointer_u"] for row in table[::2]] == ["-1.0", "-0.5", "0.0", "0.5", "1.0"]
    assert float(table[0]["m13"]) > float(table[-2]["m13"])


def test_a_proof_is_written_as_a_build_reads_it(folder, tmp_path, capsys) -> None:
    for word, begins in (("junit", b"<?xml"), ("sarif", b"{")):
        file = tmp_path / f"report.{word}"
        status, out, _ = run(capsys, "prove", folder, "--report", word, "--out", file)
        assert status == run(capsys, "prove", folder)[0] and str(file) in out and file.read_bytes().startswith(begins)
    status, _, err = run(capsys, "prove", folder, "--report", "junit")
    assert status == 2 and "--report and --out belong together" in err


def test_prove_says_1_when_there_are_errors(folder, capsys) -> None:
    status, out, _ = run(capsys, "prove", folder)
    findings = json.loads(out)["findings"]
    assert status == 0 and all(finding["severity"] != "error" for finding in findings)
    data = json.loads((folder / "scene.json").read_text())
    data["layers"] = data["layers"][:1]
    data["layers"][0]["framing"] = {"scale": 0.5}
    (folder / "scene.json").write_text(json.dumps(data))
    status, out, _ = run(capsys, "prove", folder)
    finding = json.loads(out)["findings"][0]
    assert status == 1 and finding["severity"] == "error"
    assert set(finding) >= {"check", "severity", "layer", "state", "amount", "unit", "where", "message", "fixes"}
    assert set(finding["state"]) == {"scroll", "pointer", "time"} and set(finding["where"]) == {
        "x",
        "y",
        "width",
        "height",
    }


def test_render_and_every_export(folder, tmp_path, capsys) -> None:
    status, _, _ = run(capsys, "render", folder, "--out", tmp_path / "f.png", "--scroll", 1, "--scale", 0.5)
    assert status == 0 and Image.open(tmp_path / "f.png").size == (100, 60)
    for kind, member in (("web", "index.html"), ("engine", "kit.json"), ("layered", "untitled-scene.ora")):
        status, out, _ = run(capsys, "export", folder, "--to", kind, "--out", tmp_path / kind)
        listed = {entry["file"]: entry["bytes"] for entry in json.loads(out)["files"]}
        assert status == 0 and (tmp_path / kind / member).stat().st_size == listed[member]
    status, out, _ = run(capsys, "check", tmp_path / "layered/untitled-scene.ora")
    assert status == 0 and json.loads(out)["layers"] == 2
    assert run(capsys, "export", folder, "--to", "film", "--out", tmp_path / "x")[0] == 2


def test_words_in_a_font_beside_the_scene_are_drawn_by_the_command_line(folder, tmp_path, capsys) -> None:
    font, data = boxes(), json.loads((folder / "scene.json").read_text())
    named = {"file": "fonts/boxes.ttf", "sha256": hashlib.sha256(font).hexdigest(), "name": "Boxes"}
    art = {
        "made": {"kind": "text", "text": "A", "size": 60, "colour": "#ff0000", "font": named},
        "width": 120,
        "height": 100,
    }
    data["layers"].append({"id": "words", "art": art})
    (folder / "scene.json").write_text(json.dumps(data))
    status, _, err = run(capsys, "render", folder, "--out", tmp_path / "f.png")
    assert status == 2 and "fonts/boxes.ttf: cannot be read" in err
    (folder / "fonts").mkdir()
    (folder / "fonts/boxes.ttf").write_bytes(font)
    assert run(capsys, "render", folder, "--out", tmp_path / "f.png")[0] == 0
    red = (np.asarray(Image.open(tmp_path / "f.png").convert("RGB")).astype(int) @ [1, -1, -1] > 200).sum()
    assert red == pytest.approx((60 * SIDE / UNITS) ** 2, rel=0.05), "a box of the font's own size"
    assert run(capsys, "export", folder, "--to", "layered", "--out", tmp_path / "o")[0] == 0
    assert run(capsys, "render", tmp_path / "o/untitled-scene.ora", "--out", tmp_path / "g.png")[0] == 0
    assert (tmp_path / "g.png").read_bytes() == (tmp_path / "f.png").read_bytes()


def test_problems_go_to_standard_error_one_a_line_with_status_2(folder, tmp_path, capsys) -> None:
    data = json.loads((folder / "scene.json").read_text())
    data["layers"][0]["depth"] = "near"
    data["wrong"] = 1
    (folder / "scene.json").write_text(json.dumps(data))
    status, out, err = run(capsys, "check", folder)
    assert status == 2 and out == ""
    assert all(line.startswith("scene.json: ") for line in err.splitlines()) and "scene.json: wrong:" in err
    assert run(capsys, "check", tmp_path / "nothing.json")[0] == 2


@pytest.mark.parametrize(
    "arguments", [("--scroll", "2"), ("--pointer", "1"), ("--pointer", "3,0"), ("--table", "scroll:0"), ("--table", "wind:0:1:1"), ("--table", "time:0:1:0")]
)  # fmt: skip
def test_options_out_of_range_are_refused(folder, capsys, arguments) -> None:
    status, _, err = run(capsys, "offsets", folder, *arguments)
    assert status == 2 and err.startswith(arguments[0] + ":") and err.count("\n") == 1


def test_art_that_is_missing_or_of_another_size_is_named(folder, capsys) -> None:
    (folder / "art/back.png").write_bytes(encode_png(np.zeros((9, 9, 4), np.uint8)))
    status, _, err = run(capsys, "prove", folder)
    assert status == 2 and err.startswith("art/back.png: is 9 × 9 px")
    (folder / "art/back.png").unlink()
    status, _, err = run(capsys, "render", folder, "--out", folder / "x.png")
    assert status == 2 and "back.png: cannot be read" in err


def test_check_needs_neither_numpy_nor_opencv() -> None:
    code = "import sys; from clinamen.cli.main import main; main(['check', sys.argv[1]]); print('numpy' in sys.modules, 'cv2' in sys.modules)"
    done = subprocess.run(
        [sys.executable, "-c", code, str(ROOT / "demo/kelp-descent")],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=True,
    )
    assert done.stdout.splitlines()[-1] == "False False", "what makes check start quickly"


def test_schema_is_printed(capsys) -> None:
    status, out, _ = run(capsys, "schema")
    assert status == 0 and json.loads(out)["$schema"].endswith("2020-12/schema")


def test_a_scene_with_a_recipe_is_checked_proved_drawn_and_exported(tmp_path, capsys) -> None:
    art = noise(200, 120, 3)
    recipe = {"width": 200, "height": 120, "steps": [
        {"step": "rectangle", "box": {"x": 50, "y": 30, "width": 100, "height": 60}, "soften": 0},
        {"step": "crop", "x": 50, "y": 30, "width": 100, "height": 60},
    ]}  # fmt: skip
    back = layer("back", 200, 120)
    made = scene(back, {**layer("piece", 100, 60, recipe=recipe), "art": {"file": "art/back.png", "width": 100, "height": 60}},
                 view={"width": 200, "height": 120})  # fmt: skip
    folder = write_folder(tmp_path / "scene", made, {"back": art})
    assert run(capsys, "check", folder)[0] == 0
    assert run(capsys, "prove", folder)[0] == 0
    out = tmp_path / "frame.png"
    assert run(capsys, "render", folder, "--out", out)[0] == 0
    assert psnr(decode_file(out)[..., :3], art[..., :3]) > 40, "the piece stands where it was cut out"
    assert run(capsys, "export", folder, "--to", "web", "--out", tmp_path / "page")[0] == 0
    assert decode_file(tmp_path / "page/art/piece-100.png").shape[:2] == (60, 100)
    data = json.loads((folder / "scene.json").read_text())
    data["layers"][1]["art"]["width"] = 90
    (folder / "scene.json").write_text(json.dumps(data))
    status, _, wrong = run(capsys, "check", folder)
    assert status == 2 and "layers[1].art: 90 × 60 px is not the 100 × 60 px that its recipe makes" in wrong


def test_the_flags_of_every_export_are_told_and_switches_can_be_switched_off(capsys, tmp_path) -> None:
    with pytest.raises(SystemExit) as ended:
        run(capsys, "export", "--help")
    told = capsys.readouterr().out
    assert ended.value.code == 0 and "Kept in sight, % across" in told and "--no-trim" in told
    folder = write_folder(tmp_path / "scene", scene(layer("back", 60, 40)), {"back": noise(60, 40)})
    for flag, there in (("--vectors", True), ("--no-vectors", False)):
        assert run(capsys, "export", folder, "--to", "engine", "--out", tmp_path / flag, flag)[0] == 0
        assert (tmp_path / flag / "vectors.json").exists() == there


def test_several_scenes_are_exported_to_one_page(capsys, tmp_path) -> None:
    one = write_folder(tmp_path / "one", scene(layer("back", 60, 40), title="One"), {"back": noise(60, 40)})
    two = write_folder(tmp_path / "two", scene(layer("back", 60, 40), title="Two"), {"back": noise(60, 40, 2)})
    out = tmp_path / "page"
    assert run(capsys, "export", one, "--to", "web", "--out", out, "--more", two, "--more", one)[0] == 0
    assert {file.parent.name for file in out.rglob("scene.css")} == {"page", "two", "one"}
    assert (out / "index.html").read_text().count("data-scene=") == 3
    status, _, wrong = run(capsys, "export", one, "--to", "engine", "--out", out, "--more", two)
    assert status == 2 and "--more: --to engine holds one scene; give more only to web" in wrong
    status, _, wrong = run(capsys, "export", one, "--to", "web", "--out", out, "--more", tmp_path / "gone")
    assert status == 2 and "gone" in wrong


def test_the_command_line_offers_every_export_and_every_report() -> None:
    def offered(command: str, flag: str) -> str:
        done = subprocess.run(
            [sys.executable, "-m", "clinamen", command, "--help"], capture_output=True, text=True, cwd=ROOT, check=True
        )
        return done.stdout.split(f"{flag} {{")[1].split("}")[0]

    assert set(offered("export", "--to").split(",")) == set(EXPORTS)
    assert set(offered("prove", "--report").split(",")) == set(REPORTS)


def test_sheets_and_elements_say_what_cannot_be_taken_apart(tmp_path, capsys) -> None:
    made = scene(
        layer("back", 300, 200, depth=500), layer("pane", 100, 80, backdrop={"blur": 4}), layer("glow", 90, 60, blend="screen"),
        view={"width": 200, "height": 120}, drivers={"time": {"duration": 0.2}}, frame={"corners": 12},
    )  # fmt: skip
    folder = write_folder(
        tmp_path / "scene", made, {"back": noise(300, 200), "pane": noise(100, 80, 2), "glow": noise(90, 60, 3)}
    )
    for word in ("sheets", "elements"):
        status, _, err = run(capsys, "export", folder, "--to", word, "--out", tmp_path / word)
        assert status == 0 and err.splitlines()[:3] == [
            "left out: what frosts the layers behind it is left plain: pane",
            f"left out: blend modes are told in {word}.json, not drawn: glow", "left out: the frame is left away",
        ]  # fmt: skip
        rows = json.loads((tmp_path / word / f"{word}.json").read_text())[word]
        assert [row["blend"] for row in rows] == ["normal", "normal", "screen"]
