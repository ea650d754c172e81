"""A picture in two halves that add up to it: shading (light and colour larger than a size) and texture (the rest)."""

from typing import Literal

import cv2
import numpy as np

from retouch.types import Floats

Smoother = Literal["gaussian", "edges", "median"]
EDGE = 0.06
"""Steps of encoded colour above which the smoother that follows edges keeps them in the shading."""
LONG, SHORT = 12.0, 6.0
"""Standard deviations, in pixels, from which an average is worked out smaller, and what they are then."""
MEDIAN = 5
"""Pixels across of the median, on a map of its own."""


def reach(size: float) -> float:
    """From how far round about the shading at a place comes, in the unit of ``size``."""
    return 2 * size


def shading(values: Floats, size: float, smoother: Smoother) -> Floats:
    """The shading of ``values`` (float32 h × w × 3): what is larger than ``size`` pixels; the texture is the rest.

    *gaussian* is even everywhere, and bleeds at edges. *edges* keeps hard edges whole in the shading (a guided filter
    of each channel by itself, with a steep coefficient; K. He, J. Sun, X. Tang, IEEE TPAMI 35, 2013). *median* leaves
    small things out of the shading, and keeps the corners of large ones less.
    """
    sigma = max(size / 2, 0.3)
    if smoother == "gaussian":
        return _blur(values, sigma)
    if smoother == "edges":
        middle, squares = _blur(values, sigma), _blur(values * values, sigma)
        varies = np.maximum(squares - middle * middle, 0)
        varies *= varies
        a = varies / (varies + np.float32(EDGE**4))
        return _blur(a, sigma) * values + _blur(middle - a * middle, sigma)
    height, width = values.shape[:2]
    share = min(1.0, MEDIAN / (2 * sigma))
    small = cv2.resize(values, (max(1, round(width * share)), max(1, round(height * share))),
                       interpolation=cv2.INTER_AREA)  # fmt: skip
    evened = np.asarray(cv2.medianBlur(small, MEDIAN), np.float32)
    return np.asarray(cv2.resize(evened, (width, height), interpolation=cv2.INTER_CUBIC), np.float32)


def _blur(values: Floats, sigma: float) -> Floats:
    if sigma > LONG:
        # Nothing that fine is left of it: it is worked out smaller.
        height, width = values.shape[:2]
        share = SHORT / sigma
        size = max(1, round(width * share)), max(1, round(height * share))
        small = cv2.resize(values, size, interpolation=cv2.INTER_AREA)
        smooth = cv2.GaussianBlur(small, (0, 0), SHORT, borderType=cv2.BORDER_REFLECT)
        return np.asarray(cv2.resize(smooth, (width, height), interpolation=cv2.INTER_CUBIC), np.float32)
    return np.asarray(cv2.GaussianBlur(values, (0, 0), sigma, borderType=cv2.BORDER_REFLECT), np.float32)
