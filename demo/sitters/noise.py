"""Value noise in space, so that what it drives sticks to the skin at any size."""

import numpy as np
from numpy.typing import NDArray


def noise(points: NDArray[np.float64], frequency: float, seed: int, octaves: int = 4) -> NDArray[np.float64]:
    """Fractal value noise, about −1…1, at ``points`` (n × 3); ``frequency`` in cells to a decimetre.

    Source: the lattice noise of K. Perlin, "An image synthesizer", SIGGRAPH 1985, with hashed values.
    """
    total, weight = np.zeros(len(points)), 0.0
    for octave in range(octaves):
        place = points * frequency * 2**octave
        cell = np.floor(place).astype(np.int64)
        t = place - cell
        t = t * t * (3 - 2 * t)
        for corner in np.ndindex(2, 2, 2):
            share = np.prod(np.where(np.array(corner), t, 1 - t), axis=1)
            total += 0.5**octave * share * _hashed(cell + np.array(corner), seed + 97 * octave)
        weight += 0.5**octave
    return total / weight


def cells(points: NDArray[np.float64], frequency: float, seed: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """For each of ``points`` (n × 3): how far the nearest of scattered spots is, in cells, and that spot's own 0…1.

    Source: S. Worley, "A cellular texture basis function", SIGGRAPH 1996.
    """
    place = points * frequency
    home = np.floor(place).astype(np.int64)
    nearest, own = np.full(len(points), np.inf), np.zeros(len(points))
    for step in np.ndindex(3, 3, 3):
        cell = home + np.array(step) - 1
        spot = cell + 0.5 + 0.45 * np.stack([_hashed(cell, seed + n) for n in range(3)], axis=1)
        away = ((place - spot) ** 2).sum(1)
        closer = away < nearest
        nearest[closer] = away[closer]
        own[closer] = 0.5 + 0.5 * _hashed(cell, seed + 3)[closer]
    return np.sqrt(nearest), own


def _hashed(cell: NDArray[np.int64], seed: int) -> NDArray[np.float64]:
    """A value in −1…1 for every lattice cell (n × 3)."""
    mixed = (cell @ np.array([374761393, 668265263, 2147483647]) + seed * 1274126177) & 0xFFFFFFFF
    mixed = ((mixed ^ (mixed >> 13)) * 1274126177) & 0xFFFFFFFF
    return ((mixed ^ (mixed >> 16)) & 0xFFFFFFFF) / 0x7FFFFFFF - 1
