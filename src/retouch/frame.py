"""Where one computes: a rectangle of the upright picture at a scale."""

from dataclasses import dataclass, replace
from math import ceil, floor

import numpy as np

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
    def shape(self) -> tuple[int, int]:
        """Rows and columns of an array that fills the rectangle."""
        return self.h, self.w

    def holds(self, other: "Frame") -> bool:
        """Whether ``other`` is a rectangle of the same scale that lies within this one."""
        return (
            (self.width, self.height) == (other.width, other.height)
            and self.x <= other.x
            and self.y <= other.y
            and other.x + other.w <= self.x + self.w
            and other.y + other.h <= self.y + self.h
        )

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
