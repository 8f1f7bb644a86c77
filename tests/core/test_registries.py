"""One conformance test a kind of entry: whatever is registered keeps the contract of its kind."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from clinamen.core.checks import CHECKS
from clinamen.core.checks.base import Finding
from clinamen.core.document.channels import CHANNELS
from clinamen.core.edits import EDITS, apply
from clinamen.core.errors import BadEdit
from clinamen.core.exports import EXPORTS, Told
from clinamen.core.exports.base import checked, fields_of, read_options
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import Cells, State, States
from clinamen.core.motion.terms import TERM_MODULES
from clinamen.core.prep.base import Around
from clinamen.core.prep.recipe import Recipe
from clinamen.core.prep.shapes import Frame
from clinamen.core.prep.steps import STEPS
from clinamen.core.recipes import made_step, scaled_steps
from tests.conftest import full_sets, layer, noise, scene, shelf_of, track

MOVING = scene(
    layer("a", 300, 200, depth=400), layer("b", 260, 180, depth=-100), view={"width": 320, "height": 180},
    drivers={"scroll": {}, "pointer": {}, "time": {"duration": 5}},
    tracks=[
        track("camera", "x", "scroll", (0, 0, [0.3, -0.8, 0.4, 1.9]), (0.7, 60, "hold"), (1, 20)),
        track("camera", "y", "time", (0, 0, "smooth"), (2, 30, "step-start"), (5, -10)),
        track("b", "opacity", "time", (0, 1), (5, 0.2)),
    ],
)  # fmt: skip


@pytest.mark.parametrize("kind", STEPS)
def test_every_step_starts_runs_and_is_as_large_as_it_says(kind: str) -> None:
    step = made_step({"step": kind, **STEPS[kind].start(80, 60, ["other"])})
    assert step.kind == kind and step.title and step.group and step.lower[0].islower()
    art = noise(80, 60, 3, 20)
    art[20:30, 20:30, 3] = 0
    made = step.work(art, Around(1.0, lambda _: noise(80, 60, 4, 20)))
    after = step.frame(Frame(80, 60))
    assert made.shape == (after.height, after.width, 4) and made.dtype == np.uint8
    assert (art == _again(art)).all(), "art is never changed"
    (grown,) = scaled_steps([step], 2.0)
    assert grown.frame(Frame(160, 120))[:2] == (2 * after.width, 2 * after.height) or kind == "turn"
    assert Recipe(width=80, height=60, steps=(step,)).looks_at <= {"other"}
    named = [info.title for info in type(step).model_fields.values() if info.title]
    assert len(named) == len(set(named)), "no two fields of a card are called alike"


def _again(art: np.ndarray) -> np.ndarray:
    fresh = noise(80, 60, 3, 20)
    fresh[20:30, 20:30, 3] = 0
    return fresh


@pytest.mark.parametrize("name", EXPORTS)
def test_every_export_builds_with_its_defaults_tells_how_far_it_is_and_can_be_called_off(name: str) -> None:
    export = EXPORTS[name]
    assert export.id == name and export.name and export.says.endswith(".")
    clock = {"time": {"duration": 0.2}}
    made = scene(layer("a", 40, 30), layer("b", 30, 20), view={"width": 40, "height": 30}, drivers=clock)
    shelf = shelf_of({"a": noise(40, 30), "b": noise(30, 20)})
    told: list[float] = []
    files = export.build(made, shelf, export.options(), Told(lambda share, file: told.append(share)))
    assert files and all(isinstance(data, bytes) and data for data in files.values())
    assert told == sorted(told) and told[0] >= 0 and told[-1] <= 1
    assert export.single == (len(files) == 1 and name in ("layered", "film"))

    class Stop(Exception):
        pass

    def stop(share: float, file: str) -> None:
        raise Stop

    with pytest.raises(Stop):
        export.build(made, shelf, export.options(), Told(stop))
    assert isinstance(export.leaves_out(made), list)


@pytest.mark.parametrize("name", EXPORTS)
def test_every_option_is_a_field_that_reads_back_its_default(name: str) -> None:
    options = EXPORTS[name].options
    fields = fields_of(options)
    assert [field.name for field in fields] == [name for name, info in options.model_fields.items() if not info.exclude]
    typed = {
        f.name: "1" if f.value is True else "" if f.value is None else str(f.value)
        for f in fields
        if f.value is not False
    }
    assert read_options(options, typed) == options()
    for field in fields:
        if field.kind == "number":
            with pytest.raises(BadEdit, match=field.label):
                read_options(options, {field.name: "much"})
            with pytest.raises(BadEdit, match=field.label):
                checked(options, {field.name: -5})


@pytest.mark.parametrize("name", CHECKS)
def test_every_check_has_words_and_finds_nothing_in_a_scene_that_holds(name: str) -> None:
    from clinamen.core.checks import Subject

    check = CHECKS[name]
    assert (
        check.id == name
        and check.name
        and check.plural
        and check.description.endswith(".")
        and check.unit
        and check.sure
    )
    still = scene(layer("sky", 2000, 1200))
    assert check.run(Subject(still, full_sets(still))) == []
    assert isinstance(check.run(Subject(scene(), {})), list), "a scene without layers is no fault"
    from clinamen.core.checks.base import Where

    finding = Finding(name, "error", "sky", State(), 3.4, check.unit, Where(0, 0, 1, 1), "says", "left")
    assert check.short(finding) and check.moment(still, finding) and len(check.key(finding)) == 3


@pytest.mark.parametrize("name", EDITS)
def test_every_edit_refuses_nonsense_in_a_sentence(name: str) -> None:
    made = scene(layer("a", 40, 30), drivers={"scroll": {}})
    assert EDITS[name].__doc__
    for values in ({}, {"layer": "nobody", "layers": "nobody", "index": "99", "step": "nothing", "data": "{"}):
        try:
            edited, says = apply(made, name, values)
        except BadEdit as error:
            assert len(str(error)) > 8
        else:
            assert says and edited.to_json()["format"] == "clinamen/scene"


@settings(max_examples=60, deadline=None)
@given(st.lists(st.floats(0, 1), min_size=8, max_size=8), st.integers(0, 10_000))
def test_no_term_ever_leaves_the_range_that_bounds_it(numbers: list[float], seed: int) -> None:
    motion, rng = Motion(MOVING), np.random.default_rng(seed)
    low = np.array([[0, -1, -1, 0]])[0] + np.array([1, 2, 2, 5]) * np.minimum(numbers[:4], numbers[4:])
    high = np.array([[0, -1, -1, 0]])[0] + np.array([1, 2, 2, 5]) * np.maximum(numbers[:4], numbers[4:])
    states = States(*(rng.uniform(low[axis], high[axis], 64) for axis in range(4)))
    cells = Cells.of(np.stack([low, high], axis=1)[None])
    assert {term.kind for mixes in motion.mixes.values() for mix in mixes.values() for term in mix.terms} >= {
        "rest", "curve", "pointer",
    } and len(TERM_MODULES) >= 3  # fmt: skip
    for mixes in motion.mixes.values():
        for mix in mixes.values():
            for term in mix.terms:
                values, bounds = term.value(states), term.range(cells)
                assert np.all(values >= bounds.low - 1e-9) and np.all(values <= bounds.high + 1e-9)
            whole, all_bounds = mix.over(states), mix.over(cells)
            assert np.all(whole >= all_bounds.low - 1e-9) and np.all(whole <= all_bounds.high + 1e-9)


def test_every_channel_has_a_whole_row() -> None:
    for rows in CHANNELS.values():
        for name, row in rows.items():
            assert (row.name == name and row.move and row.unit and row.nudge > 0 and row.low < row.rest < row.high) or (
                (row.combine == "add" and row.low < 0 < row.high) or row.name == "opacity"
            )
