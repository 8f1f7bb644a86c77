import json

import jsonschema
import pytest

from clinamen.core import document
from clinamen.core.errors import BadDocument
from tests.conftest import ROOT, layer, scene, track


def problems(data: object) -> list[str]:
    with pytest.raises(BadDocument) as caught:
        document.parse(data)
    return [str(problem) for problem in caught.value.problems]


def test_defaults_are_those_of_the_published_document() -> None:
    made = scene(layer("a", 10, 20))
    only = made.layers[0]
    assert (only.depth, only.framing.scale, only.opacity, only.blend, only.visible) == (0.0, 1.0, 1.0, "normal", True)
    assert (made.view.width, made.view.height, made.lens.focal_length, made.camera.zoom) == (1920, 1080, 50.0, 1.0)
    assert made.drivers.scroll is None, "a driver that is absent is off"


def test_every_problem_is_named_with_its_path() -> None:
    said = problems(
        {
            "layers": [layer("a", 0, 5, colour="red"), {"id": "b"}],
            "tracks": [track("camera", "sideways", "scroll", (0, 0))],
            "extra": 1,
        }
    )
    for path in ("layers[0].art.width:", "layers[0].colour:", "layers[1].art:", "tracks[0]:", "extra:"):
        assert any(line.startswith(path) for line in said), (path, said)


@pytest.mark.parametrize("file", ["/etc/passwd", "../up.png", "a/../../b.png", "c:\\x.png", "http://x/y.png", "file:x"])
def test_art_stays_beside_the_scene(file: str) -> None:
    bad = {"id": "a", "art": {"file": file, "width": 1, "height": 1}}
    assert problems({"layers": [bad]})[0].startswith("layers[0].art.file:")


def test_a_layer_cannot_stand_behind_the_camera_even_by_its_track() -> None:
    assert "layers[0].depth" in problems({"layers": [layer("a", 9, 9, depth=-2666.7)]})[0]
    moved = {"layers": [layer("a", 9, 9)], "drivers": {"scroll": {}},
             "tracks": [track("a", "depth", "scroll", (0, 0), (1, -3000))]}  # fmt: skip
    assert "layers[0].depth" in problems(moved)[0]


@pytest.mark.parametrize(
    ("data", "path"),
    [
        ({"layers": [layer("a", 1, 1), layer("a", 1, 1)]}, "layers[1].id"),
        ({"layers": [layer("camera", 1, 1)]}, "layers[0].id"),
        ({"tracks": [track("ghost", "x", "scroll", (0, 0))]}, "tracks[0].target"),
        ({"tracks": [track("camera", "x", "scroll", (0, 0), (1.5, 1))]}, "tracks[0].keys[1].at"),
        ({"tracks": [track("camera", "x", "scroll", (0.5, 0), (0.5, 1))]}, "tracks[0]"),
        ({"tracks": [track("camera", "zoom", "scroll", (0, 0))]}, "tracks[0]"),
        ({"tracks": [track("camera", "x", "scroll", (0, 0, [2, 0, 1, 1]))]}, "tracks[0].keys[0].ease"),
        ({"version": 2}, "version"),
        ({"format": "other"}, "format"),
        ({"view": {"width": float("nan")}}, "view.width"),
        ([], "a scene document"),
    ],
)
def test_what_does_not_hang_together_is_refused(data: object, path: str) -> None:
    assert any(line.startswith(path) for line in problems(data))


def test_text_that_is_no_json_is_one_sentence() -> None:
    for text in ("{", '{"view": {"width": NaN}}', "[" * 100_000):
        with pytest.raises(BadDocument, match="not valid JSON"):
            document.parse_text(text, "scene.json")


def test_a_document_survives_being_written_and_read() -> None:
    data = json.loads((ROOT / "demo/kelp-descent/scene.json").read_text())
    made = document.parse(data)
    assert document.parse(json.loads(json.dumps(made.to_json()))) == made


def test_the_published_schema_is_the_generated_one_and_takes_the_demo() -> None:
    published = json.loads((ROOT / "docs/scene.schema.json").read_text())
    assert published == document.json_schema()
    jsonschema.Draft202012Validator.check_schema(published)
    demo = json.loads((ROOT / "demo/kelp-descent/scene.json").read_text())
    jsonschema.validate(demo, published, cls=jsonschema.Draft202012Validator)
    demo["layers"][0]["colour"] = "red"
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(demo, published, cls=jsonschema.Draft202012Validator)


def test_what_a_part_says_is_written_once_and_never_that_of_another() -> None:
    made = scene(layer("far", 30, 20, depth=200), layer("near", 30, 20))
    says = made.as_json
    other = made.model_copy(update={"title": "Other"})
    moved = made.layers[0].model_copy(update={"depth": 300})
    assert json.loads(other.as_json)["title"] == "Other" and json.loads(moved.as_json)["depth"] == 300
    assert made.as_json is says and other.layers[0].as_json is made.layers[0].as_json
    assert other.to_json() == {**made.to_json(), "title": "Other"} and made == document.parse(made.to_json())


def test_what_did_not_change_is_shared_with_the_scene_before() -> None:
    before = scene(layer("far", 30, 20, depth=200), layer("near", 30, 20), drivers={"scroll": {}})
    data = before.to_json()
    data["layers"][1]["depth"] = 50
    data["layers"].append(layer("nearest", 30, 20))
    made = document.parse(data)
    shared = document.sharing(made, before)
    assert shared == made and shared.to_json() == data | {"layers": made.to_json()["layers"]}
    assert shared.layers[0] is before.layers[0] and shared.drivers is before.drivers and shared.lens is before.lens
    assert [each.depth for each in shared.layers] == [200, 50, 0]


@pytest.mark.parametrize("coding", ["utf-8", "utf-16-le", "utf-32-be"])
def test_a_nul_in_a_document_is_said_with_its_place(coding: str) -> None:
    told = scene(layer("a", 9, 9)).to_json()
    told["layers"][0]["name"] = "Re\0ed"
    with pytest.raises(BadDocument, match=r"^scene\.json: layers\[0\]\.name: holds a NUL character"):
        document.parse_text(json.dumps(told).encode(coding), "scene.json")
    told["layers"][0]["name"] = r"Re\u0000ed"  # six plain characters, as somebody may have typed them
    assert document.parse_text(json.dumps(told).encode(coding)).layers[0].name == r"Re\u0000ed"
