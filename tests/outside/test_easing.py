"""Easing against the browser's own (CSS Easing in Chromium) and the monotone cubic against SciPy's PCHIP."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator
from scipy.signal import welch

from clinamen.core import document
from clinamen.core.motion.curves import Curve
from clinamen.core.motion.easing import NAMED, cubic_bezier
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import States
from tests.conftest import track

ASK = """(easing) => { const box = document.createElement('div'); document.body.append(box);
  const run = box.animate([{}, {}], {duration: 1000, easing: 'linear', fill: 'both'});
  run.effect.updateTiming({easing}); run.pause();
  const out = []; for (let i = 0; i <= 200; i++) { run.currentTime = i * 5; out.push(run.effect.getComputedTiming().progress); }
  return out; }"""


@pytest.mark.parametrize(
    "easing", [*NAMED, (0.68, -0.55, 0.27, 1.55), (1, 0, 0, 1), (0, 1, 1, 0), (0.9, 0.1, 1, 0.2), (0.3, 2, 0.6, -1)]
)
def test_cubic_beziers_are_chromiums(page, easing) -> None:
    handles = NAMED[easing] if isinstance(easing, str) else easing
    page.goto("about:blank")
    theirs = np.array(page.evaluate(ASK, f"cubic-bezier({','.join(map(str, handles))})"))
    ours = cubic_bezier(handles, np.arange(201) / 200)
    # Chromium solves its curve to 1e-7 in x, which a steep curve magnifies
    assert ours == pytest.approx(theirs, abs=2e-4)


@pytest.mark.parametrize("points", [
    [[0, 0], [0.3, 0.6], [1, 1]],
    [[0, 0], [0.2, 1.3], [0.4, 0.8], [0.6, 1.1], [0.8, 0.97], [1, 1]],
    [[0, 0], [0.001, -0.5], [0.999, 0.5], [1, 1]],
])  # fmt: skip
def test_linear_stretches_are_chromiums(page, points) -> None:
    page.goto("about:blank")
    css = ", ".join(f"{output} {share * 100:.10g}%" for share, output in points)
    theirs = np.array(page.evaluate(ASK, f"linear({css})"))
    keys = [(0.0, 20.0, {"linear": points}), (1.0, 60.0)]
    curve = Curve(document.Track.model_validate(track("camera", "x", "scroll", *keys)))
    x = np.arange(201) / 200
    assert curve.value(x) == pytest.approx(20 + 40 * theirs, abs=1e-4)
    low, high = curve.range(np.zeros(1), np.ones(1))
    outputs = [20 + 40 * output for _, output in points]
    assert (low[0], high[0]) == pytest.approx((min(outputs), max(outputs)), abs=1e-9), "between samples too"


@settings(max_examples=80, deadline=None)
@given(st.lists(st.tuples(st.integers(1, 40), st.floats(-200, 200)), min_size=2, max_size=8))
def test_smooth_is_scipys_pchip(steps: list[tuple[int, float]]) -> None:
    at = np.cumsum([step for step, _ in steps]) / 400
    values = np.array([value for _, value in steps])
    keys = [(float(a), float(v), "smooth") for a, v in zip(at, values, strict=True)]
    curve = Curve(document.Track.model_validate(track("camera", "x", "scroll", *keys)))
    x = np.linspace(at[0], at[-1], 201)
    assert curve.value(x) == pytest.approx(PchipInterpolator(at, values)(x), abs=1e-7 * (1 + np.abs(values).max()))


@pytest.mark.parametrize("pace,loop", [(0.1, True), (0.5, True), (0.5, False), (2.0, True), (2.0, False)])
def test_a_drifts_power_lies_at_its_pace_and_below(pace: float, loop: bool) -> None:
    """By SciPy's Welch: less than 2 % of the power lies above one and a half times the pace."""
    drift = {"target": "camera", "channel": "x", "driver": "time", "drift": {"reach": 30, "pace": pace, "seed": 11}}
    made = document.parse({"layers": [], "drivers": {"time": {"duration": 40, "loop": loop}}, "tracks": [drift]})
    at = np.arange(8000) / 200
    value = Motion(made).over("camera", States.still(8000, time=at))["x"]
    frequency, power = welch(np.tile(value, 4 if loop else 1), fs=200, nperseg=8000 if loop else 4000)
    assert power[frequency > 1.5 * pace].sum() < 0.02 * power[1:].sum()
    assert power[(frequency > 0) & (frequency <= 1.1 * pace)].sum() > 0.9 * power[1:].sum()
