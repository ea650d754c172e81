"""RGB spaces by their primaries, and the matrices between them."""

from dataclasses import dataclass
from functools import cache

import numpy as np

from retouch.types import Floats

D65 = (0.3127, 0.3290)
D50_XYZ = np.array([0.9642, 1.0, 0.8249])
"""The white of the ICC profile connection space (ICC.1:2022, 7.2.16)."""

BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


@dataclass(frozen=True)
class Space:
    """An RGB space: its name, the xy chromaticities of red, green and blue, and of its white."""

    name: str
    red: tuple[float, float]
    green: tuple[float, float]
    blue: tuple[float, float]
    white: tuple[float, float] = D65


SRGB = Space("sRGB", (0.640, 0.330), (0.300, 0.600), (0.150, 0.060))
DISPLAY_P3 = Space("Display P3", (0.680, 0.320), (0.265, 0.690), (0.150, 0.060))
REC2020 = Space("Rec. 2020", (0.708, 0.292), (0.170, 0.797), (0.131, 0.046))

WORKING = REC2020
"""Primaries of every buffer in the core (ITU-R BT.2020-2), with the encoding of :mod:`retouch.colour.encoding`."""


def white_xyz(xy: tuple[float, float]) -> Floats:
    """XYZ of a chromaticity ``xy``, shape (3,), scaled to Y = 1."""
    x, y = xy
    return np.array([x / y, 1.0, (1 - x - y) / y])


@cache
def to_xyz(space: Space) -> Floats:
    """The 3×3 matrix from linear RGB of ``space`` to XYZ relative to the space's own white (Y of white = 1).

    Source: SMPTE RP 177-1993, section 3.3.
    """
    primaries = np.stack([white_xyz(space.red), white_xyz(space.green), white_xyz(space.blue)], axis=1)
    return primaries * np.linalg.solve(primaries, white_xyz(space.white))


def adaptation(source: Floats, target: Floats) -> Floats:
    """The 3×3 matrix that adapts XYZ under white ``source`` to white ``target`` (both XYZ, shape (3,)).

    Source: linearised Bradford, ICC.1:2022 annex E.
    """
    ratio = (BRADFORD @ target) / (BRADFORD @ source)
    return np.asarray(np.linalg.inv(BRADFORD) @ (ratio[:, None] * BRADFORD))


@cache
def to_pcs(space: Space) -> Floats:
    """The 3×3 matrix from linear RGB of ``space`` to the D50 XYZ of the ICC connection space."""
    return adaptation(white_xyz(space.white), D50_XYZ) @ to_xyz(space)


@cache
def between(source: Space, target: Space) -> Floats:
    """The 3×3 matrix from linear RGB of ``source`` to linear RGB of ``target``; whites map to each other."""
    return np.linalg.inv(to_pcs(target)) @ to_pcs(source)
