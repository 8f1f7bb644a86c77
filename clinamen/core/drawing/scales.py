"""Marks on a scale: round numbers, about as many as asked for, never many more whatever the numbers."""

import math


def round_steps(low: float, high: float, about: int) -> list[float]:
    """Round numbers from `low` to `high`, between half and one and a half times `about` of them."""
    if not (math.isfinite(low) and math.isfinite(high)) or high <= low:
        return [low] if math.isfinite(low) else []
    rough = (high - low) / about
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(factor * power for factor in (1, 2, 2.5, 5, 10) if factor * power >= rough * (1 - 1e-9))
    first, last = math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9)
    return [round(index * step, 12) + 0.0 for index in range(first, last + 1)]
