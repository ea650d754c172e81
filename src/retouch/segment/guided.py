"""A small coverage as a local line of the picture's colours, which follows its edges at any scale."""

from collections.abc import Callable
from typing import Any

import cv2
import numba
import numpy as np

from retouch.frame import Frame, resample
from retouch.kernels import kernel
from retouch.types import Coverage, Encoded, Floats

Read = Callable[[Frame], Encoded]
"""Gives the original's encoded working colours on a frame."""
EDGE = 1e-4
"""Variance of encoded colour below which the picture has no edge that a coverage could follow."""


def follow(line: Floats, at: Frame, frame: Frame, read: Read) -> Coverage:
    """A map that lies on ``at``, drawn on ``frame``, 0…1.

    ``line`` is a coverage (h × w × 1), or a local line of colour (h × w × 4) as :func:`guided` gives it.
    """
    out = np.zeros(frame.shape, np.float32)
    around, part = _overlap(at, frame)
    if around is None:
        return Coverage(out)
    drawn = resample(line, at, around)
    if line.shape[2] == 1:
        out[part] = drawn[..., 0]
    else:
        out[part] = followed(drawn, read(around))
    return Coverage(out)


def followed(line: Floats, colours: Encoded) -> Floats:
    """A line of colour (h × w × 4; see :func:`guided`) at the colours of its own frame: what follows them, 0…1."""
    out = np.empty(line.shape[:2], np.float32)
    _follow(line, colours, out)
    return out


@kernel(fastmath=True)
def _follow(line: Any, colours: Any, out: Any) -> None:
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            v = line[y, x, 3]
            for c in range(3):
                v += line[y, x, c] * min(max(colours[y, x, c], np.float32(0)), np.float32(1))
            out[y, x] = min(max(v, np.float32(0)), np.float32(1))


def guided(colours: Encoded, coverage: Floats, window: int, edge: float = EDGE) -> Floats:
    """A coverage as a local line of colour (h × w × 4): coverage ≈ line[..., :3] · colour + line[..., 3].

    Used at any scale, it follows the edges that the picture has there. Source: K. He, J. Sun, X. Tang, "Guided image
    filtering", IEEE TPAMI 35 (2013), section 3.5; K. He, J. Sun, "Fast guided filter" (2015).
    """
    size = (2 * window + 1, 2 * window + 1)

    def mean(values: Floats) -> Floats:
        return np.asarray(cv2.blur(values, size, borderType=cv2.BORDER_REFLECT), np.float32)

    guide = np.clip(colours, 0, 1).astype(np.float32)
    middle, level = mean(guide), mean(coverage.astype(np.float32))
    covariance = mean(guide * coverage[..., None]) - middle * level[..., None]
    spread = np.empty((*coverage.shape, 6), np.float32)
    for k, (i, j) in enumerate(((0, 0), (1, 1), (2, 2), (0, 1), (0, 2), (1, 2))):
        spread[..., k] = mean(guide[..., i] * guide[..., j]) - middle[..., i] * middle[..., j]
    slope = np.empty_like(covariance)
    _solved(spread, covariance, edge, slope)
    shift = level - np.einsum("ijk,ijk->ij", slope, middle)
    return np.concatenate([mean(slope), mean(shift)[..., None]], axis=-1)


@numba.njit(nogil=True, cache=True)
def _solved(spread: Any, aside: Any, edge: float, out: Any) -> None:
    """The solution of a symmetric system of three at every pixel, by cofactors; ``edge`` is added to its diagonal."""
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            s, d = spread[y, x].astype(np.float64), aside[y, x].astype(np.float64)
            rr, gg, bb, rg, rb, gb = s[0] + edge, s[1] + edge, s[2] + edge, s[3], s[4], s[5]
            a, b, c = gg * bb - gb * gb, rb * gb - rg * bb, rg * gb - rb * gg
            e, f, g = rr * bb - rb * rb, rg * rb - rr * gb, rr * gg - rg * rg
            whole = rr * a + rg * b + rb * c
            out[y, x, 0] = (a * d[0] + b * d[1] + c * d[2]) / whole
            out[y, x, 1] = (b * d[0] + e * d[1] + f * d[2]) / whole
            out[y, x, 2] = (c * d[0] + f * d[1] + g * d[2]) / whole


def _overlap(small: Frame, frame: Frame) -> tuple[Frame | None, tuple[slice, slice]]:
    """The part of ``frame`` on which a map of ``small`` lies, and where it stands in an array of ``frame``."""
    held = small.at_unit(frame.unit, 0)
    # Rounding may differ by a pixel: the frame's own size counts.
    x0, y0 = max(frame.x, held.x), max(frame.y, held.y)
    x1, y1 = min(frame.x + frame.w, held.x + held.w), min(frame.y + frame.h, held.y + held.h)
    if x1 <= x0 or y1 <= y0:
        return None, (slice(0), slice(0))
    part = Frame(frame.width, frame.height, x0, y0, x1 - x0, y1 - y0)
    return part, part.slices_in(frame)
