"""How the finished picture is cut out of the upright original: turned by quarters, straightened, cropped.

Geometry comes last, and nothing that a sheet holds moves with it: areas, strokes and patches stay in the original's
coordinates. The finished picture is a rectangle laid on the original, as large there as it is, at the same scale.
"""

from dataclasses import dataclass, replace
from functools import cached_property
from math import ceil, cos, floor, radians, sin
from typing import Annotated, Any

import numpy as np
from pydantic import Field

from retouch.frame import Frame
from retouch.types import Floats, Record

MOST_STRAIGHTENED = 15.0
SMALLEST_CROP = 0.02
"""Sides of the smallest piece that is cut out, in long sides."""
Centre = Annotated[float, Field(ge=0, le=1)]
Side = Annotated[float, Field(ge=SMALLEST_CROP, le=1.5)]


class Crop(Record):
    """A piece of the picture: its middle on the upright original, width and height as it is seen, in long sides."""

    centre: tuple[Centre, Centre]
    size: tuple[Side, Side]


class Geometry(Record):
    """Quarter turns to the right, degrees to the right by which it is straightened, and what is cut out.

    Without a crop the finished picture is the largest of the turned picture's own proportions that has no empty corner.
    """

    turns: int = Field(0, ge=0, le=3, description="quarters of a turn to the right")
    straighten: float = Field(
        0.0, ge=-MOST_STRAIGHTENED, le=MOST_STRAIGHTENED, description="degrees to the right, after the quarters"
    )
    crop: Crop | None = None

    @property
    def neutral(self) -> bool:
        """The finished picture is the whole original, upright."""
        return not self.turns and not self.straighten and self.crop is None

    def turned(self, by: int) -> "Geometry":
        """Turned by so many quarters more to the right: what was cut out stays what is seen."""
        crop = self.crop
        if crop is not None and by % 2:
            crop = Crop(centre=crop.centre, size=(crop.size[1], crop.size[0]))
        return Geometry(turns=(self.turns + by) % 4, straighten=self.straighten, crop=crop)


@dataclass(frozen=True)
class Placing:
    """A geometry on a picture of ``width`` × ``height`` pixels: where finished pixels lie on the original."""

    geometry: Geometry
    width: int
    height: int

    @property
    def _unit(self) -> int:
        return max(self.width, self.height)

    @property
    def exact(self) -> bool:
        """Whether finished pixels are the original's, only turned and cut: nothing is resampled."""
        return not self.geometry.straighten

    @cached_property
    def turned(self) -> tuple[float, float]:
        """Width and height of the picture after its quarter turns, in long sides."""
        width, height = self.width / self._unit, self.height / self._unit
        return (height, width) if self.geometry.turns % 2 else (width, height)

    @cached_property
    def largest(self) -> tuple[float, float]:
        """Width and height of the largest piece of the turned picture's proportions without an empty corner."""
        (a, b), angle = self.turned, radians(abs(self.geometry.straighten))
        share = min(a / (a * cos(angle) + b * sin(angle)), b / (a * sin(angle) + b * cos(angle)))
        return share * a, share * b

    @cached_property
    def box(self) -> tuple[float, float, float, float]:
        """Middle on the original, width and height as it is seen, in long sides: a crop is narrowed until it fits."""
        middle = self.width / self._unit / 2, self.height / self._unit / 2
        crop = self.geometry.crop
        if crop is None:
            return (*middle, *self.largest)
        x, y = min(crop.centre[0], 2 * middle[0]), min(crop.centre[1], 2 * middle[1])
        share = 1.0
        for sign in (1, -1):
            # How far a corner and its neighbour reach along the original's axes.
            across, down = self._back(crop.size[0] / 2, sign * crop.size[1] / 2)
            for reach, at, end in ((abs(across), x, 2 * middle[0]), (abs(down), y, 2 * middle[1])):
                share = min(share, min(at, end - at) / max(reach, 1e-9))
        return x, y, max(share, 0) * crop.size[0], max(share, 0) * crop.size[1]

    @cached_property
    def size(self) -> tuple[int, int]:
        """Pixels of the finished picture at full size."""
        if self.geometry.neutral:
            return self.width, self.height
        return max(1, round(self.box[2] * self._unit)), max(1, round(self.box[3] * self._unit))

    def whole(self, side: float) -> Frame:
        """The whole finished picture with at most ``side`` pixels on its long side."""
        width, height = self.size
        share = min(1.0, side / max(width, height))
        return Frame.whole(max(1, round(width * share)), max(1, round(height * share)))

    def _turn(self) -> tuple[float, float]:
        angle = radians(90 * self.geometry.turns + self.geometry.straighten)
        return cos(angle), sin(angle)

    def _back(self, x: Any, y: Any) -> tuple[Any, Any]:
        """A way on the finished picture as a way on the original."""
        c, s = self._turn()
        return c * x + s * y, c * y - s * x

    def _scale(self, frame: Frame) -> tuple[int, int]:
        """The original's size in pixels at a finished frame's scale."""
        if self._full:
            return (frame.height, frame.width) if self.geometry.turns % 2 else frame.scale
        share = frame.unit / max(self.size)
        return max(1, round(self.width * share)), max(1, round(self.height * share))

    @property
    def _full(self) -> bool:
        return self.exact and self.geometry.crop is None

    def _corner(self, frame: Frame) -> tuple[int, int, Frame]:
        """Left and top of the finished picture on the turned one, in pixels, and the whole original at that scale."""
        width, height = self._scale(frame)
        # A pixel that was lost to rounding comes back.
        wide, high = (height, width) if self.geometry.turns % 2 else (width, height)
        wide, high = max(wide, frame.width), max(high, frame.height)
        width, height = (high, wide) if self.geometry.turns % 2 else (wide, high)
        unit, (x, y, w, h) = max(width, height), self.box
        across, down = x * unit - width / 2, y * unit - height / 2
        c, s = self._turn()
        left = round(c * across - s * down + wide / 2 - w * unit / 2)
        top = round(s * across + c * down + high / 2 - h * unit / 2)
        left, top = min(max(0, left), wide - frame.width), min(max(0, top), high - frame.height)
        return left, top, Frame.whole(width, height)

    def upright(self, frame: Frame) -> Frame:
        """The rectangle of the upright original on which a finished ``frame`` rests, at the same scale.

        Of a straightened picture it is what its corners reach and what resampling reads beside it.
        """
        if self.geometry.neutral:
            return frame
        if not self.exact:
            return self._reached(frame)
        left, top, whole = self._corner(frame)
        x, y, w, h = frame.x + left, frame.y + top, frame.w, frame.h
        match self.geometry.turns:
            case 1:
                return replace(whole, x=y, y=whole.height - x - w, w=h, h=w)
            case 2:
                return replace(whole, x=whole.width - x - w, y=whole.height - y - h, w=w, h=h)
            case 3:
                return replace(whole, x=whole.width - y - h, y=x, w=h, h=w)
        return replace(whole, x=x, y=y, w=w, h=h)

    def _reached(self, frame: Frame) -> Frame:
        whole = Frame.whole(*self._scale(frame))
        corners = [(a, b) for a in (frame.x, frame.x + frame.w) for b in (frame.y, frame.y + frame.h)]
        xs, ys = zip(*(self._place(*corner, frame, whole.unit) for corner in corners), strict=True)
        x0, y0 = max(0, floor(min(xs) * whole.unit) - 3), max(0, floor(min(ys) * whole.unit) - 3)
        x1, y1 = min(whole.width, ceil(max(xs) * whole.unit) + 3), min(whole.height, ceil(max(ys) * whole.unit) + 3)
        x0, y0 = min(x0, whole.width - 1), min(y0, whole.height - 1)
        return replace(whole, x=x0, y=y0, w=max(1, x1 - x0), h=max(1, y1 - y0))

    def _place(self, x: Any, y: Any, frame: Frame, unit: int) -> tuple[Any, Any]:
        """Where a place of a finished frame (its pixels) lies on the original, in long sides."""
        dx, dy = self._back((x - frame.width / 2) / unit, (y - frame.height / 2) / unit)
        return self.box[0] + dx, self.box[1] + dy

    def places(self, frame: Frame) -> tuple[Floats, Floats]:
        """Where the pixels of a finished frame lie on the original, in long sides: x and y, each h × w."""
        unit = max(self._scale(frame))
        x, y = np.arange(frame.w) + frame.x + 0.5, np.arange(frame.h) + frame.y + 0.5
        return self._place(x[None, :], y[:, None], frame, unit)

    def seen(self, rect: Frame, of: Frame) -> Frame:
        """The rectangle of the whole finished picture at the scale of ``of`` that shows ``rect`` of the original."""
        whole = Frame.whole(*of.scale)
        if self.geometry.neutral:
            return rect
        c, s = self._turn()
        unit = rect.unit
        if self.exact:
            left, top, _ = self._corner(of)
            wide, high = (rect.height, rect.width) if self.geometry.turns % 2 else rect.scale
        xs, ys = [], []
        for x in (rect.x, rect.x + rect.w):
            for y in (rect.y, rect.y + rect.h):
                if self.exact:
                    dx, dy = x - rect.width / 2, y - rect.height / 2
                    xs.append(c * dx - s * dy + wide / 2 - left)
                    ys.append(s * dx + c * dy + high / 2 - top)
                else:
                    dx, dy = x - self.box[0] * unit, y - self.box[1] * unit
                    xs.append(c * dx - s * dy + of.width / 2)
                    ys.append(s * dx + c * dy + of.height / 2)
        spare = 0 if self.exact else 3
        x0, x1 = floor(min(xs) + 1e-6) - spare, ceil(max(xs) - 1e-6) + spare
        y0, y1 = floor(min(ys) + 1e-6) - spare, ceil(max(ys) - 1e-6) + spare
        x0, y0 = min(max(0, x0), whole.width), min(max(0, y0), whole.height)
        x1, y1 = min(max(x1, x0), whole.width), min(max(y1, y0), whole.height)
        return replace(whole, x=x0, y=y0, w=x1 - x0, h=y1 - y0)

    def laid(self, values: Floats) -> Floats:
        """What was drawn on :meth:`upright` of a frame, turned by its quarters; for those that are exact."""
        return np.ascontiguousarray(np.rot90(values, -self.geometry.turns))
