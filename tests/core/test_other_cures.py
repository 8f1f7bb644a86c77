"""Every fix of the checks that look at order, loops, jumps, focus, joints, edges and doubles takes its finding away, and says what
would be saved."""

from collections import Counter

import pytest

from tests.cures import cured, findings_of, odd_world, still_found

OTHERS = ("order", "close", "jump", "seam", "repeat", "ghost", "fringe", "focus", "level", "slide")
SEEDS, BATCH = 40, 10
found: Counter[str] = Counter()


@pytest.mark.parametrize("batch", range(SEEDS // BATCH))
def test_every_other_fix_takes_its_finding_away(batch: int) -> None:
    wrong = []
    for seed in range(batch * BATCH, (batch + 1) * BATCH):
        made, art = odd_world(seed)
        for finding in findings_of(made, art, fixes=True):
            for fix in finding.fixes if finding.check in OTHERS else ():
                found[finding.check] += 1
                if left := still_found(cured(made, fix), art, finding):
                    wrong.append(f"{seed}: {finding.message} / {fix.text}: the proof still finds {left[0]}")
    assert wrong == []
    assert len(found) >= 5, "the worlds have many kinds of faults"
