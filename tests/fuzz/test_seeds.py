"""What a fuzzer once found, and what it began with, is read or refused in a sentence."""

import pytest

from bench.fuzz import NAMES
from tests.fuzz.targets import TARGETS, fed, seeds

KEPT = [(target, path) for target in TARGETS for path in seeds(target)]


@pytest.mark.parametrize(("target", "path"), KEPT, ids=[f"{target}/{path.name}" for target, path in KEPT])
def test_a_kept_input_is_read_or_refused(target, path) -> None:
    fed(target, path.read_bytes())


def test_every_target_has_seeds() -> None:
    assert {target for target, _ in KEPT} == set(TARGETS) == set(NAMES)
