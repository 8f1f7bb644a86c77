"""One evaluation, four readers: raster, page, kit and glTF show every row of the matrix in the same place and look.

Places within 0.1 view pixels; pixels within the bounds below, stated as PSNR against the core's raster (a WebP page is
lossy, glTF filters through mipmaps). Edges are soft in the art, so that nobody's smoothing of outlines counts.
"""

import numpy as np
import pytest

from clinamen.core.document import BLEND_MODES, CAMERA_CHANNELS, LAYER_CHANNELS
from clinamen.core.exports import EXPORTS
from clinamen.core.raster import render
from tests.agreement.cases import CASES, HEIGHT, WIDTH, Case, small
from tests.agreement.hands import GltfHand, KitHand, PageHand
from tests.conftest import folder_served, psnr, track
from tests.outside.test_css import expected

PLACES = 0.1  # view pixels
LIKE = {"page": 33.0, "kit": 36.0, "gltf": 31.0}  # dB


@pytest.fixture(scope="module")
def hands(chromium, webgl, tmp_path_factory):
    size = {"width": WIDTH, "height": HEIGHT}
    contexts = [browser.new_context(viewport=size) for browser in (chromium, webgl)]
    folder = tmp_path_factory.mktemp("gltf")
    with folder_served(folder) as address:
        yield (
            PageHand(contexts[0].new_page(), tmp_path_factory.mktemp("page")), KitHand(tmp_path_factory.mktemp("kit")),
            GltfHand(contexts[1].new_page(), folder, address),
        )  # fmt: skip
    for context in contexts:
        context.close()


@pytest.mark.parametrize("case", CASES, ids=[case.name for case in CASES])
def test_all_hands_agree(hands, case: Case) -> None:
    page, kit, gltf = hands
    page.take(case)
    model = kit.take(case)
    if "gltf" in case.hands:
        gltf.take(case, model)
    for state in case.states:
        wanted = expected(case.made, state)
        ours = render(case.made, state, lambda x: case.art[x.id])[..., :3]
        shown = {"page": page.at(state), "kit": kit.at(state)}
        for name, (picture, places) in shown.items():
            for layer_id, corner in wanted.items():
                assert np.abs(places[layer_id] - corner).max() < PLACES, (name, layer_id, state)
            assert psnr(picture, ours) > LIKE[name], (name, state)
        if "gltf" in case.hands:
            assert psnr(gltf.at(state), ours) > LIKE["gltf"], ("gltf", state)


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
