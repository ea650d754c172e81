"""Colours pushed along a stroke: not dab by dab, but as one displacement, through which the picture goes once."""

from collections.abc import Sequence
from itertools import pairwise
from math import ceil

import cv2
import numpy as np

from retouch.brush.stroke import Stroke
from retouch.types import Floats

CELLS = 12
"""Cells of the displacement across the brush."""
STEP = 0.1
"""Length of a push in brush diameters."""
LARGEST, MOST_STEPS = 1000, 20_000
"""Cells of the displacement on its long side, and pushes of a stroke, at most."""


def displacement(
    strokes: Sequence[Stroke], low: tuple[float, float], high: tuple[float, float]
) -> tuple[Floats, float]:
    """From where colours come between two places, after all strokes: what is added to x and y, and a cell's length.

    All in long sides; the map (h × w × 2) begins at ``low``. Each step of a stroke carries what lies under the tip
    along, the edge less: the new displacement at a place is the push there and what was displaced where it came from.
    """
    cell = max(min(s.size for s in strokes) / CELLS, max(high[0] - low[0], high[1] - low[1]) / LARGEST)
    shape = ceil((high[1] - low[1]) / cell) + 1, ceil((high[0] - low[0]) / cell) + 1
    moved = np.zeros((*shape, 2), np.float32)
    for stroke in strokes:
        way = stroke.way
        steps = min(MOST_STEPS, max(1, ceil(way.length / (STEP * stroke.size))))
        at = np.linspace(0, way.length, steps + 1)
        places = np.stack([np.interp(at, way.along, way.points[:, i]) for i in range(3)], axis=1)
        for before, after in pairwise(places):
            _push(moved, stroke, before, after, low, cell)
    return moved, cell


def _push(moved: Floats, stroke: Stroke, before: Floats, after: Floats, low: tuple[float, float], cell: float) -> None:
    radius = stroke.size / 2 * (max(before[2], 0.02) if stroke.pressure == "size" else 1)
    flow = stroke.flow * (before[2] if stroke.pressure == "flow" else 1) * stroke.ceiling
    x, y = (after[0] - low[0]) / cell, (after[1] - low[1]) / cell
    reach = radius / cell
    left, top = max(0, int(x - reach)), max(0, int(y - reach))
    right, bottom = min(moved.shape[1], int(x + reach) + 2), min(moved.shape[0], int(y + reach) + 2)
    if left >= right or top >= bottom:
        return
    columns, rows = np.meshgrid(np.arange(left, right, dtype=np.float32), np.arange(top, bottom, dtype=np.float32))
    far = np.hypot(columns - x, rows - y) / reach
    edge = np.clip((1 - far) / max(stroke.softness, 1e-3), 0, 1)
    weight = (flow * edge * edge * (3 - 2 * edge)).astype(np.float32)
    dx, dy = weight * np.float32(before[0] - after[0]), weight * np.float32(before[1] - after[1])
    was = cv2.remap(moved, columns + dx / np.float32(cell), rows + dy / np.float32(cell), cv2.INTER_LINEAR,
                    borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
    moved[top:bottom, left:right, 0] = was[..., 0] + dx
    moved[top:bottom, left:right, 1] = was[..., 1] + dy
