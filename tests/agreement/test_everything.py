"""A scene that uses everything that moves, at sixty random states: the page stands where the core says, within 0.1 px and on the
very cell."""

import numpy as np
import pytest

from clinamen.core.motion.states import State
from clinamen.core.stage import stage_at
from tests.agreement.cases import ART, VIEW, Case, strip
from tests.agreement.hands import PageHand
from tests.conftest import fresh_context, layer, scene, track
from tests.outside.test_css import expected, held
from tests.seen import quads

PLACES = 0.1  # view pixels
CELL = """() => { const img = document.querySelector('[data-layer=walker] img');
  const [x, y] = getComputedStyle(img).translate.split(' ').map(parseFloat); return [x, y ?? 0]; }"""

SOFT = """() => Object.fromEntries([...document.querySelectorAll('[data-layer]')].map((layer) =>
  [layer.dataset.layer, parseFloat((getComputedStyle(layer.parentElement).filter.match(/blur\\((.*)px/) ?? [0, 0])[1])]))"""


def everything():
    """Carriers, anchors, arcs, drifts, an actor, linear() and Béziers, holds, tilt, stretch, pointer, scroll and looping time."""
    return scene(
        layer("back", 620, 430, depth=900, framing={"scale": 1.9}),
        layer("piece", 260, 200, depth=-120, framing={"x": 30, "y": 10, "rotation": 12, "stretch": 0.8, "skew": 10}, tilt={"turn": 18, "lean": 8},
              anchor={"x": -70, "y": 40}, carrier="raft", group="House / Porch"),
        layer("walker", 260, 200, depth=60, framing={"x": -60, "y": 20, "scale": 0.7}, carrier="piece",
              frames={"columns": 3, "rows": 2, "count": 5, "fps": 6, "offset": 0.4, "play": "to-and-fro"}),
        view=VIEW, lens={"aperture": 2.8, "pixels_per_metre": 300}, camera={"focus": 0.7, "arc": 4, "target": {"x": 20, "y": 0, "depth": 300}, "zoom": 1.1},
        carriers=[{"id": "raft", "at": {"x": -40, "y": 30}, "rotation": 6, "carrier": "float"}, {"id": "float", "at": {"x": 10, "y": 0}, "scale": 1.1},
                  {"id": "house", "at": {"x": 0, "y": 60}, "depth": 30}],
        groups=[{"name": "House", "carrier": "house"}],
        drivers={"scroll": {"length": 900}, "pointer": {"reach_x": 30, "reach_y": -15}, "time": {"duration": 7, "loop": True}},
        tracks=[
            track("camera", "x", "scroll", (0, 0, [0.3, -0.4, 0.4, 1.5]), (1, 70)), track("camera", "crane", "scroll", (0, 0), (1, 7)),
            track("camera", "arc", "time", (0, 0, "ease-in-out"), (3, 8, "smooth"), (5, 2, "smooth"), (7, 0)),
            track("camera", "zoom", "time", (0, 1), (7, 1.2)), track("camera", "focus", "time", (0, 0), (3, 0.4), (7, -0.5)),
            track("camera", "aperture", "scroll", (0, 1), (1, 1.6)), track("piece", "blur", "scroll", (0, 0), (1, 2)),
            track("raft", "rotation", "time", (0, 0, "ease"), (4, 50), (7, 0)), track("float", "y", "scroll", (0.2, 0), (0.9, -40)),
            track("house", "depth", "scroll", (0, 0), (1, 90)), track("raft", "opacity", "scroll", (0, 1), (1, 0.5)),
            track("piece", "scale", "time", (0, 1, {"linear": [[0, 0], [0.3, 1.2], [1, 1]]}), (6, 1.4)),
            track("piece", "y", "scroll", (0, 0, "hold"), (0.5, 12, "step-start"), (0.8, -8)), track("back", "rotation", "scroll", (0, 0), (1, 5)),
            {"target": "piece", "channel": "x", "driver": "time", "drift": {"reach": 14, "pace": 0.7, "seed": 3}},
            {"target": "float", "channel": "rotation", "driver": "time", "drift": {"reach": 5, "pace": 0.4, "seed": 9}},
            {"target": "camera", "channel": "roll", "driver": "time", "drift": {"reach": 3, "pace": 0.5, "seed": 4}},
        ],
    )  # fmt: skip


@pytest.fixture
def page(chromium, tmp_path):
    context = fresh_context(chromium, viewport={"width": VIEW["width"], "height": VIEW["height"]})
    yield PageHand(context.new_page(), tmp_path)
    context.close()


def test_page_and_core_agree_at_sixty_random_states(page) -> None:
    made, random = everything(), np.random.default_rng(5)
    page.take(Case("everything", made, art={**ART, "walker": strip(3, 2, 5)}))
    for _ in range(60):
        scroll, u, v, time = random.uniform([0, -1, -1, 0], [1, 1, 1, 16])
        state = State(float(scroll), (float(u), float(v)), float(time))
        held(page.page, state)
        seen = quads(page.page)
        for name, wanted in expected(made, state).items():
            assert np.abs(seen[name] - wanted).max() < PLACES, (name, state)
        cell = int(stage_at(made, state)["walker"].frame[0])
        for name, spread in page.page.evaluate(SOFT).items():
            assert spread == pytest.approx(float(stage_at(made, state)[name].blur[0]), abs=1e-3), (name, state)
        row, column = divmod(cell, 3)
        assert page.page.evaluate(CELL) == pytest.approx([-100 * column / 3, -50 * row], abs=1e-3), (cell, state)
