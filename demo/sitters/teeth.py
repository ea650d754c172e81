"""Teeth: a row of them on the mesh's plain arch, each with its own width, rounded towards its neighbours."""

import numpy as np

from demo.sitters.cast import Colour
from demo.sitters.solid import Values

WIDTHS = (0.086, 0.066, 0.076, 0.072, 0.070, 0.10, 0.10)
"""From the middle to the side, in decimetres: incisors, canine, premolars, molars."""
LOWER = 0.68
"""The lower front teeth are narrower."""


def row(rest: Values, colour: Colour, upper: bool) -> tuple[Values, Values]:
    """How far each vertex of an arch (n × 3, at rest) stands out, in decimetres, and its linear sRGB albedo (n × 3)."""
    along = _along(rest)
    scale = np.array([1.0 if upper or i > 2 else LOWER for i in range(len(WIDTHS))])
    ends = np.concatenate([[0.0], np.cumsum(np.array(WIDTHS) * scale)])
    number = np.clip(np.searchsorted(ends, np.abs(along)) - 1, 0, len(WIDTHS) - 1)
    middle, half = (ends[number] + ends[number + 1]) / 2, (ends[number + 1] - ends[number]) / 2
    across = np.clip((np.abs(along) - middle) / half, -1, 1)
    low, high = rest[:, 1].min(), rest[:, 1].max()
    tip = np.clip((rest[:, 1] - low) / (high - low), 0, 1)
    tip = 1 - tip if upper else tip
    # Teeth meet closely at the gum's side and stand apart by a little at their tips.
    gap = np.exp(-(((1 - np.abs(across)) * half / (0.004 + 0.004 * tip)) ** 2))
    rounded = -0.010 * np.abs(across) ** 3
    # No two teeth have the same colour; the canines are the yellowest, a tip lets light through.
    own = 1 + 0.04 * np.sin(5.1 * number + 2.3 * np.sign(along))
    yellow = 0.10 * (number == 2) + 0.16 * np.clip(0.55 - tip, 0, 1)
    tint = np.array(colour) * own[:, None] * (1 - yellow[:, None] * [0.25, 0.6, 1.0])
    tint *= 1 - 0.22 * np.clip(tip - 0.85, 0, 1)[:, None] / 0.15 * [1.0, 0.8, 0.5]
    return rounded - 0.006 * gap, tint * (1 - 0.72 * gap[:, None] * [0.8, 1.0, 1.0])


def _along(rest: Values) -> Values:
    """The way of each vertex along the arch from its middle, in decimetres, the sitter's left being positive."""
    x, z = rest[:, 0], rest[:, 2]
    angle = np.arctan2(x, z - z.min() + 0.05)
    turns = np.linspace(angle.min(), angle.max(), 80)
    # The front of the arch is its outer rim: the farthest vertex in each direction.
    radius = np.hypot(x, z - z.min() + 0.05)
    slots = np.clip(np.digitize(angle, turns) - 1, 0, len(turns) - 1)
    outer = np.zeros(len(turns))
    np.maximum.at(outer, slots, radius)
    there = outer > 0
    outer = np.interp(turns, turns[there], outer[there])
    px, pz = outer * np.sin(turns), outer * np.cos(turns)
    way = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(px), np.diff(pz)))])
    return np.interp(angle, turns, way) - np.interp(0.0, turns, way)
