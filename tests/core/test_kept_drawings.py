"""What is kept of a layer between two answers never differs from what would be worked out anew."""

import random

from clinamen.core.drawing import plan
from clinamen.core.edits import apply
from clinamen.core.errors import ClinamenError
from clinamen.core.exports.web import css
from clinamen.core.exports.web.shown import Shown
from tests.conftest import full_sets, layer, scene, track

EDITS = [
    ("depth", {"rate": "0.3"}), ("depth", {"rate": "0.8"}), ("framing", {"x": "30"}), ("framing", {"scale": "1.4"}),
    ("lens", {"focal_length": "60"}), ("title", {"title": "Other"}), ("driver", {"driver": "scroll", "length": "1700"}),
    ("view", {"width": "900", "height": "600"}), ("order", {"by": "1"}), ("order", {"by": "-1"}), ("tilt", {"lean": "9"}),
    ("tilt", {"turn": "12"}), ("layer", {"visible": "0"}), ("layer", {"opacity": "0.5"}), ("layer", {"blur": "3"}),
    ("layer", {"blend": "multiply"}), ("group", {"group": "Far"}), ("remove", {}), ("carrier", {"carrier": "cart"}),
    ("drift", {"channel": "y", "reach": "12", "pace": "0.2"}), ("aperture", {"aperture": "4"}), ("anchor", {"x": "20", "y": "5"}),
]  # fmt: skip


def forgotten() -> None:
    css._styles.clear()
    plan._bars.clear()


def test_styles_and_bars_that_are_kept_are_what_would_be_drawn_anew() -> None:
    chance, made = random.Random(7), start()
    changed = 0
    for _ in range(160):
        name, values = chance.choice(EDITS)
        who = chance.choice([each.id for each in made.layers] or ["back"])
        try:
            made, _ = apply(made, name, {"layer": who, "target": who, **values})
        except (ClinamenError, KeyError):
            continue
        changed += 1
        if len(made.layers) < 3:
            made = start()
        kept = drawn(made)
        forgotten()
        assert kept == drawn(made), name
    assert changed > 40


def start():
    return scene(
        layer("back", 900, 700, depth=900), layer("middle", 900, 500, depth=400, carrier="cart"), layer("front", 600, 300, depth=100),
        drivers={"scroll": {"length": 900}, "pointer": {}},
        carriers=[{"id": "cart"}],
        tracks=[track("camera", "x", "scroll", (0, 0), (1, 90)), track("cart", "y", "scroll", (0, 0), (1, 40))],
    )  # fmt: skip


def drawn(made):
    shown = {each.id: Shown((), f"{each.id}.webp", (0, 0, each.art.width, each.art.height)) for each in made.layers}
    sets = full_sets(made)
    return css.Stylesheet(made, shown).parts(), plan.draw(made, sets), plan.draw(made, sets, "y")
