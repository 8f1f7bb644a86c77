"""Rotations of the kit's axes, x right, y down, z away: matrices [3, 3] of angles in degrees."""

import math

import numpy as np


def turned(degrees: float, i: int, j: int, sign: int) -> np.ndarray:
    matrix = np.eye(3)
    matrix[i, i] = matrix[j, j] = math.cos(math.radians(degrees))
    matrix[i, j], matrix[j, i] = (side * math.sin(math.radians(degrees)) for side in (sign, -sign))
    return matrix


def yaw(degrees: float) -> np.ndarray:
    return turned(degrees, 0, 2, 1)


def pitch(degrees: float) -> np.ndarray:
    return turned(degrees, 1, 2, -1)


def roll(degrees: float) -> np.ndarray:
    return turned(degrees, 0, 1, -1)
