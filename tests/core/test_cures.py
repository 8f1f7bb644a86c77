"""Every fix of every check, applied, takes its finding away in the proof and in pictures; a little less leaves it there.

Less is a hundredth, and no less than what a picture tells for sure. Thousands of larger scenes: `python -m bench.cures`.
"""

import pytest

from bench.small import small_scene
from clinamen.core.bounds.gaps import GapSearch
from clinamen.core.checks import Finding
from clinamen.core.checks.base import CHECKS, Subject
from clinamen.core.document import Scene
from clinamen.core.errors import BadEdit
from clinamen.core.motion.states import State
from tests.conftest import shelf_of
from tests.cures import Pictures, cured, findings_of, random_world, shows_border, states_of, still_found, weaker

SEEDS, BATCH = 200, 10
MOST_STATES = 10  # that are drawn after a cure
LEAST_JUDGED = 10.0  # px: of what is hardly wrong a little less cannot be told from enough
SLIVER = 2.0  # view px that a picture of one pixel a view pixel tells from nothing


def shown_after(made, art, finding: Finding, seed: int, touching: bool = False, told: float = 0.0) -> str:
    """What pictures still show of a finding; empty where nothing. `told`: px that gaps at other sides had before; what touches the
    side of this one and is larger was only given another name."""
    states = [finding.state, *states_of(made, seed, MOST_STATES)]
    if finding.check == "gap":
        pictures = Pictures(made, art)
        deepest = max(
            ((pictures.bare(state, finding.side, touching), state) for state in states), key=lambda each: each[0]
        )
        if deepest[0] > SLIVER:
            return f"{deepest[0]:.2f} px bare at {deepest[1]}"
        renamed = max(pictures.bare(state, finding.side, touching=bool(finding.side)) for state in states)
        return f"{renamed:.2f} px bare by another side's name" if renamed > told + SLIVER else ""
    if finding.check == "edge":
        seen = [state for state in states if shows_border(made, finding.layer, finding.side, state)]
        return f"its border shows at {seen[0]}" if seen else ""
    return ""


def faults_of(seed: int, most: int = 2) -> list[str]:
    """What is wrong with the cures of a random world of up to so many sheets, in words."""
    made, art = random_world(seed, most)
    wrong = []
    findings = findings_of(made, art, fixes=True)
    for finding in findings:
        told = max((each.amount for each in findings if each.check == "gap" and each is not finding), default=0.0)
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
            elif shown := shown_after(better, art, finding, seed, told=told):
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


@pytest.mark.slow
@pytest.mark.parametrize(
    "seed",
    [
        1001,  # a cure reached all states but one at which the corner belongs to its own side
        1245,  # a gap lies by itself between keys, and at the keys a larger one takes it in
        1300,  # the same, over the pointer
        1384,  # a hair beside the gap stays bare whatever is done
    ],
)
def test_fixes_of_worlds_of_three_sheets_take_their_findings_away(seed: int) -> None:
    assert faults_of(seed, 3) == []


def test_a_gap_that_a_larger_one_takes_in_at_the_keys_is_told_by_the_moment_between_them() -> None:
    made, art = random_world(1245, 3)
    search = GapSearch(made, shelf_of(art, made).opaque_sets(made))
    found = {gap.side: (gap.worst.state.time, opening.amount) for gap, opening in search.found()}
    at_the_keys = [search.openings.at(State(time=time)) for time in (0.0, 0.6, 1.0)]
    below = max((each.amount for openings in at_the_keys for each in openings if each.side == "bottom"), default=0.0)
    moment, amount = found["bottom"]
    assert 0.6 < moment < 1.0 and amount > 2 * below > 0


@pytest.mark.slow
def test_a_small_gap_beside_a_larger_one_is_told_and_closed_at_every_moment() -> None:
    """Six torn sheets, tilted and carried: 56 px are open on the left, and along the bottom less than 4 px, at other moments."""
    made, art = small_scene(3)
    sets, moment = shelf_of(art, made).opaque_sets(made), State(0.6875, (1.0, 1.0), 4.0)

    def bare_below(made: Scene) -> float:
        openings = GapSearch(made, sets).openings.at(moment)
        return max((each.amount for each in openings if each.side == "bottom"), default=0.0)

    (below,) = [gap for gap, _ in GapSearch(made, sets).found() if gap.side == "bottom"]
    assert 2 < bare_below(made) <= below.worst.bound, "what is said to be the most"
    found = CHECKS["gap"].run(Subject(made, sets, with_fixes=True))
    (finding,) = [each for each in found if each.side == "bottom"]
    assert finding.fixes and all(bare_below(cured(made, fix)) < 0.5 for fix in finding.fixes)
