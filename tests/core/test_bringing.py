"""Bringing art in as it really comes, and a corpus of what must not get in: each with a sentence that names the file."""

import io
import struct
import zipfile
import zlib

import numpy as np
import pytest
import tifffile
from PIL import Image, PngImagePlugin

from clinamen.core.errors import BadArt, BadEdit
from clinamen.core.exchange.again import Arriving, assigned, match, replaced
from clinamen.core.exchange.bringing import Brought
from clinamen.core.exchange.names import name_from_file
from clinamen.core.exchange.placing import place_of
from clinamen.core.exchange.stack import Arrival, canvas_of, fitting_scale, layers_from, too_small
from clinamen.core.motion.states import State
from clinamen.core.pictures import decoding, lettering, svggroups
from clinamen.core.pictures import vector as svg
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.reading import decode, inspect
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.prep.steps import Crop, RectangleCut, Soften
from clinamen.core.raster import render
from clinamen.core.recipes import with_steps
from tests.conftest import layer, noise, psnr, scene

TWO_GROUPS = b"""<svg xmlns="http://www.w3.org/2000/svg" width="200" height="100" viewBox="0 0 200 100">
<defs><linearGradient id="g"><stop stop-color="#f00"/><stop offset="1" stop-color="#00f"/></linearGradient></defs>
<g id="sky"><rect width="200" height="100" fill="url(#g)"/></g>
<g aria-label="Hill"><title>Green hill</title><circle cx="100" cy="100" r="60" fill="#0a0"/></g></svg>"""


def taken(**files: bytes) -> Brought:
    brought = Brought()
    for name, data in files.items():
        brought.take(data, name.replace("__", "."))
    return brought


def saved(image: Image.Image, kind: str, **options: object) -> bytes:
    out = io.BytesIO()
    image.save(out, kind, **options)
    return out.getvalue()


def tiff(*pages: np.ndarray, **options: object) -> bytes:
    out = io.BytesIO()
    with tifffile.TiffWriter(out) as writer:
        for page in pages:
            writer.write(page, **options)
    return out.getvalue()


def zipped(**members: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name.replace("__", "."), data)
    return out.getvalue()


# --- formats ----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("kind", "least"), [("PNG", 90), ("WEBP", 30), ("JPEG", 30), ("AVIF", 30)],
)  # fmt: skip
def test_picture_formats_keep_their_colours(kind: str, least: float) -> None:
    art = noise(120, 80, 1)[..., :3]
    data = saved(Image.fromarray(art), kind, quality=95)
    assert inspect(data, "a").format == kind
    assert psnr(decode(data, "a")[..., :3], art) > least


def test_depths_palettes_grey_and_cmyk_come_out_as_eight_bit_srgb() -> None:
    grey = np.linspace(0, 65535, 256).astype(np.uint16)[None].repeat(4, 0)
    assert np.abs(decode(saved(Image.fromarray(grey), "PNG"), "g")[0, :, 0].astype(int) - np.arange(256)).max() <= 1
    deep = np.stack([grey, grey[:, ::-1], grey], axis=2)
    pixels = decode(encode16(deep), "deep.png")
    assert np.abs(pixels[0, :, 0].astype(int) - np.arange(256)).max() <= 1
    palette = Image.fromarray(noise(40, 30)[..., :3]).quantize(16)
    assert (decode(saved(palette, "PNG"), "p")[..., :3] == np.asarray(palette.convert("RGB"))).all()
    cmyk = Image.new("CMYK", (8, 8), (255, 0, 0, 0))
    red, green, blue, alpha = decode(saved(cmyk, "JPEG", quality=100), "c")[4, 4]
    assert red < 30 and green > 200 and blue > 200 and alpha == 255
    see_through = Image.new("LA", (5, 5), (90, 40))
    assert decode(saved(see_through, "PNG"), "la")[2, 2].tolist() == [90, 90, 90, 40]


def encode16(values: np.ndarray) -> bytes:
    """A 16-bit RGB PNG."""
    height, width, _ = values.shape
    rows = b"".join(b"\0" + row.astype(">u2").tobytes() for row in values)

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", width, height, 16, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")


def test_exif_says_which_way_is_up() -> None:
    art = noise(60, 40, 3)[..., :3]
    exif = Image.Exif()
    exif[0x0112] = 6  # the camera was turned: rotate a quarter clockwise to show it
    data = saved(Image.fromarray(art), "JPEG", quality=98, exif=exif)
    assert (inspect(data, "a").width, inspect(data, "a").height) == (40, 60)
    assert psnr(decode(data, "a")[..., :3], np.rot90(art, -1)) > 30


@pytest.mark.parametrize("behind", [False, True])
@pytest.mark.parametrize("said", ["EXIF", "XMP"])
def test_a_png_says_it_too_before_its_pixels_or_behind_them(said: str, behind: bool) -> None:
    """PNG Third Edition: eXIf may stand anywhere between head and end, iTXt too; the keyword of the latter is ISO 16684-1's."""
    art, more = noise(60, 40, 3)[..., :3], PngImagePlugin.PngInfo()
    if said == "EXIF":
        exif = Image.Exif()
        exif[0x0112] = 6
        data = saved(Image.fromarray(art), "PNG", exif=exif)
    else:
        more.add_itxt("XML:com.adobe.xmp", '<x:xmpmeta><rdf:Description tiff:Orientation="6"/></x:xmpmeta>')
        data = saved(Image.fromarray(art), "PNG", pnginfo=more)
    if behind:
        at = next(data.index(kind) for kind in (b"eXIf", b"iTXt") if kind in data) - 4
        length = 12 + int.from_bytes(data[at : at + 4], "big")
        data = data[:at] + data[at + length : -12] + data[at : at + length] + data[-12:]
    assert (inspect(data, "a").width, inspect(data, "a").height) == (40, 60)
    assert (decode(data, "a")[..., :3] == np.rot90(art, -1)).all()


def test_the_head_of_a_png_that_says_nothing_of_it_is_known_without_its_pixels(monkeypatch) -> None:
    data = saved(Image.fromarray(noise(60, 40, 3)), "PNG")
    monkeypatch.setattr(PngImagePlugin.PngImageFile, "load", lambda self: pytest.fail("all of it was unpacked"))
    assert decoding.head_of(data, "a").width == 60


def test_each_page_of_a_tiff_is_a_layer_also_deep_and_floating_ones() -> None:
    one, two = noise(50, 40, 1)[..., :3], noise(50, 40, 2)[..., :3]
    brought = taken(stack__tif=tiff(one, two, compression="lzw"))
    assert [(p.name, p.file, p.group) for p in brought.pieces] == [
        ("Stack 1", "stack-1.png", "Stack"), ("Stack 2", "stack-2.png", "Stack"),
    ]  # fmt: skip
    assert (decode(brought.pieces[1].data, "x")[..., :3] == two).all()
    deep = tiff(two.astype(np.uint16) * 257)
    assert np.abs(decode(taken(d__tiff=deep).pieces[0].data, "x")[..., :3].astype(int) - two).max() <= 1
    floating = taken(f__tif=tiff(np.dstack([two, two[..., :1]]).astype(np.float32) / 255)).pieces
    assert (decode(floating[0].data, "x")[..., :3] == two).all() and (
        decode(floating[0].data, "x")[..., 3] == two[..., 0]
    ).all()


def test_each_group_of_an_svg_is_a_layer_and_stays_vector() -> None:
    brought = taken(scene__svg=TWO_GROUPS)
    assert [(p.name, p.group, p.file) for p in brought.pieces] == [
        ("sky", "Scene", "scene-1.svg"), ("Green hill", "Scene", "scene-2.svg"),
    ]  # fmt: skip
    sky, hill = (decode(p.data, "x") for p in brought.pieces)
    assert sky[50, 2, 0] > 240 and sky[50, 197, 2] > 240 and (sky[..., 3] == 255).all(), "the gradient came along"
    assert hill[10, 10, 3] == 0 and hill[90, 100].tolist() == [0, 170, 0, 255]
    large = decode(brought.pieces[1].data, "x", zoom=8)
    assert large.shape == (800, 1600, 4)
    y, x = np.mgrid[0:800, 0:1600] + 0.5
    inside = np.hypot(x - 800, y - 800) < 480
    assert ((large[..., 3] > 127) != inside).mean() < 0.0005, "drawn anew at its new size, not enlarged"


LAYERS = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:ink="urn:example:layers"
 xmlns:xlink="http://www.w3.org/1999/xlink" width="120" height="80">
<g id="g1" ink:groupmode="layer" ink:label="Forest" transform="translate(10 0)" fill="#00aa00" style="opacity:0.5">
  <g id="g2" ink:groupmode="layer" ink:label="Far / left" style="mix-blend-mode:multiply"><title>trees</title><rect id="tree" width="20" height="40"/></g>
  <rect x="90" width="10" height="10"/>
  <g id="g3" ink:groupmode="layer" ink:label="Near" style="display:none;stroke:none"><rect x="40" width="20" height="40"/></g>
</g>
<g id="g4" opacity="50%"><use xlink:href="#tree" x="60" fill="#ff0000"/><rect y="60" width="20" height="20" fill="url(#late)"/></g>
<g id="g5" style="mix-blend-mode:swirl"><linearGradient id="late"><stop stop-color="#00f"/></linearGradient><circle r="9"/></g></svg>"""


def test_layers_of_an_svg_keep_their_groups_their_laying_and_what_they_refer_to() -> None:
    brought = taken(wood__svg=LAYERS)
    assert [(p.name, p.group) for p in brought.pieces] == [
        ("Far / left", "Wood / Forest"), ("Forest", "Wood / Forest"), ("Near", "Wood / Forest"), ("g4", "Wood"), ("g5", "Wood"),
    ]  # fmt: skip
    laid = [(p.laid.opacity, p.laid.blend, p.laid.visible) for p in brought.pieces]
    assert laid == [
        (0.5, "multiply", True), (0.5, "normal", True), (0.5, "normal", False), (0.5, "normal", True), (1.0, "normal", True),
    ]  # fmt: skip
    far, loose, near, repeated, _ = (decode(p.data, "x") for p in brought.pieces)
    green = [0, 170, 0, 255]
    assert far[20, 20].tolist() == green and far[20, 5, 3] == 0, (
        "under the transform and colour of its layer, fully seen"
    )
    assert loose[5, 105].tolist() == green and near[20, 60].tolist() == green, "what was hidden is there"
    assert repeated[20, 70].tolist() == [255, 0, 0, 255], "a shape of another group is repeated"
    assert repeated[70, 10].tolist() == [0, 0, 255, 255], "with a gradient of another group"
    assert brought.notes == ["wood.svg: g5 is laid swirl, which there is not here; it is laid normally"]
    assert brought.refused == []


@pytest.mark.parametrize(
    ("script", "text"),
    [("Han", "\u6c34\u6e05"), ("Kana", "\u304b\u30ab"), ("Hangul", "\ubb3c\ub9d1"), ("Arabic", "\u0645\u0627\u0621"),
     ("Hebrew", "\u05de\u05d9\u05dd"), ("Devanagari", "\u091c\u0932"), ("Thai", "\u0e19\u0e49\u0e33")],
)  # fmt: skip
def test_scripts_that_ship_are_drawn_and_nothing_is_said_of_them(script: str, text: str) -> None:
    data = f'<svg xmlns="http://www.w3.org/2000/svg" width="200" height="60"><text x="9" y="45" font-size="40">{text}</text></svg>'
    brought = taken(words__svg=data.encode())
    drawn = decode(brought.pieces[0].data, "x")
    missing = decode(data.replace(text, "\U00013000" * len(text)).encode(), "x")
    assert brought.notes == [] and (drawn[..., 3] > 0).sum() > 150, script
    assert (drawn != missing).any(), "no boxes in place of letters"


def test_characters_that_no_font_has_are_said() -> None:
    words = '<text x="9" y="45">Reed \U00013000<tspan>\U00013001\u0301 \u2003</tspan></text>'
    data = f'<svg xmlns="http://www.w3.org/2000/svg" width="200" height="60">{words}</svg>'
    (note,) = taken(words__svg=data.encode()).notes
    assert note.startswith("words.svg: no font here has the characters “\U00013000 \U00013001”, so they are not drawn")


def test_vector_art_is_sharp_at_the_size_it_is_shown() -> None:
    files = {"art/hill.svg": svggroups.groups(TWO_GROUPS, "x")[1].data}
    made = scene(
        {"id": "hill", "art": {"file": "art/hill.svg", "width": 200, "height": 100}, "framing": {"scale": 5}},
        view={"width": 1000, "height": 500, "background": "#ffffff"},
    )
    shelf = ArtShelf(files.__getitem__)
    sharp = render(made, State(), shelf.loader(made))[..., 1].astype(int)
    soft = render(made, State(), shelf.pixels)[..., 1].astype(int)
    edge = np.abs(np.diff(sharp[250])).max(), np.abs(np.diff(soft[250])).max()
    assert edge[0] > 2.5 * edge[1]


def test_exports_draw_vector_art_at_the_size_it_is_shown() -> None:
    from clinamen.core.exports.engine import kit as enginekit
    from clinamen.core.exports.web import page as webpage

    files = {"art/hill.svg": svggroups.groups(TWO_GROUPS, "x")[1].data}
    made = scene(
        {"id": "hill", "art": {"file": "art/hill.svg", "width": 200, "height": 100}, "framing": {"scale": 3}},
        view={"width": 600, "height": 300},
    )
    page = webpage.build(made, ArtShelf(files.__getitem__))
    sizes = [inspect(data, "x").width for name, data in page.items() if name.startswith("art/hill")]
    assert min(sizes) == pytest.approx(300, rel=0.03) and max(sizes) == pytest.approx(1200, rel=0.03)
    assert b"width:200px;height:100px" in page["scene.css"]
    kit = enginekit.build(made, ArtShelf(files.__getitem__))
    assert b'"width": 200' in kit["kit.json"] and inspect(kit["pages/page-0.png"], "x").width >= 600


def test_a_zip_brings_folders_as_groups_and_leaves_its_own_baggage() -> None:
    data = zipped(**{
        "far/1 sky__png": encode_png(noise(30, 20, 1)), "far/2 hill__png": encode_png(noise(30, 20, 2)),
        "near__svg": TWO_GROUPS, "__MACOSX/far/._1 sky__png": b"x", "notes__txt": b"hello",
    })  # fmt: skip
    brought = taken(art__zip=data.replace(b"..MACOSX", b"__MACOSX"))
    assert [(p.name, p.group) for p in brought.pieces][:2] == [("Sky", "far"), ("Hill", "far")]
    assert [p.name for p in brought.pieces[2:]] == ["sky", "Green hill"]
    assert len(brought.refused) == 1 and brought.refused[0].startswith("art.zip: notes.txt: is not a")


# --- the corpus -------------------------------------------------------------------------------------------------------

WHOLE = encode_png(noise(64, 64))
HEAD = b'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">'


def huge_png(width: int, height: int) -> bytes:
    """A PNG that says it is huge."""
    head = struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    return WHOLE[:16] + head + struct.pack(">I", zlib.crc32(b"IHDR" + head)) + WHOLE[33:]


def bomb() -> bytes:
    return zipped(a__png=b"\0" * 30_000_000)


BAD = {
    "cut.png": (WHOLE[: len(WHOLE) // 2], "damaged or cut short"),
    "cut.tif": (tiff(noise(60, 60)[..., :3])[:3000], "damaged|not a TIFF"),
    "text.png": (b"hello there", "is not a PNG"),
    "empty.png": (b"", "is empty"),
    "pixel-bomb.png": (huge_png(40_000, 40_000), "at most 64 megapixels"),
    "wide.png": (huge_png(60_001, 1), "at most 64 megapixels"),
    "zero.png": (huge_png(0, 5), "is not a PNG|empty"),
    "bomb.zip": (bomb(), "unpacks to more than 100 times its size"),
    "outside.zip": (zipped(**{"../evil__png": WHOLE}).replace(b"__", b".."), "points outside the archive"),
    "empty.zip": (zipped(), "holds no file"),
    "nested.zip": (zipped(inner__zip=zipped(a__png=WHOLE)), "archive within an archive"),
    "broken.zip": (b"PK\x03\x04nonsense", "is not an archive"),
    "nan.tif": (tiff(np.full((8, 8, 3), np.nan, np.float32)), "values that are not numbers"),
    "script.svg": (HEAD + b"<script>1</script></svg>", "holds <script>"),
    "handler.svg": (HEAD + b'<rect onload="x()"/></svg>', r"holds a script \(onload\)"),
    "link.svg": (HEAD + b'<image href="http://example.org/a.png"/></svg>', "outside itself"),
    "file.svg": (HEAD + b'<image href="file:///etc/passwd"/></svg>', "outside itself"),
    "style.svg": (HEAD + b"<style>@import url(http://example.org/x.css)</style></svg>", "outside itself"),
    "fill.svg": (HEAD + b'<rect fill="url(http://example.org/#g)"/></svg>', "outside itself"),
    "entities.svg": (
        b'<!DOCTYPE s [<!ENTITY a "b">]>' + HEAD + b"&a;</svg>",
        "cannot be read|XML that can be read safely",
    ),
    "laughs.svg": (b'<!DOCTYPE s [<!ENTITY a "aa"><!ENTITY b "&a;&a;">]>' + HEAD + b"&b;</svg>", "read safely"),
    "sizeless.svg": (b'<svg xmlns="http://www.w3.org/2000/svg"/>', "neither width and height"),
    "other.svg": (b"<html><body/></html>", "no SVG picture"),
    "large.svg": (HEAD.replace(b'"9"', b'"50000"') + b"</svg>", "at most 64 megapixels"),
}


@pytest.mark.parametrize("name", BAD)
def test_what_cannot_be_used_is_named_and_the_rest_of_the_batch_kept(name: str) -> None:
    data, says = BAD[name]
    brought = Brought()
    brought.take(WHOLE, "before.png")
    brought.take(data, name)
    brought.take(WHOLE, "after.png")
    refused = list(brought.refused)
    for piece in brought.pieces:
        try:
            decode(piece.data, piece.file)
        except BadArt as error:
            refused.append(str(error))
    assert len(refused) == 1 and refused[0].startswith(name), refused
    assert "Traceback" not in refused[0] and pytest.importorskip("re").search(says, refused[0])
    assert {"before.png", "after.png"} <= {piece.file for piece in brought.pieces}


def test_a_bomb_is_refused_without_being_unpacked() -> None:
    import tracemalloc

    data = bomb()
    tracemalloc.start()
    taken(bomb__zip=data)
    assert tracemalloc.get_traced_memory()[1] < 2_000_000
    tracemalloc.stop()


def test_one_pixel_long_names_foreign_names_and_doubles_are_taken() -> None:
    sheets = [
        Arrival(name, f"art/{i}.png", 1, 1) for i, name in enumerate(["海の底", "x" * 500, "Reef", "Reef", "camera"])
    ]
    layers = layers_from(sheets, 1000)
    assert len({x.id for x in layers}) == 5 and layers[0].name == "海の底" and len(layers[1].name) == 200
    scene(*(x.model_dump() for x in layers))
    assert decode(encode_png(noise(1, 1)), "dot.png").shape == (1, 1, 4)


# --- placing and bringing again ---------------------------------------------------------------------------------------


def test_fit_and_fill_place_the_shared_canvas_and_pieces_keep_their_proportion() -> None:
    assert canvas_of([(800, 600), (120, 90), (800, 600)]) == (800, 600)
    assert fitting_scale((800, 600), (400, 200), "fit") == pytest.approx(1 / 3)
    assert fitting_scale((800, 600), (400, 200), "fill") == 0.5 and fitting_scale((800, 600), (400, 200), "pixels") == 1
    sheets = [Arrival("Back", "art/1.png", 800, 600), Arrival("Cup", "art/2.png", 120, 90)]
    assert [x.framing.scale for x in layers_from(sheets, 1000, (), 0.5)] == [0.5, 0.5]
    small = layers_from([Arrival("Back", "art/1.png", 400, 300)], 1000, (), 2.0)[0]
    assert too_small(small) == (
        "Back: is 400 × 300 px and shown at 200%, so it is soft; bring it in at 800 × 600 px or place it pixel for pixel"
    )


def test_trimming_keeps_everything_in_place() -> None:
    art = noise(100, 80, 3)
    art[..., 3] = 0
    art[10:40, 50:90, 3] = 255
    (trimmed,) = layers_from([Arrival("A", "art/a.png", 100, 80, box=(50, 10, 90, 40))], 1000)
    assert (trimmed.art.width, trimmed.art.height) == (40, 30)
    whole = scene(layer("a", 100, 80), view={"width": 100, "height": 80})
    cut = scene(trimmed.model_dump(), view={"width": 100, "height": 80})
    shelf = ArtShelf(lambda file: encode_png(art), scene=cut)
    assert psnr(render(whole, State(), lambda x: art), render(cut, State(), shelf.pixels)) > 50


def arriving(*files: str) -> list[Arriving]:
    return [Arriving(name_from_file(file), file) for file in files]


def test_names_that_are_not_latin_are_told_apart() -> None:
    made = scene(
        layer("layer", 100, 80, name="山"), layer("layer-2", 100, 80, name="海"), layer("layer-3", 100, 80, name="Лес"),
        layer("layer-4", 100, 80, name="Plain"),
    )  # fmt: skip
    found = match(made, arriving("лес.png", "海.png", "雲.png", "山.png", "layer.jpeg"))
    assert found.matches == ((0, "layer-3"), (1, "layer-2"), (3, "layer"))
    assert (found.new, found.gone) == ((2, 4), ("layer-4",)), "no cloud takes the mountain's place by chance"
    composed = scene(layer("cafe", 9, 9, name="Caf\u00e9"))
    assert match(composed, arriving("02_CAFE\u0301.png")).matches == ((0, "cafe"),)


def test_a_renamed_layer_is_known_by_its_file_and_then_by_its_id_and_names_go_first() -> None:
    made = scene(
        {"id": "a", "name": "Renamed", "art": {"file": "art/遠い山.png", "width": 9, "height": 9}},
        {"id": "bell", "name": "Lantern", "art": {"file": "art/x.png", "width": 9, "height": 9}},
        {"id": "c", "name": "Bell", "art": {"file": "art/y.png", "width": 9, "height": 9}},
    )
    assert match(made, arriving("遠い山.tif", "bell.png")).matches == ((0, "a"), (1, "c"))
    assert match(made, arriving("bell.png", "Bell.webp")).matches == ((0, "c"), (1, "bell"))


def test_what_is_assigned_by_hand_goes_there() -> None:
    made = scene(layer("a", 9, 9, name="Hill"), layer("b", 9, 9, name="Sea"))
    found = match(made, arriving("hill.png", "see.png", "moon.png"))
    changed = assigned(made, found, {1: "b", 2: ""}, 3)
    assert (changed.matches, changed.new, changed.gone) == (((0, "a"), (1, "b")), (), ())
    with pytest.raises(BadEdit, match="Hill: two pictures"):
        assigned(made, found, {1: "a"}, 3)
    assert assigned(made, found, {0: "b", 1: "a"}, 3).matches == ((0, "b"), (1, "a"))


@pytest.mark.parametrize(("x", "y"), [(0, 0), (40, 0), (20, 15), (40, 30), (0, 30)])
def test_on_a_larger_canvas_everything_stays_in_place(x: int, y: int) -> None:
    art = noise(100, 80, 3)
    larger = noise(140, 110, 4)
    larger[y : y + 80, x : x + 100] = art
    assert place_of(art, larger) == (x, y) and place_of(larger, art) == (-x, -y)
    steps = [
        RectangleCut(box={"x": 20, "y": 10, "width": 60, "height": 50}),
        Crop(x=10, y=5, width=80, height=60),
        Soften(radius=2),
    ]
    framing = {"x": 7, "y": -4, "scale": 0.8, "rotation": 20}
    old = with_steps(scene(layer("a", 100, 80, framing=framing), view={"width": 120, "height": 90}).layers[0], steps)
    new, says = replaced(old, "art/new.png", 140, 110, "canvas", (x, y))
    assert "stays in place" in says and "look at" not in says
    view = {"width": 120, "height": 90}
    before, after = (scene(each.model_dump(), view=view) for each in (old, new))
    shelves = [ArtShelf(lambda file, a=a: encode_png(a), scene=s) for a, s in ((art, before), (larger, after))]
    pictures = [render(s, State(), shelf.pixels) for s, shelf in zip((before, after), shelves, strict=True)]
    assert psnr(*pictures) > 50


def test_art_comes_again_by_name_and_depth_and_recipe_stay() -> None:
    made = scene(
        layer("far-reef", 100, 80, name="Far reef", depth=500), layer("bell", 40, 40, name="Bell"), layer("sand", 9, 9)
    )
    found = match(made, arriving("02_far reef.png", "Moon.png", "BELL.png"))
    assert (found.matches, found.new, found.gone) == (((0, "far-reef"), (2, "bell")), (1,), ("sand",))
    reef = with_steps(made.layers[0], [Crop(x=10, y=10, width=50, height=40), Soften(radius=2)])
    same, says = replaced(reef, "art/new.png", 100, 80)
    assert says == "" and same.recipe == reef.recipe and same.depth == 500 and same.art.file == "art/new.png"
    twice, says = replaced(reef, "art/new.png", 200, 160)
    assert "was 100 × 80 px and is 200 × 160 px; it is seen as large as before" in says
    assert twice.framing.scale == 0.5 and twice.art.width == 100 and twice.recipe.steps[1].radius == 4
    other, says = replaced(reef, "art/new.png", 100, 120)
    assert "a larger canvas; what was there stays in place" in says and other.framing == reef.framing
    scene(twice.model_dump(), other.model_copy(update={"id": "other"}).model_dump())


# --- text in vector art -----------------------------------------------------------------------------------------------


def lettered(family: str, words: str = "Clinamen", more: str = "") -> bytes:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="300" height="80" viewBox="0 0 300 80"><style>.t{{font-family:{family}}}</style>'
        f'<text class="t" x="10" y="55" font-size="40" fill="#000" {more}>{words}</text></svg>'
    ).encode()


@pytest.mark.parametrize(
    ("family", "file"),
    [
        ("sans-serif", "DejaVuSans"), ("Arial, Helvetica", "DejaVuSans"), ("'Times New Roman', serif", "DejaVuSerif"),
        ("Georgia", "DejaVuSerif"), ("'Courier New'", "DejaVuSansMono"), ("monospace", "DejaVuSansMono"),
    ],
)  # fmt: skip
def test_text_is_drawn_in_the_nearest_shipped_font_as_pillow_draws_it(family: str, file: str) -> None:
    """Reference: Pillow's ImageFont (FreeType) with the same font file."""
    from PIL import ImageDraw, ImageFont

    ours = svg.draw(lettered(family), "t.svg", 300, 80)[..., 3]
    font = ImageFont.truetype(str(lettering.FONTS / f"{file}.ttf"), 40)
    canvas = Image.new("L", (300, 80))
    ImageDraw.Draw(canvas).text((10, 55), "Clinamen", font=font, fill=255, anchor="ls")
    theirs = np.asarray(canvas)
    assert np.abs(ours.astype(int) - theirs).mean() < 4, "the same letters in the same place"
    boxes = [
        Image.fromarray(each).getbbox() for each in (np.where(ours > 40, ours, 0), np.where(theirs > 40, theirs, 0))
    ]
    assert np.abs(np.subtract(*boxes)).max() <= 1


def test_a_family_that_is_not_here_is_said_once_when_it_comes_in() -> None:
    brought = taken(sign__svg=lettered("'Fancy Deco', 'Other Book', sans-serif"))
    assert [note.split(";")[0] for note in brought.notes] == [
        "sign.svg: the font family “Fancy Deco” is not here: its text is drawn in DejaVu Sans",
        "sign.svg: the font family “Other Book” is not here: its text is drawn in DejaVu Sans",
    ]
    assert (
        "“Other Book” is not here: its text is drawn in DejaVu Serif" in taken(b__svg=lettered("'Other Book'")).notes[0]
    )
    assert taken(plain__svg=lettered("sans-serif")).notes == []
    no_text = b'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><g font-family="Fancy"><rect width="9" height="9"/></g></svg>'
    assert taken(a__svg=no_text).notes == []
    for words in ("Ελληνικά", "Кириллица", "Ærøskøbing"):
        assert (svg.draw(lettered("Nowhere", words), "t.svg", 300, 80)[..., 3] > 200).sum() > 200, words


def test_a_shelf_knows_lettered_vector_art() -> None:
    made = scene({"id": "a", "art": {"file": "art/a.svg", "width": 300, "height": 80}})
    assert ArtShelf(lambda file: lettered("serif")).lettered(made.layers[0])
    assert not ArtShelf(lambda file: TWO_GROUPS).lettered(made.layers[0])


def test_a_tiff_is_brought_in_and_is_no_art_of_a_layer_by_itself() -> None:
    data = tiff(noise(40, 30))
    assert len(taken(card__tif=data).pieces) == 1
    with pytest.raises(
        BadArt, match=r"art/card\.tif: is a TIFF, and a layer's own file must be PNG.*save each of its pages as PNG"
    ):
        decode(data, "art/card.tif")


def test_a_name_with_characters_that_cannot_be_kept_is_cleaned_and_said() -> None:
    out = io.BytesIO()
    with tifffile.TiffWriter(out) as writer:
        writer.write(noise(40, 30), extratags=[(285, 2, 9, b"Re\0ed\x07 a\0", True)])
    brought = taken(reeds__tif=out.getvalue())
    assert brought.pieces[0].name.isprintable() and brought.pieces[0].name.startswith("Re")
    assert brought.notes == ["reeds.png: its name holds characters that cannot be shown; they are left out"]
