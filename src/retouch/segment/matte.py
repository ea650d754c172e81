"""A matte: how much of each pixel at a soft edge is the thing's, for hair and fur."""

from functools import partial

import cv2
import numpy as np

from retouch.types import Coverage, Encoded, Floats

HAIR_BAND = 0.016
"""Half the width of the band in which a matte is worked out, of the long side."""
SHIFTS = [1e-3, 1e-2, 0.1, 1.0, 100.0]
"""Added to the diagonal until the preconditioner exists; smaller ones often fail on dark pictures."""


def matte(colours: Encoded, coverage: Floats, band: float) -> Coverage:
    """Coverage h × w with its edge worked out anew within a band.

    Closed-form matting: A. Levin, D. Lischinski, Y. Weiss, "A closed-form solution to natural image matting", IEEE
    TPAMI 30 (2008), as pymatting solves it.

    Parameters
    ----------
    colours
        Encoded colours, h × w × 3; light is clipped to 0…1.
    coverage
        What is roughly covered, 0…1; beyond the band round its edge it is believed.
    band
        Half the band's width in pixels.
    """
    # It brings kernels of its own that are compiled when they are first called.
    from pymatting import estimate_alpha_cf, ichol

    size = 2 * max(1, round(band)) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))
    surely = cv2.erode((coverage > 0.5).astype(np.uint8), disc, borderType=cv2.BORDER_REPLICATE) > 0
    never = cv2.dilate((coverage > 0.5).astype(np.uint8), disc, borderType=cv2.BORDER_REPLICATE) == 0
    if not surely.any() or not never.any():
        return Coverage(coverage.astype(np.float32))
    rows, columns = (np.flatnonzero((~(surely | never)).any(axis)) for axis in (1, 0))
    # One pixel of what is sure stays round the band.
    box = (slice(max(0, rows[0] - 2), rows[-1] + 3), slice(max(0, columns[0] - 2), columns[-1] + 3))
    known = np.where(surely, 1.0, np.where(never, 0.0, 0.5))
    out = surely.astype(np.float32)
    out[box] = estimate_alpha_cf(
        np.clip(colours[box], 0, 1).astype(np.float64), known[box], preconditioner=partial(ichol, shifts=SHIFTS)
    )
    return Coverage(np.clip(out, 0, 1))
