"""Where a coverage lies."""

import numpy as np

from retouch.types import Floats

SEEN = 0.1
"""Coverage from which a place counts."""


def box_of(coverage: Floats, unit: float) -> tuple[float, float, float, float] | None:
    """The box (x, y, width, height in long sides) round what a map (h × w, ``unit`` pixels a long side) covers.

    None if it covers nothing.
    """
    rows, columns = (np.flatnonzero((coverage > SEEN).any(axis)) for axis in (1, 0))
    if not len(rows):
        return None
    x, y, right, bottom = columns[0], rows[0], columns[-1] + 1, rows[-1] + 1
    return float(x / unit), float(y / unit), float((right - x) / unit), float((bottom - y) / unit)
