"""Where one computes: a rectangle of the upright picture at a scale, and how a map comes from one to another."""

from dataclasses import dataclass, replace
from itertools import pairwise
from math import ceil, floor

import numba
import numpy as np

from retouch.bands import in_bands
from retouch.types import Floats


@dataclass(frozen=True)
class Frame:
    """A rectangle of pixels out of the whole picture drawn at some scale.

    ``width`` and ``height`` are the whole picture's size in pixels at this scale; ``x``, ``y``, ``w``, ``h`` the
    rectangle in those pixels. Lengths in a sheet are in units of the long side: multiply by :attr:`unit`.
    """

    width: int
    height: int
    x: int
    y: int
    w: int
    h: int

    @staticmethod
    def whole(width: int, height: int) -> "Frame":
        """The whole picture at ``width`` × ``height`` pixels."""
        return Frame(width, height, 0, 0, width, height)

    @property
    def unit(self) -> int:
        """Pixels to one unit of the sheet (the long side)."""
        return max(self.width, self.height)

    @property
    def scale(self) -> tuple[int, int]:
        """What frames of one scale share: the whole picture's size in pixels."""
        return self.width, self.height

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns of an array that fills the rectangle."""
        return self.h, self.w

    def holds(self, other: "Frame") -> bool:
        """Whether ``other`` is a rectangle of the same scale that lies within this one."""
        return (
            self.scale == other.scale
            and self.x <= other.x
            and self.y <= other.y
            and other.x + other.w <= self.x + self.w
            and other.y + other.h <= self.y + self.h
        )

    def joined(self, other: "Frame") -> "Frame":
        """The smallest rectangle that holds this one and ``other``, of the same scale."""
        x, y = min(self.x, other.x), min(self.y, other.y)
        right, bottom = max(self.x + self.w, other.x + other.w), max(self.y + self.h, other.y + other.h)
        return replace(self, x=x, y=y, w=right - x, h=bottom - y)

    def met(self, other: "Frame") -> "Frame | None":
        """The rectangle that this one and ``other``, of the same scale, have in common; None if there is none."""
        x, y = max(self.x, other.x), max(self.y, other.y)
        right, bottom = min(self.x + self.w, other.x + other.w), min(self.y + self.h, other.y + other.h)
        return None if right <= x or bottom <= y else replace(self, x=x, y=y, w=right - x, h=bottom - y)

    def within(self, left: float, top: float, right: float, bottom: float) -> "Frame | None":
        """The part of this rectangle between two places (long sides), rounded outwards; None if there is none."""
        x0, y0 = max(self.x, floor(left * self.unit)), max(self.y, floor(top * self.unit))
        x1 = min(self.x + self.w, ceil(right * self.unit))
        y1 = min(self.y + self.h, ceil(bottom * self.unit))
        return None if x1 <= x0 or y1 <= y0 else replace(self, x=x0, y=y0, w=x1 - x0, h=y1 - y0)

    def tiles(self, most: int) -> list["Frame"]:
        """The rectangle in nearly square pieces of about ``most`` pixels at most, row by row."""
        down, across = (max(1, ceil(side / most**0.5)) for side in (self.h, self.w))
        ys, xs = ([round(side * i / n) for i in range(n + 1)] for side, n in ((self.h, down), (self.w, across)))
        return [
            replace(self, x=self.x + left, y=self.y + top, w=right - left, h=bottom - top)
            for top, bottom in pairwise(ys)
            for left, right in pairwise(xs)
        ]

    def rows(self, start: int, stop: int) -> "Frame":
        """The part of the rectangle between two of its own rows."""
        return replace(self, y=self.y + start, h=stop - start)

    def places(self) -> tuple[Floats, Floats]:
        """Where the pixels' middles lie, in long sides from the top left: x (w,) and y (h,)."""
        long_side = max(self.width, self.height)
        return (np.arange(self.w) + self.x + 0.5) / long_side, (np.arange(self.h) + self.y + 0.5) / long_side

    def at_unit(self, unit: float, halo: int) -> "Frame":
        """The frame at another scale that covers this one with ``halo`` pixels round it, cut at the picture's edge.

        Its pixels lie on one grid for the whole picture, so that a rectangle and its neighbours agree.
        """
        width = max(1, round(self.width * unit / self.unit))
        height = max(1, round(self.height * unit / self.unit))
        sx, sy = width / self.width, height / self.height
        x0 = max(0, floor(self.x * sx) - halo)
        y0 = max(0, floor(self.y * sy) - halo)
        x1 = min(width, ceil((self.x + self.w) * sx) + halo)
        y1 = min(height, ceil((self.y + self.h) * sy) + halo)
        return Frame(width, height, x0, y0, max(1, x1 - x0), max(1, y1 - y0))

    def grown(self, halo: int) -> "Frame":
        """This rectangle with ``halo`` more pixels on every side, cut at the picture's edge."""
        x0, y0 = max(0, self.x - halo), max(0, self.y - halo)
        x1, y1 = min(self.width, self.x + self.w + halo), min(self.height, self.y + self.h + halo)
        return replace(self, x=x0, y=y0, w=x1 - x0, h=y1 - y0)

    def slices_in(self, outer: "Frame") -> tuple[slice, slice]:
        """Row and column slices that cut this rectangle out of an array that fills ``outer``."""
        top, left = self.y - outer.y, self.x - outer.x
        return slice(top, top + self.h), slice(left, left + self.w)


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
