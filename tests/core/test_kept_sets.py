"""Opaque sets that are kept beyond a process are what they were, and unpack only what is asked for."""

import pickle

import numpy as np
import pytest

from clinamen.core.bounds.opaque import OPAQUE, OpaqueSet, opaque_set
from clinamen.core.interval import Interval
from tests.conftest import noise


def kept(made: OpaqueSet, times: int = 1) -> OpaqueSet:
    for _ in range(times):
        made = pickle.loads(pickle.dumps(made))
    return made


def alpha(kind: str) -> np.ndarray:
    if kind == "opaque":
        return np.full((33, 47), 255, np.uint8)
    if kind == "clear":
        return np.zeros((33, 47), np.uint8)
    return np.where(noise(47, 33, 5)[..., 0] > 60, 255, 90).astype(np.uint8)


@pytest.mark.parametrize("kind", ["opaque", "clear", "holes"])
@pytest.mark.parametrize("times", [1, 2])
def test_a_kept_set_is_what_it_was(kind: str, times: int) -> None:
    made = opaque_set(alpha(kind), 47, 33)
    again = kept(made, times)
    assert (again.full, again.empty, again.rect, again.borders) == (made.full, made.empty, made.rect, made.borders)
    assert again.area == pytest.approx((alpha(kind) >= OPAQUE).mean()) and again.nbytes == made.nbytes
    for name in ("mask", "field"):
        here, there = getattr(made, name), getattr(again, name)
        assert (here is None and there is None) or ((here == there).all() and here.dtype == there.dtype)
    places = Interval(np.linspace(-30, 20, 9), np.linspace(-25, 30, 9))
    assert (again.farthest(places, places) == made.farthest(places, places)).all()


def test_what_lists_say_of_it_unpacks_nothing() -> None:
    made = kept(opaque_set(alpha("holes"), 47, 33))
    assert not made.full and not made.empty and 0 < made.area < 1 and made.nbytes > 47 * 33
    assert not {"mask", "field"} & set(vars(made))
    assert made.mask is not None and "mask" in vars(made) and "field" not in vars(made)


def test_a_set_has_nothing_else_by_that_way() -> None:
    with pytest.raises(AttributeError):
        kept(opaque_set(alpha("holes"), 47, 33)).other  # noqa: B018
