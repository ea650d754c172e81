"""Averages that see only some pixels: what lies beside an area never bleeds into it."""

from collections.abc import Callable

import cv2
import numpy as np

from retouch.bands import at_once
from retouch.types import Coverage, Floats

FEW = 1e-4
"""Weight about a pixel below which nothing is known there."""
COARSE = 4.0
"""Standard deviation, in pixels, that a blur is given at most: a wider one works on fewer pixels."""


def blurred(values: Floats, sigma: float) -> Floats:
    """A Gaussian of ``sigma`` pixels over ``values`` (float32, h × w or h × w × k), mirrored at the border.

    A wide one is worked out on fewer pixels: each of these is an average over itself, whose variance is taken off.
    """
    if sigma <= 2 * COARSE:
        return np.asarray(cv2.GaussianBlur(values, (0, 0), max(sigma, 1e-3), borderType=cv2.BORDER_REFLECT), np.float32)
    step = int(sigma / COARSE)
    height, width = values.shape[:2]
    small = cv2.resize(values, (max(1, width // step), max(1, height // step)), interpolation=cv2.INTER_AREA)
    # Averaging over the step and going back up linearly are two more spreads, of step² / 12 and step² / 6.
    left = np.sqrt(max(sigma**2 - step**2 / 4, 1.0)) / step
    small = cv2.GaussianBlur(small, (0, 0), left, borderType=cv2.BORDER_REFLECT)
    return np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)


def averager(weight: Coverage, sigma: float) -> Callable[[Floats], Floats]:
    """The weighted average about each pixel, as a function of values (h × w or h × w × k); 0 where no weight is near.

    Normalised convolution. Source: H. Knutsson, C.-F. Westin, "Normalized and differential convolution", CVPR 1993.
    """
    if weight.min() == 1:
        return lambda values: blurred(values, sigma)
    near = blurred(np.asarray(weight, np.float32), sigma)
    share = np.where(near > FEW, 1 / np.maximum(near, FEW), 0).astype(np.float32)

    def average(values: Floats) -> Floats:
        if values.ndim == 3:
            return blurred(values * weight[..., None], sigma) * share[..., None]
        return blurred(values * weight, sigma) * share

    return average


def low_pass(values: Floats, weight: Coverage, sigma: float) -> Floats:
    """What is larger than about 10 σ, of second order: 1 − (1 − G)², G the weighted average of ``sigma`` pixels.

    Of values h × w × k; as in :func:`blurred`, a wide one is worked out on fewer pixels.
    """
    height, width = values.shape[:2]
    step = int(sigma / COARSE) if sigma > 2 * COARSE else 1
    if step > 1:
        size = max(1, width // step), max(1, height // step)
        there = np.asarray(cv2.resize(weight, size, interpolation=cv2.INTER_AREA), np.float32)
        weighted = values if weight.min() == 1 else values * weight[..., None]
        values = cv2.resize(weighted, size, interpolation=cv2.INTER_AREA) / np.maximum(there, FEW)[..., None]
        weight, sigma = Coverage(there), sigma / step
    average = averager(weight, sigma)
    once = average(values)
    once += average(values - once)
    return once if step == 1 else np.asarray(cv2.resize(once, (width, height)), np.float32)


def eroded(weight: Coverage) -> Coverage:
    """A weight less its rim of one pixel: of pixels that only lie partly within nothing is taken."""
    return Coverage(np.asarray(cv2.erode(weight, np.ones((3, 3), np.uint8), borderType=cv2.BORDER_REPLICATE)))


def box_of(weight: Coverage, around: int) -> tuple[slice, slice]:
    """Rows and columns that hold all weight and ``around`` more pixels; of no weight a single pixel."""
    rows, columns = np.flatnonzero(weight.any(1)), np.flatnonzero(weight.any(0))
    if not len(rows):
        return slice(0, 1), slice(0, 1)
    return (
        slice(max(0, rows[0] - around), rows[-1] + 1 + around),
        slice(max(0, columns[0] - around), columns[-1] + 1 + around),
    )


def guided(guide: Floats, values: Floats, reach: int, edge: float) -> Floats:
    """``values`` (h × w) smoothed over windows of ``reach`` pixels to every side, along the edges of ``guide`` (h × w).

    ``edge``: variance of the guide that counts as one. Source: K. He, J. Sun, X. Tang, "Guided image filtering", IEEE
    TPAMI 35 (2013).
    """
    window = (2 * max(1, reach) + 1,) * 2

    def mean(of: Floats) -> Floats:
        return np.asarray(cv2.blur(of, window, borderType=cv2.BORDER_REFLECT))

    g, v = guide.astype(np.float32), values.astype(np.float32)
    middle, level, product, square = at_once(lambda: mean(g), lambda: mean(v), lambda: mean(g * v), lambda: mean(g * g))
    product -= middle * level
    square -= middle * middle
    square += np.float32(edge)
    product /= square
    slope, rest = at_once(lambda: mean(product), lambda: mean(level - product * middle))
    slope *= g
    slope += rest
    return slope
