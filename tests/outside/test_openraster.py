"""OpenRaster by its specification: baseline layout of files version 0.0.6, file layout and layer stack pages."""

import io
import zipfile
from xml.etree import ElementTree

import cv2
import numpy as np
from PIL import Image

from clinamen.core.exports import layered
from clinamen.core.motion.states import State
from clinamen.core.raster import render
from tests.conftest import layer, noise, psnr, scene, shelf_of, track


def written() -> tuple[zipfile.ZipFile, np.ndarray]:
    art = {"back": noise(640, 360), "isle": noise(200, 100, 4)}
    art["isle"][:, :50, 3] = 0
    made = scene(
        layer("back", 640, 360, opacity=0.8, name='Sky "<&>"'),
        layer("isle", 200, 100, framing={"x": 40, "scale": 1.5, "rotation": 20}, blend="multiply", depth=500),
        view={"width": 640, "height": 360, "background": "#ffffff"},
    )  # fmt: skip
    shelf = shelf_of(art)
    return zipfile.ZipFile(io.BytesIO(layered.write(made, shelf))), render(made, State(), shelf.pixels)


def test_the_mimetype_comes_first_and_uncompressed() -> None:
    archive, _ = written()
    first = archive.infolist()[0]
    assert (first.filename, first.compress_type) == ("mimetype", zipfile.ZIP_STORED)
    assert archive.read("mimetype") == b"image/openraster"
    assert archive.testzip() is None


def test_required_members_are_there() -> None:
    archive, picture = written()
    merged = np.asarray(Image.open(io.BytesIO(archive.read("mergedimage.png"))).convert("RGBA"))
    assert (merged == picture).all()
    thumbnail = Image.open(io.BytesIO(archive.read("Thumbnails/thumbnail.png")))
    assert max(thumbnail.size) <= 256


def test_the_stack_lists_the_topmost_first_and_draws_as_the_scene_does() -> None:
    archive, picture = written()
    image = ElementTree.fromstring(archive.read("stack.xml"))
    assert (image.tag, image.get("w"), image.get("h")) == ("image", "640", "360")
    entries = image.findall("./stack/layer")
    assert [entry.get("name") for entry in entries] == ["isle", 'Sky "<&>"']
    assert entries[0].get("composite-op") == "svg:multiply" and entries[1].get("composite-op") == "svg:src-over"
    canvas = np.ones((360, 640, 3))
    for entry in reversed(entries):
        pixels = np.asarray(Image.open(io.BytesIO(archive.read(entry.get("src")))).convert("RGBA")) / 255
        x, y = int(entry.get("x")), int(entry.get("y"))
        height, width = pixels.shape[:2]
        x0, y0, x1, y1 = max(x, 0), max(y, 0), min(x + width, 640), min(y + height, 360)
        part, back = pixels[y0 - y : y1 - y, x0 - x : x1 - x], canvas[y0:y1, x0:x1]
        alpha = part[..., 3:] * float(entry.get("opacity"))
        own = part[..., :3] * back if entry.get("composite-op") == "svg:multiply" else part[..., :3]
        canvas[y0:y1, x0:x1] = own * alpha + back * (1 - alpha)
    assert psnr(np.round(canvas * 255), picture[..., :3]) > 40


def test_a_layer_stands_at_its_own_size_also_where_the_view_ends_and_where_it_rests_unseen() -> None:
    """Layers may reach beyond the image; opacity and visibility are attributes (layer stack specification)."""
    art = {"back": noise(640, 360), "hill": noise(300, 200, 4)}
    made = scene(
        layer("back", 640, 360),
        layer("hill", 300, 200, framing={"x": -330, "y": 120, "scale": 1.5}, depth=400),
        view={"width": 640, "height": 360}, drivers={"scroll": {}},
        tracks=[track("hill", "opacity", "scroll", (0, 0), (1, 1)), track("camera", "x", "scroll", (0, 0), (1, -300))],
    )  # fmt: skip
    archive = zipfile.ZipFile(io.BytesIO(layered.write(made, shelf_of(art))))
    hill = ElementTree.fromstring(archive.read("stack.xml")).findall("./stack/layer")[0]
    pixels = np.asarray(Image.open(io.BytesIO(archive.read(hill.get("src")))).convert("RGBA"))
    assert float(hill.get("opacity")) == 0 and hill.get("visibility") == "visible"
    x, y = 320 - 330 - 225, 180 + 120 - 150
    assert 0 <= x - int(hill.get("x")) <= 1 and 0 <= y - int(hill.get("y")) <= 1, "an edge pixel of softness at most"
    inside = pixels[y - int(hill.get("y")) :, x - int(hill.get("x")) :][4:296, 4:446]
    wanted = cv2.resize(art["hill"], (450, 300), interpolation=cv2.INTER_LINEAR)[4:296, 4:446]
    assert inside[..., 3].min() > 250 and psnr(inside[..., :3], wanted[..., :3]) > 40


def test_what_is_drawn_into_a_copy_is_said() -> None:
    made = scene(layer("a", 40, 30, tilt={"lean": 20}, name="Floor"), layer("b", 40, 30))
    (said,) = layered.LayeredFile().leaves_out(made)
    assert said == "perspective is drawn into a copy of the art: Floor"
