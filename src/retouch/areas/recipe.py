"""An area: its parts joined in order, then grown, feathered and inverted."""

from collections.abc import Callable, Sequence

import cv2
import numba
import numpy as np

from retouch.areas.base import Look, Part
from retouch.areas.joins import join
from retouch.bands import in_bands
from retouch.frame import Frame
from retouch.types import Floats

BLUR_PIXELS = 4.0
"""Standard deviation of a feather, in pixels of the map it is worked out on, when the frame is finer than that."""
GROW_PIXELS = 12
"""Radius of growing, in pixels of its map, when the frame is finer than that."""

Draw = Callable[[Frame], Floats]


def recipe(parts: Sequence[Part], grow: float, feather: float, invert: bool, frame: Frame, look: Look) -> Floats:
    """Coverage of an area on ``frame``.

    Parameters
    ----------
    parts
        The area's parts; the first part's join meets an empty area, so *take* and *only* leave nothing.
    grow
        Length in long sides by which the area is widened (negative: narrowed).
    feather
        Length in long sides over which a straight edge rises from 16 % to 84 %.
    invert
        1 − coverage at the end.

    Returns
    -------
    Floats
        float32 of ``frame.shape``, 0…1.
    """

    def joined(at: Frame) -> Floats:
        out = np.zeros(at.shape, np.float32)
        for part in parts:
            if part.on:
                out = join(out, part.coverage(at, look), part.join)
        return out

    draw: Draw = joined
    if grow:
        draw = _grown(draw, grow)
    if feather:
        draw = _feathered(draw, feather)
    out = draw(frame)
    return 1 - out if invert else out


def _feathered(draw: Draw, feather: float) -> Draw:
    sigma = feather / 2

    def blurred(frame: Frame) -> Floats:
        unit = min(float(frame.unit), BLUR_PIXELS / sigma)
        deviation = sigma * unit
        if deviation < 0.05:
            return draw(frame)
        halo = int(np.ceil(3 * deviation)) + 1
        around = frame.grown(halo) if unit == frame.unit else frame.at_unit(unit, halo + 1)
        size = 2 * halo - 1
        # Replicated edges: an area that reaches the picture's border stays whole there.
        soft = cv2.GaussianBlur(draw(around), (size, size), deviation, borderType=cv2.BORDER_REPLICATE)
        return resample(np.asarray(soft, np.float32), around, frame)

    return blurred


def _grown(draw: Draw, grow: float) -> Draw:
    def grown(frame: Frame) -> Floats:
        unit = min(float(frame.unit), GROW_PIXELS / abs(grow))
        radius = abs(grow) * unit
        halo = int(np.ceil(radius)) + 1
        around = frame.grown(halo) if unit == frame.unit else frame.at_unit(unit, halo + 1)
        below = draw(around)
        change = cv2.dilate if grow > 0 else cv2.erode
        # A radius between two whole pixels lies between their two results.
        low = int(np.floor(radius))
        out = change(below, _disc(low), borderType=cv2.BORDER_REPLICATE) if low else below
        share = np.float32(radius - low)
        if share > 1e-3:
            out = out + share * (change(below, _disc(low + 1), borderType=cv2.BORDER_REPLICATE) - out)
        return resample(np.asarray(out, np.float32), around, frame)

    return grown


def _disc(radius: int) -> np.ndarray:
    y, x = np.mgrid[-radius : radius + 1, -radius : radius + 1]
    return (x * x + y * y <= (radius + 0.5) ** 2).astype(np.uint8)


def resample(values: Floats, source: Frame, target: Frame) -> Floats:
    """Bring a map (h × w, or h × w × k) that fills ``source`` to ``target``, bilinearly on the picture's own grid.

    A rectangle of ``target`` gets the same values whether it is asked for alone or as part of the whole.
    """
    if (source.width, source.height) == (target.width, target.height):
        return values[target.slices_in(source)]
    layers = values.reshape(*values.shape[:2], -1)
    out = np.empty((*target.shape, layers.shape[2]), np.float32)
    rows, down = _between(target.y, target.h, source.height / target.height, source.y, layers.shape[0])
    columns, right = _between(target.x, target.w, source.width / target.width, source.x, layers.shape[1])

    def work(band: slice) -> None:
        _bilinear(layers, out[band], rows[band], down[band], columns, right)

    in_bands(work, target.h)
    return out.reshape(*target.shape, *values.shape[2:])


def _between(start: int, count: int, scale: float, source_start: int, size: int) -> tuple[np.ndarray, Floats]:
    """For ``count`` pixels from ``start``: the stored pixel before each, and how far towards the next it lies."""
    at = np.clip((np.arange(count) + start + 0.5) * scale - 0.5 - source_start, 0, size - 1)
    first = np.minimum(at.astype(np.int64), max(size - 2, 0))
    return first, (at - first).astype(np.float32)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _bilinear(values, out, rows, down, columns, right):  # type: ignore[no-untyped-def]
    height, width, count = values.shape
    below, beside = min(1, height - 1), min(1, width - 1)
    first, last = columns[0] * count, (columns[-1] + beside + 1) * count
    line = np.empty(width * count, np.float32)
    known, lean = -1, np.float32(-1)
    for y in range(out.shape[0]):
        y0, wy = rows[y], down[y]
        if y0 != known or wy != lean:
            known, lean = y0, wy
            upper, lower = values[y0].ravel(), values[y0 + below].ravel()
            for i in range(first, last):
                line[i] = upper[i] + (lower[i] - upper[i]) * wy
        row, step = out[y], beside * count
        for x in range(out.shape[1]):
            at, wx = np.uint64(columns[x] * count), right[x]
            for c in range(count):
                k = at + np.uint64(c)
                row[x, c] = line[k] + (line[k + np.uint64(step)] - line[k]) * wx
