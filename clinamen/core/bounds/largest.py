"""The largest value of something over all driver states, closed in on by bounds: branch and bound, written once."""

from collections.abc import Callable, Sequence

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.bounds.boxes import ends_of, parted
from clinamen.core.motion.states import State

BUDGET = 20_000  # cells looked at
Found = tuple[float, State]


def largest(
    roots: Floats,
    bound: Callable[[Floats], Floats],
    tried: Callable[[Floats], Found],
    best: Found,
    tolerance: float,
    jumps: Sequence[Floats] = (),
) -> Found:
    """The largest value over cells of driver states [N, 4, 2], known to `tolerance`, and its state. `bound` gives upper bounds
    [N] over cells [N, 4, 2], `tried` the largest at any of some states [N, 4]; `best` is what is known already; `jumps` are
    places along each axis where something jumps."""
    cells, spent = roots.astype(float), 0
    whole = np.maximum(roots[:, :, 1].max(axis=0) - roots[:, :, 0].min(axis=0), 1e-12)
    while spent < BUDGET:
        over = bound(cells)
        keep = (over > best[0] + tolerance) & np.isfinite(over)
        if not keep.any():
            break
        cells = cells[keep]
        wide = (cells[:, :, 1] - cells[:, :, 0]) / whole
        cells = parted(cells, wide.argmax(axis=1), 2, jumps)
        spent += len(cells)
        wide_along = tuple(np.flatnonzero((cells[:, :, 1] > cells[:, :, 0]).any(axis=0)).tolist())
        found = tried(np.unique(ends_of(cells, wide_along)[:, :, 0], axis=0))
        best = max(best, found, key=lambda each: each[0])
    return best
