"""What is kept of a layer between two answers never differs from what would be worked out anew."""

import random
from collections.abc import Iterator

from clinamen.core.bounds import needs
from clinamen.core.checks import Subject, base, prove_subject
from clinamen.core.document import Scene
from clinamen.core.drawing import plan
from clinamen.core.edits import apply
from clinamen.core.errors import ClinamenError
from clinamen.core.exports.web import css
from clinamen.core.exports.web.shown import Shown
from clinamen.core.pictures.telling import Telling
from tests.conftest import full_sets, layer, noise, scene, shelf_of, track

EDITS = [
    ("depth", {"rate": "0.3"}), ("depth", {"rate": "0.8"}), ("framing", {"x": "30"}), ("framing", {"scale": "1.4"}),
    ("lens", {"focal_length": "60"}), ("title", {"title": "Other"}), ("driver", {"driver": "scroll", "length": "1700"}),
    ("view", {"width": "900", "height": "600"}), ("order", {"by": "1"}), ("order", {"by": "-1"}), ("tilt", {"lean": "9"}),
    ("tilt", {"turn": "12"}), ("layer", {"visible": "0"}), ("layer", {"opacity": "0.5"}), ("layer", {"blur": "3"}),
    ("layer", {"blend": "multiply"}), ("group", {"group": "Far"}), ("remove", {}), ("carrier", {"carrier": "cart"}),
    ("drift", {"channel": "y", "reach": "12", "pace": "0.2"}), ("aperture", {"aperture": "4"}), ("anchor", {"x": "20", "y": "5"}),
]  # fmt: skip


def forgotten() -> None:
    for kept in (css._styles, plan._bars, plan._stands, plan._spans, needs._known):
        kept.clear()


def test_styles_and_bars_that_are_kept_are_what_would_be_drawn_anew() -> None:
    changed = 0
    for name, made in edited(start(), EDITS, 7, 70):
        changed += 1
        kept = drawn(made)
        forgotten()
        assert kept == drawn(made), name
    assert changed > 20


def edited(first: Scene, edits: list, seed: int, times: int) -> Iterator[tuple[str, Scene]]:
    """The scene after each of many edits by chance, with the edit's name; begun anew where layers were taken out."""
    chance, made = random.Random(seed), first
    for _ in range(times):
        name, values = chance.choice(edits)
        who = chance.choice([each.id for each in made.layers])
        try:
            made, _ = apply(made, name, {"layer": who, "target": who, **values})
        except (ClinamenError, KeyError):
            continue
        made = made if len(made.layers) == 3 else first
        yield name, made


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


def test_findings_that_are_kept_are_those_of_a_proof_made_anew() -> None:
    art = {"back": noise(300, 200, 1), "middle": noise(260, 90, 2), "front": noise(90, 120, 3)}
    shelf = shelf_of(art)
    seen = set()
    first = scene(
        *(layer(name, pixels.shape[1], pixels.shape[0], depth=depth) for (name, pixels), depth in zip(art.items(), (300, 40, 120), strict=True)),
        view={"width": 200, "height": 130}, drivers={"scroll": {"length": 500}, "time": {"duration": 4, "loop": False}},
        tracks=[track("camera", "x", "scroll", (0, 0), (0.5, 60, "hold"), (1, 20)), track("front", "y", "time", (0, 0), (4, 700))],
    )  # fmt: skip
    moves = [("depth", {"rate": f"{rate}"}) for rate in (0.2, 0.5, 0.9, 1.1)] + EDITS
    for name, made in edited(first, moves, 11, 28):
        shelf.scene = made

        def proved(made=made) -> list:
            return prove_subject(Subject(made, shelf.opaque_sets(made), False, art=Telling(shelf)))

        kept = proved()
        base._kept.clear()
        assert kept == proved(), name
        seen |= {finding.check for finding in kept}
    assert {"order", "jump", "gap", "edge"} <= seen, "much was found"
