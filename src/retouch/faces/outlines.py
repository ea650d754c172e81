"""Outlines through landmarks, drawn and grown, and what the parts of a face have in common.

Pictures are OKLab (h × w × 3, float32), landmarks pixels of that picture (478, 2), coverages 0…1 (h × w, float32).
"""

from collections.abc import Sequence

import cv2
import numpy as np
from scipy.interpolate import CubicSpline

from retouch.types import Floats

LEVEL = 0.1
"""Added to lightness where chroma is divided by it: what is shaded keeps its hue and its a / L, b / L."""


def loop(points: Floats, numbers: Sequence[int], shape: tuple[int, int]) -> Floats:
    """The inside of a closed smooth curve through some landmarks."""
    return filled(smooth(points[list(numbers)]), shape)


def smooth(points: Floats) -> Floats:
    t = np.arange(len(points) + 1)
    spline = CubicSpline(t, np.vstack([points, points[:1]]), bc_type="periodic")
    return np.asarray(spline(np.linspace(0, len(points), 8 * len(points) + 1)))


def filled(line: Floats, shape: tuple[int, int]) -> Floats:
    """The inside of a closed line (n, 2), with a soft pixel at its edge."""
    out = np.zeros(shape, np.uint8)
    # The middle of the first pixel is at 0.5 in pixels of the picture, and at 0 for the drawing.
    cv2.fillPoly(out, [np.round((line - 0.5) * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    return out.astype(np.float32) / 255


def disc(middle: Floats, radius: float, shape: tuple[int, int]) -> Floats:
    y, x = np.mgrid[: shape[0], : shape[1]] + 0.5
    return np.asarray(np.clip(radius + 0.5 - np.hypot(x - middle[0], y - middle[1]), 0, 1).astype(np.float32))


def grown(mask: np.ndarray, by: float) -> np.ndarray:
    """A boolean map grown (negative: shrunk) by some pixels."""
    size = 2 * max(1, round(abs(by))) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))
    change = cv2.dilate if by > 0 else cv2.erode
    return np.asarray(change(mask.astype(np.uint8), disc)) > 0


def distance(inside: np.ndarray) -> Floats:
    """Signed distance to an outline, positive inside, in pixels."""
    inner = cv2.distanceTransform(inside.astype(np.uint8), cv2.DIST_L2, 5)
    outer = cv2.distanceTransform((~inside).astype(np.uint8), cv2.DIST_L2, 5)
    return np.asarray(inner - outer)
