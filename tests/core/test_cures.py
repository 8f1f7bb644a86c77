"""Every fix of every check, applied, takes its finding away in the proof and in pictures; a little less leaves it there.

Less is a hundredth, and no less than what a picture tells for sure. Thousands of larger scenes: `python -m bench.cures`.
"""

import pytest

from clinamen.core.checks import Finding
from clinamen.core.errors import BadEdit
from tests.cures import Pictures, cured, findings_of, random_world, shows_border, states_of, still_found, weaker

SEEDS, BATCH = 200, 10
MOST_STATES = 10  # that are drawn after a cure
LEAST_JUDGED = 10.0  # px: of what is hardly wrong a little less cannot be told from enough
SLIVER = 2.0  # view px that a picture of one pixel a view pixel tells from nothing


def shown_after(made, art, finding: Finding, seed: int, touching: bool = False) -> str:
    """What pictures still show of a finding; empty where nothing."""
    states = [finding.state, *states_of(made, seed, MOST_STATES)]
    if finding.check == "gap":
        pictures = Pictures(made, art)
        deepest = max(
            ((pictures.bare(state, finding.side, touching), state) for state in states), key=lambda each: each[0]
        )
        return f"{deepest[0]:.2f} px bare at {deepest[1]}" if deepest[0] > SLIVER else ""
    if finding.check == "edge":
        seen = [state for state in states if shows_border(made, finding.layer, finding.side, state)]
        return f"its border shows at {seen[0]}" if seen else ""
    return ""


def faults_of(seed: int, most: int = 2) -> list[str]:
    """What is wrong with the cures of a random world of up to so many sheets, in words."""
    made, art = random_world(seed, most)
    wrong = []
    for finding in findings_of(made, art, fixes=True):
        for fix in finding.fixes:
            what = f"{seed}: {finding.message} / {fix.text}:"
            try:
                better = cured(made, fix)
            except BadEdit as error:
                wrong.append(f"{what} refused, {error}")
                continue
            left = still_found(better, art, finding)
            if left:
                wrong.append(f"{what} the proof still finds {left[0]}")
            elif shown := shown_after(better, art, finding, seed):
                wrong.append(f"{what} {shown}")
            less = weaker(made, fix) if seed % 2 == 0 else None
            small = finding.unit == "px" and finding.amount < LEAST_JUDGED
            # a side that is extended a little may come into the composed picture, and is then meant to be seen
            if less is None or small or (finding.check, fix.kind) == ("edge", "extend"):
                continue
            nearly = cured(made, fix, less)
            still = still_found(nearly, art, finding)
            if not still and not shown_after(nearly, art, finding, seed, touching=True):
                wrong.append(f"{what} a hundredth less would do")
    return wrong


@pytest.mark.slow
@pytest.mark.parametrize("batch", range(SEEDS // BATCH))
def test_every_fix_takes_its_finding_away_and_a_hundredth_less_does_not(batch: int) -> None:
    assert [
        fault for seed in range(batch * BATCH, (batch + 1) * BATCH) for fault in faults_of(seed, 1 + seed % 2)
    ] == []
