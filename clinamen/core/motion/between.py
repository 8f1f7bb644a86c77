"""In-between drawings of two forms: outlines matched point by point, so that the total way is least, and colours mixed in linear
light.

Both outlines run the same way round; the second is begun at that of its points from which the sum of squared ways is least, found
by a correlation over all of them (Parseval: one product of spectra tries every start).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.errors import BadEdit


@dataclass(frozen=True)
class Drawn:
    """A filled shape of a drawing: subpaths [n, points, 2], and its colour as sRGB shares with alpha."""

    outlines: Floats
    colour: tuple[float, float, float, float]


def between(one: Sequence[Drawn], two: Sequence[Drawn], shares: Floats) -> list[list[Drawn]]:
    """The drawings at these shares [N] of the way; BadEdit where the forms do not answer each other."""
    if len(one) != len(two):
        raise BadEdit(
            f"forms: the first drawing has {len(one)} filled shapes, the second {len(two)}; give both as many"
        )
    for number, (a, b) in enumerate(zip(one, two, strict=True), 1):
        if len(a.outlines) != len(b.outlines):
            parts = (
                f"shape {number} has {len(a.outlines)} outlines in the first drawing, {len(b.outlines)} in the second"
            )
            raise BadEdit(f"forms: {parts}; give both as many")
    matched = [(a, Drawn(np.stack([aligned(*pair) for pair in zip(a.outlines, b.outlines, strict=True)]), b.colour))
               for a, b in zip(one, two, strict=True)]  # fmt: skip
    return [
        [Drawn(a.outlines + (b.outlines - a.outlines) * share, mixed(a.colour, b.colour, share)) for a, b in matched]
        for share in map(float, shares)
    ]


def aligned(one: Floats, two: Floats) -> Floats:
    """The closed outline `two` [points, 2], turned the same way round as `one` and begun where the total way is least."""
    if area(one) * area(two) < 0:
        two = two[::-1]
    first, second = one[:, 0] + 1j * one[:, 1], two[:, 0] + 1j * two[:, 1]
    # Σ|a_i − b_(i+s)|² is least where Re Σ conj(a_i)·b_(i+s) is greatest
    alike = np.fft.ifft(np.fft.fft(second) * np.conj(np.fft.fft(first))).real
    return np.roll(two, -int(alike.argmax()), axis=0)


def area(outline: Floats) -> float:
    """Signed area, positive clockwise as seen (y down)."""
    x, y = outline.T
    return float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y) / 2)


def mixed(one: tuple[float, ...], two: tuple[float, ...], share: float) -> tuple[float, float, float, float]:
    """Two colours mixed in linear light, as much of each as it covers."""
    alpha = one[3] + (two[3] - one[3]) * share
    if alpha <= 0:
        return (*one[:3], 0.0)  # type: ignore[return-value]
    channels = []
    for a, b in zip(one[:3], two[:3], strict=True):
        light = (linear(a) * one[3] * (1 - share) + linear(b) * two[3] * share) / alpha
        channels.append(coded(light))
    return channels[0], channels[1], channels[2], alpha


def linear(value: float) -> float:
    """sRGB share to linear light (IEC 61966-2-1)."""
    return value / 12.92 if value <= 0.04045 else ((value + 0.055) / 1.055) ** 2.4


def coded(light: float) -> float:
    """Linear light to sRGB share."""
    return 12.92 * light if light <= 0.0031308 else 1.055 * light ** (1 / 2.4) - 0.055
