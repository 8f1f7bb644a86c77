import io
import json
import re
import zipfile

import cv2
import jsonschema
import numpy as np
import pytest

from clinamen.core.document import Drivers, Scene, parse, seen_layers
from clinamen.core.edits import changes
from clinamen.core.errors import BadArt, BadEdit
from clinamen.core.exchange import openraster
from clinamen.core.exchange.names import id_from_name, name_from_file, natural_key
from clinamen.core.exchange.stack import Arrival, in_order, layers_from
from clinamen.core.exports import layered
from clinamen.core.exports.engine import kit as enginekit
from clinamen.core.exports.engine.atlas import PADDING, Sprite, pack
from clinamen.core.exports.engine.trimming import rectangles
from clinamen.core.exports.web import page as webpage
from clinamen.core.motion.states import State
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.reading import decode
from clinamen.core.raster import render
from clinamen.core.stage import stage_at
from tests.conftest import ROOT, layer, noise, psnr, scene, shelf_of, track


def island(width: int, height: int, box: tuple[int, int, int, int], seed: int = 1) -> np.ndarray:
    art = noise(width, height, seed)
    art[..., 3] = 0
    art[box[1] : box[3], box[0] : box[2], 3] = 255
    return art


@pytest.fixture
def two() -> tuple[Scene, dict[str, np.ndarray]]:
    art = {"back": noise(700, 420), "isle": island(600, 400, (120, 200, 420, 380))}
    made = scene(
        layer("back", 700, 420, depth=900, name="Back & <far>"),
        layer("isle", 600, 400, depth=-200, framing={"x": 20, "y": 10, "scale": 0.5, "rotation": 8}),
        view={"width": 640, "height": 360}, title="Two of them", drivers={"scroll": {}, "pointer": {"reach_x": 20, "reach_y": 8}, "time": {}},
        tracks=[track("camera", "x", "scroll", (0, 0, "smooth"), (0.4, 10, "smooth"), (1, 60)), track("isle", "rotation", "time", (0, 0), (6, 5), (12, 0))],
    )  # fmt: skip
    return made, art


def test_names_become_ids_and_an_order() -> None:
    assert sorted(["layer 10", "layer 2", "Layer 1"], key=natural_key) == ["Layer 1", "layer 2", "layer 10"]
    odd = ["3²4.png", "3.png", "²", "9" * 5000]
    assert sorted(odd, key=natural_key)[0] == "3.png", "a raised two is no digit"
    assert name_from_file("03_far-kelp.png") == "Far kelp"
    assert id_from_name("Tiefe Höhle!", ["tiefe-hohle"]) == "tiefe-hohle-2"
    assert id_from_name("海", []) == "layer" and id_from_name("Camera", []) == "camera-2"


def test_a_stack_keeps_its_order_its_sizes_and_spreads_in_rate() -> None:
    names = ["10 front.png", "2 middle.png", "1 back.png"]
    sheets = [Arrival(name_from_file(names[i]), f"art/{i}.png", 800, 600) for i in in_order(names)]
    layers = layers_from(sheets, 1000)
    assert [x.name for x in layers] == ["Back", "Middle", "Front"]
    assert all(x.framing.scale == 1 and x.framing.x == 0 for x in layers), "same-size canvases line up"
    assert [1000 / (1000 + x.depth) for x in layers] == pytest.approx([0.25, 0.625, 1], abs=1e-3)


def test_openraster_brings_back_the_same_scene_and_art(two) -> None:
    made, art = two
    shelf = shelf_of(art)
    opened = openraster.read(layered.write(made, shelf), "two.ora")
    assert opened.scene == made
    assert {file: data for file, data in opened.files.items()} == {f: shelf.read(f) for f in opened.files}


def ora(stack: str, **members: bytes) -> bytes:
    return archive(mimetype=b"image/openraster", **{"stack.xml": stack.encode()}, **members)


def test_openraster_of_another_program_keeps_stack_offsets_groups_and_modes() -> None:
    stack = """<?xml version='1.0'?><image version="0.0.3" w="300" h="200"><stack>
      <layer name="Top" src="data/b.png" x="30" y="40" composite-op="svg:multiply"/>
      <stack name="Group" opacity="0.5" visibility="hidden"><layer name="Inner" src="data/a.png" opacity="0.5"/></stack>
      </stack></image>"""
    art = {"data__a.png": encode_png(noise(300, 200)), "data__b.png": encode_png(noise(60, 50))}
    opened = openraster.read(ora(stack, **art), "x.ora").scene
    inner, top = opened.layers
    assert (inner.name, inner.opacity, inner.visible, inner.framing.x) == ("Inner", 0.5, True, 0)
    (group,) = opened.groups
    assert (group.name, group.visible, opened.carriers[0].opacity) == ("Group", False, 0.5), "the group's own"
    seen = opened.model_copy(update={"groups": (group.model_copy(update={"visible": True}),)})
    assert [float(sheet.opacity[0]) for sheet in stage_at(seen, State()).sheets] == [0.25, 1]
    assert [layer.name for layer in seen_layers(opened)] == ["Top"]
    assert (top.name, top.blend, top.framing.x, top.framing.y) == ("Top", "multiply", 30 + 30 - 150, 40 + 25 - 100)
    assert (opened.view.width, opened.view.height) == (300, 200)
    assert opened.drivers == Drivers.to_start_with(), "it moves under the pointer as any scene that is new"


def test_openraster_names_with_slashes_and_blanks_and_modes_that_are_not_here() -> None:
    stack = """<image w="90" h="60"><stack>
      <stack name="House / Porch"><layer name=" lead  in " src="data/a%20b.png" composite-op="svg:bulge"/></stack>
      <stack name="Trees" composite-op="svg:screen"><stack name=" "><layer src="data/a b.png"/></stack></stack>
      <stack name="Trees"><layer name="x/y" src="data/a b.png"/></stack></stack></image>"""
    opened = openraster.read(ora(stack, **{"data__a b.png": encode_png(noise(90, 60))}), "x.ora")
    assert [(x.name, x.group) for x in opened.scene.layers] == [
        ("x/y", "Trees 4"), ("a b", "Trees / Group 3"), ("lead in", "House/Porch"),
    ]  # fmt: skip
    assert all(" " not in file for file in opened.files)
    bulge, screen = opened.notes
    assert bulge == "x.ora: lead in is laid bulge, which there is not here; it is laid normally"
    assert screen.startswith("x.ora: the group Trees is laid screen as a whole, which is not kept")
    assert opened.scene == parse(opened.scene.to_json()), "what was read is a document that holds"


def archive(**members: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, data in members.items():
            made.writestr(name.replace("__", "/"), data)
    return out.getvalue()


ENTITIES = b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaa">]><image w="1" h="1"><stack>&a;</stack></image>'


@pytest.mark.parametrize(
    "data,why",
    [
        (b"PK no zip", "not an archive"),
        (archive(a=b"1"), "not an OpenRaster file"),
        (archive(mimetype=b"image/openraster"), "has no stack.xml"),
        (archive(mimetype=b"image/openraster", **{"stack.xml": ENTITIES}), "cannot be read safely|be read safely"),
        (archive(mimetype=b"image/openraster", **{"stack.xml": b"<image w='2' h='2'><stack/></image>"}), "holds no layer"),
        (archive(mimetype=b"image/openraster", **{"../x": b"1"}), "points outside"),
        (archive(mimetype=b"image/openraster", bomb=bytes(30_000_000)), "more than 100 times"),
        (archive(mimetype=b"image/openraster", **{"stack.xml": b"<image w='2' h='2'><stack><layer src='data/a.png'/></stack></image>"}), "has no data/a.png"),
        (archive(mimetype=b"image/openraster", **{"stack.xml": b"<image w='2' h='q'><stack/></image>"}), "not a whole number"),
    ],
)  # fmt: skip
def test_bad_archives_are_one_sentence_with_the_name(data: bytes, why: str) -> None:
    with pytest.raises(BadArt, match=rf"^odd\.ora: (.*)({why})"):
        openraster.read(data, "odd.ora")


def test_a_web_page_asks_for_nothing_outside_its_folder(two) -> None:
    made, art = two
    files = webpage.build(made, shelf_of(art))
    for name in ("index.html", "scene.css", "page.css"):
        text = files[name].decode()
        for address in re.findall(r'(?:src|href|srcset)="([^"]+)"|url\("([^"]+)"\)', text):
            for part in [] if "data:," in address else "".join(address).split(","):
                path = part.strip().split()[0]
                assert path in files, (name, path)
    page = files["index.html"].decode()
    assert "<style" not in page and " style=" not in page and "<script>" not in page
    assert page.count("data-layer=") == 2
    assert "<far>" not in page and 'data-layer="back"' in page


def test_the_player_is_small() -> None:
    import gzip

    assert len(gzip.compress(webpage.player_source().encode(), 9)) < 6000


def test_exported_art_is_trimmed_and_sized_for_its_use(two) -> None:
    made, art = two
    files = webpage.build(made, shelf_of(art))
    written = sizes_of(files, "isle")
    # the island is 300 × 180 of 600 × 400 art pixels and never shown above half size
    assert written[-1] == (300, 180), "not larger than the art itself"
    assert all(
        abs(size[0] / written[-1][0] - share) < 0.02
        for size, share in zip(written, (0.25, 0.38, 0.51, 0.82, 1), strict=True)
    )
    (plain,) = (name for name in files if name.startswith("art/isle") and name.endswith(".png"))
    assert decode(files[plain], "isle").shape[:2] == (92, 153), (
        "one for those who read nothing newer, as large as the view shows it"
    )
    page = files["index.html"].decode()
    assert 'sizes="(min-resolution: 2.8dppx)' in page and f"art/isle-{written[0][0]}.webp {written[0][0]}w" in page
    assert "left:120px;top:200px;width:300px;height:180px" in files["scene.css"].decode()


def sizes_of(files: dict[str, bytes], stem: str) -> list[tuple[int, int]]:
    """Width and height of a layer's WebP files, smallest first."""
    names = [name for name in files if re.fullmatch(rf"art/{stem}-\d+\.webp", name)]
    return sorted((p.shape[1], p.shape[0]) for p in (decode(files[name], name) for name in names))


def test_avif_stands_beside_webp_only_where_it_is_smaller_and_the_art_is_opaque() -> None:
    photo = cv2.resize(noise(48, 32, 3), (480, 320), interpolation=cv2.INTER_CUBIC)
    photo[..., :3] = np.clip(photo[..., :3] + np.random.default_rng(4).normal(0, 6, (320, 480, 3)), 0, 255)
    clear = photo.copy()
    photo[..., 3] = 255
    clear[100:200, 150:300, 3] = 100
    made = scene(
        layer("photo", 480, 320), layer("clear", 480, 320), layer("flat", 480, 320), view={"width": 480, "height": 320}
    )
    flat = np.full((320, 480, 4), 255, np.uint8)
    files = webpage.build(made, shelf_of({"photo": photo, "clear": clear, "flat": flat}))
    avif = [name for name in files if name.endswith(".avif")]
    assert avif and all(name.startswith("art/photo-") for name in avif)
    assert sum(len(files[name]) for name in avif) < sum(len(files[name.replace("avif", "webp")]) for name in avif)
    page = files["index.html"].decode()
    assert page.index("image/avif") < page.index("image/webp"), "the first that a browser reads is the one it takes"


def test_what_is_in_the_view_at_rest_is_fetched_first() -> None:
    art = {name: noise(200, 100, number) for number, name in enumerate(("here", "away", "gone"))}
    made = scene(
        layer("here", 200, 100), layer("away", 200, 100, framing={"x": 900}), layer("gone", 200, 100, opacity=0),
        view={"width": 400, "height": 300},
    )  # fmt: skip
    page = webpage.build(made, shelf_of(art))["index.html"].decode()
    said = {part.split('"')[1]: re.search(r'fetchpriority="(\w+)"', part) for part in page.split("data-layer=")[1:]}
    assert {name: found[1] for name, found in said.items()} == {"here": "high", "away": "low", "gone": "low"}


def test_reduced_motion_has_its_own_rules(two) -> None:
    made, art = two
    css = webpage.build(made, shelf_of(art))["scene.css"].decode()
    calm = css[css.index("prefers-reduced-motion") :]
    assert "animation:none" in calm and "height:var(--clinamen-height,100vh)" in calm


def test_atlas_frames_every_sprite_with_its_own_edge() -> None:
    sprites = [Sprite(str(i), noise(60 + 17 * i, 40 + 9 * i, i)) for i in range(9)]
    pages, spots = pack(sprites, 256, power_of_two=False)
    taken = [np.zeros(page.shape[:2], int) for page in pages]
    for sprite in sprites:
        spot, (height, width) = spots[sprite.id], sprite.pixels.shape[:2]
        page = pages[spot.page]
        assert (page[spot.y : spot.y + height, spot.x : spot.x + width] == sprite.pixels).all()
        assert (page[spot.y - PADDING : spot.y, spot.x] == sprite.pixels[0, 0]).all()
        assert (page[spot.y, spot.x + width : spot.x + width + PADDING] == sprite.pixels[0, -1]).all()
        taken[spot.page][spot.y - PADDING : spot.y + height + PADDING, spot.x - PADDING : spot.x + width + PADDING] += 1
    assert max(page.max() for page in taken) == 1, "no two sprites overlap"
    assert all(max(page.shape[:2]) <= 256 for page in pages) and len(pages) > 1


def test_atlas_pages_can_be_powers_of_two_and_refuse_what_is_too_large() -> None:
    pages, _ = pack([Sprite("a", noise(100, 40))], 512, power_of_two=True)
    assert pages[0].shape[:2] == (64, 128)
    with pytest.raises(BadEdit, match="far: is 600 × 20 px"):
        pack([Sprite("far", noise(600, 20))], 512, power_of_two=False)


def strand(width: int, height: int) -> np.ndarray:
    """Sparse art: a soft line that winds over the whole picture."""
    art = noise(width, height, 12)
    line = np.zeros((height, width), np.uint8)
    ys = np.arange(0, height, 4)
    points = np.column_stack([width / 2 + width * 0.42 * np.sin(ys / 90), ys]).astype(np.int32)
    cv2.polylines(line, [points], False, 255, 14)
    art[..., 3] = cv2.GaussianBlur(line, (0, 0), 2)
    return art


def test_sprites_hold_all_that_shows_once_and_whole_art_stays_whole() -> None:
    art = strand(600, 900)
    found = rectangles(art[..., 3], PADDING)
    held = np.zeros(art.shape[:2], int)
    for left, top, right, bottom in found:
        held[top:bottom, left:right] += 1
    assert len(found) > 5 and held.max() == 1 and (held[art[..., 3] > 0] == 1).all()
    assert held.sum() < 0.6 * held.size
    assert rectangles(noise(300, 200)[..., 3] | 255, PADDING) == [(0, 0, 300, 200)]
    assert rectangles(np.zeros((80, 90), np.uint8), PADDING) == []


@pytest.mark.parametrize("options", [{}, {"separate": True}, {"premultiplied": True}, {"trim": False}])
def test_every_way_of_packing_is_the_same_picture(options, tmp_path) -> None:
    from clinamen.standins.kit_reader import Kit

    made = scene(
        layer("back", 600, 400), layer("strand", 600, 900, framing={"scale": 0.4, "rotation": 7}, depth=200),
        layer("tile", 90, 60, repeat={"x": "tile"}, framing={"y": 120}), view={"width": 300, "height": 200},
    )  # fmt: skip
    art = {"back": noise(600, 400, 2), "strand": strand(600, 900), "tile": noise(90, 60, 3)}
    files = enginekit.build(made, shelf_of(art), enginekit.KitOptions(vectors=False, **options))
    for name, data in files.items():
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_bytes(data)
    kit = Kit(tmp_path)
    assert (
        psnr(kit.draw({"scroll": 0, "u": 0, "v": 0, "time": 0}), render(made, State(), lambda x: art[x.id])[..., :3])
        > 33
    )
    counts = {entry["id"]: len(entry["sprites"]) for entry in kit.data["layers"]}
    assert (counts["strand"] > 1) == (not options or "premultiplied" in options) and counts["back"] == counts[
        "tile"
    ] == 1
    if "separate" in options:
        assert len(kit.data["pages"]) == 3
    if "premultiplied" in options:
        page = decode(files[kit.data["pages"][0]["file"]], "page")
        assert (page[..., :3] <= page[..., 3:]).all(), "no colour is stronger than its alpha"


def test_art_that_shows_nothing_is_in_the_kit_without_a_sprite() -> None:
    made = scene(layer("nothing", 40, 30), layer("back", 40, 30))
    files = enginekit.build(made, shelf_of({"nothing": np.zeros((30, 40, 4), np.uint8), "back": noise(40, 30)}))
    assert [len(entry["sprites"]) for entry in json.loads(files["kit.json"])["layers"]] == [0, 1]


def test_the_kit_follows_its_published_schema(two) -> None:
    made, art = two
    files = enginekit.build(made, shelf_of(art))
    published = json.loads((ROOT / "docs/kit.schema.json").read_text())
    assert published == enginekit.json_schema()
    kit = json.loads(files["kit.json"])
    jsonschema.validate(kit, published, cls=jsonschema.Draft202012Validator)
    assert [entry["id"] for entry in kit["layers"]] == ["back", "isle"]
    assert all(page["file"] in files for page in kit["pages"])
    first = kit["tracks"][0]
    assert first["samples"][0] == 0 and first["samples"][-1] == 60 and first["keys"][-1]["ease"] is None


def test_extending_art_leaves_its_old_part_where_it_was(two) -> None:
    made, art = two
    for side in ("left", "right", "top", "bottom"):
        from clinamen.core.prep.base import Around
        from clinamen.core.prep.extend import extend
        from clinamen.core.prep.steps import Extend

        changed = changes.with_extension(made, "isle", side, 30)
        longer = {**art, "isle": extend(art["isle"], Extend.model_validate({side: 30}), Around())}
        before, after = (render(s, State(), lambda x, a=a: a[x.id]) for s, a in ((made, art), (changed, longer)))
        assert psnr(before, after) > 45
