"""One evaluation, four readers: raster, page, kit and glTF show every row of the matrix in the same place and look.

Places within 0.1 view pixels; pixels within the bounds below, stated as PSNR against the core's raster (a WebP page is
lossy, glTF filters through mipmaps). Edges are soft in the art, so that nobody's smoothing of outlines counts.
"""

import numpy as np
import pygltflib
import pytest

from clinamen.core.document import BLEND_MODES, CAMERA_CHANNELS, LAYER_CHANNELS
from clinamen.core.exchange.opening import open_scene
from clinamen.core.exports import EXPORTS, Told
from clinamen.core.motion.states import State
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.raster import render
from clinamen.core.stage import stage_at
from tests.agreement.cases import ART, CASES, HEIGHT, WIDTH, Case, small
from tests.agreement.hands import CanvasHand, GltfHand, KitHand, PageHand
from tests.conftest import ROOT, folder_served, fresh_context, psnr, shelf_of, track
from tests.outside.test_css import expected

PLACES = 0.1  # view pixels
LIKE = {"page": 33.0, "kit": 36.0, "canvas": 30.0, "gltf": 31.0}  # dB


@pytest.fixture(scope="module")
def hands(chromium, webgl, tmp_path_factory):
    size = {"width": WIDTH, "height": HEIGHT}
    # a context each: of two pages in one, the one behind is given a frame only now and then
    contexts = [fresh_context(browser, viewport=size) for browser in (chromium, webgl, chromium)]
    folder, kit = tmp_path_factory.mktemp("gltf"), tmp_path_factory.mktemp("kit")
    with folder_served(folder) as address, folder_served(kit, {"Cache-Control": "no-store"}) as kit_address:
        yield (
            PageHand(contexts[0].new_page(), tmp_path_factory.mktemp("page")), KitHand(kit),
            GltfHand(contexts[1].new_page(), folder, address), CanvasHand(contexts[2].new_page(), kit, kit_address),
        )  # fmt: skip
    for context in contexts:
        context.close()


@pytest.mark.parametrize("case", CASES, ids=[case.name for case in CASES])
def test_all_hands_agree(hands, case: Case) -> None:
    page, kit, gltf, canvas = hands
    page.take(case)
    model = kit.take(case)
    canvas.take()
    if "gltf" in case.hands:
        gltf.take(case, model)
    for number, state in enumerate(case.states):
        wanted = expected(case.made, state)
        ours = render(case.made, state, lambda x: case.art[x.id])[..., :3]
        shown = {"page": page.at(state), "kit": kit.at(state)}
        if number == 0:  # the canvas reads the same kit: that it reads it rightly is seen at one state
            shown["canvas"] = canvas.at(state, kit.kit.data["layers"])
        for name, (picture, places) in shown.items():
            if name != "page" and "kit" not in case.hands:
                continue
            for layer_id, corner in wanted.items():
                assert np.abs(places[layer_id] - corner).max() < PLACES, (name, layer_id, state)
            assert psnr(picture, ours) > LIKE[name], (name, state)
        if "gltf" in case.hands and (number == 0 or state == case.states[-1]):
            assert psnr(gltf.at(state), ours) > LIKE["gltf"], ("gltf", state)


def test_a_demo_at_rest_is_the_same_in_gltf_as_in_the_raster(hands) -> None:
    """A layer that rests at opacity 0, infinite sheets, the background: all in one scene of our own."""
    opened = open_scene(ROOT / "demo/kelp-descent")
    shelf = ArtShelf(opened.read, scene=opened.scene)
    data = EXPORTS["engine"].build(opened.scene, shelf, EXPORTS["engine"].options(vectors=False), Told())["scene.glb"]
    hands[2].take(Case("kelp", opened.scene), data)
    normal = opened.scene.model_copy(
        update={"layers": tuple(x.model_copy(update={"blend": "normal"}) for x in opened.scene.layers)}
    )
    wanted = render(normal, State(), shelf.pixels, WIDTH / opened.scene.view.width)[..., :3]
    assert psnr(hands[2].at(State()), wanted) > 30


def test_opacity_and_zoom_that_change_stand_in_gltf_as_pointers() -> None:
    """KHR_animation_pointer: the samples at the ends are the core's, for engines that know the extension."""
    tracks = [track("piece", "opacity", "scroll", (0, 0), (1, 0.8)), track("camera", "zoom", "scroll", (0, 1), (1, 2))]
    made = small(tracks)
    data = EXPORTS["engine"].build(made, shelf_of(ART), EXPORTS["engine"].options(vectors=False), Told())["scene.glb"]
    gltf = pygltflib.GLTF2.load_from_bytes(data)
    (animation,) = gltf.animations
    found = {}
    for channel in animation.channels:
        if channel.target.path == "pointer":
            where = channel.target.extensions["KHR_animation_pointer"]["pointer"]
            accessor = gltf.accessors[animation.samplers[channel.sampler].output]
            view = gltf.bufferViews[accessor.bufferView]
            raw = gltf.binary_blob()[view.byteOffset : view.byteOffset + view.byteLength]
            found[where] = np.frombuffer(raw, np.float32).reshape(accessor.count, -1)
    (number,) = [i for i, material in enumerate(gltf.materials) if material.name == "piece"]
    fading = found[f"/materials/{number}/pbrMetallicRoughness/baseColorFactor"]
    ends = [stage_at(made, State(at))["piece"].opacity[0] for at in (0, 1)]
    assert fading[[0, -1], 3] == pytest.approx(ends) and gltf.materials[number].alphaMode == "BLEND"
    assert gltf.materials[number].pbrMetallicRoughness.baseColorFactor[3] == ends[0] == 0
    yfov = found["/cameras/0/perspective/yfov"][:, 0]
    assert np.tan(yfov[0] / 2) / np.tan(yfov[-1] / 2) == pytest.approx(2, rel=1e-5)


def test_the_matrix_has_a_row_for_every_channel_and_every_blend_mode() -> None:
    names = {case.name for case in CASES}
    assert names >= {f"camera {name}" for name in CAMERA_CHANNELS} | {f"piece {name}" for name in LAYER_CHANNELS}
    assert names >= {f"blend {mode}" for mode in BLEND_MODES}


@pytest.mark.parametrize("case", [case for case in CASES if "gltf" not in case.hands], ids=lambda case: case.name)
def test_what_gltf_cannot_carry_is_said_before_the_export(case: Case) -> None:
    assert EXPORTS["engine"].leaves_out(case.made), case.name


def test_what_it_carries_whole_is_not_talked_about() -> None:
    plain = small([track("camera", "x", "scroll", (0, 0), (1, 40))])
    assert EXPORTS["engine"].leaves_out(plain) == [] and EXPORTS["web"].leaves_out(plain) == []
