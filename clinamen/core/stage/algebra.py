"""Numbers the placement formula is written in: arrays of values, or intervals that bound them. One text serves both.

What arrays and intervals cannot both do by an operator (sine, division, a lower limit) is a function here.
"""

from typing import TypeVar

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.interval import Interval, number_of

V = TypeVar("V", Floats, Interval)
Vector = tuple[V, V, V]
Matrix = tuple[Vector[V], Vector[V], Vector[V]]


def like(value: V, number: float) -> V:
    """A plain number as the same kind as `value`."""
    if isinstance(value, Interval):
        return number_of(number)
    return np.full_like(value, number)


def sin_degrees(value: V) -> V:
    return value.sin_degrees() if isinstance(value, Interval) else np.sin(np.radians(value))


def cos_degrees(value: V) -> V:
    return value.cos_degrees() if isinstance(value, Interval) else np.cos(np.radians(value))


def quotient(number: float, value: V, least: float) -> V:
    """`number` / max(`value`, `least`), both positive: falls where the value grows, 0 where it is infinite."""
    if isinstance(value, Interval):
        if value.fixed:
            return Interval.point(number / np.maximum(value.low, least))
        return Interval(number / np.maximum(value.high, least), number / np.maximum(value.low, least))
    return number / np.maximum(value, least)


def limited(value: V, low: float, high: float) -> V:
    """Each value brought within low … high."""
    if isinstance(value, Interval):
        if value.fixed:
            return Interval.point(np.clip(value.low, low, high))
        return Interval(np.clip(value.low, low, high), np.clip(value.high, low, high))
    return np.clip(value, low, high)


def magnitude(value: V) -> V:
    """Absolute values."""
    return value.magnitude() if isinstance(value, Interval) else np.abs(value)


def together(one: V, other: V) -> V:
    """√(one² + other²) of two that are not negative: what independent spreads come to."""
    if isinstance(one, Interval):
        if one.fixed and other.fixed:
            return Interval.point(np.hypot(one.low, other.low))
        return Interval(np.hypot(one.low, other.low), np.hypot(one.high, other.high))
    return np.hypot(one, other)


def still_at(value: V, number: float) -> bool:
    """True where the value is `number` everywhere."""
    if isinstance(value, Interval):
        if value.number is not None:
            return value.number == number
        return value.fixed and not bool((value.low != number).any())
    return not bool(np.any(value != number))


def dot(left: Vector[V], right: Vector[V]) -> V:
    return left[0] * right[0] + left[1] * right[1] + left[2] * right[2]


def apply(matrix: Matrix[V], vector: Vector[V]) -> Vector[V]:
    """The matrix times a column."""
    return (dot(matrix[0], vector), dot(matrix[1], vector), dot(matrix[2], vector))


def column(matrix: Matrix[V], index: int) -> Vector[V]:
    return (matrix[0][index], matrix[1][index], matrix[2][index])


def transposed(matrix: Matrix[V]) -> Matrix[V]:
    return (column(matrix, 0), column(matrix, 1), column(matrix, 2))


def product(left: Matrix[V], right: Matrix[V]) -> Matrix[V]:
    """left · right."""
    turned = transposed(right)
    return (_row(left[0], turned), _row(left[1], turned), _row(left[2], turned))


def _row(row: Vector[V], columns: Matrix[V]) -> Vector[V]:
    return (dot(row, columns[0]), dot(row, columns[1]), dot(row, columns[2]))


def yaw(degrees: V) -> Matrix[V]:
    """About the y axis: positive turns z towards x."""
    cos, sin, one, zero = cos_degrees(degrees), sin_degrees(degrees), like(degrees, 1), like(degrees, 0)
    return ((cos, zero, sin), (zero, one, zero), (-sin, zero, cos))


def pitch(degrees: V) -> Matrix[V]:
    """About the x axis: positive turns z towards −y, up."""
    cos, sin, one, zero = cos_degrees(degrees), sin_degrees(degrees), like(degrees, 1), like(degrees, 0)
    return ((one, zero, zero), (zero, cos, -sin), (zero, sin, cos))


def roll(degrees: V) -> Matrix[V]:
    """About the z axis: positive turns x towards y, clockwise on the view."""
    cos, sin, one, zero = cos_degrees(degrees), sin_degrees(degrees), like(degrees, 1), like(degrees, 0)
    return ((cos, -sin, zero), (sin, cos, zero), (zero, zero, one))
