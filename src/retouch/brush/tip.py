"""The brush's tip along its way: what a stroke stamps on a frame, piece by piece."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from math import ceil

import numba
import numpy as np

from retouch.bands import in_bands
from retouch.frame import Frame
from retouch.kernels import kernel
from retouch.types import Floats

STEP = 0.1
"""Length of a stamped piece of stroke, in brush diameters."""
LEAST_STEP = 0.5
"""The same in pixels: a finer brush than that is stamped no more often."""
RIM = 1.5
"""Pixels beyond its radius that a stamp may touch."""
PRESSURES = ("none", "size", "flow")
"""What a pen's pressure may change."""


@dataclass(frozen=True)
class Tip:
    """How a stroke lays itself down: see :class:`retouch.brush.stroke.Stroke`."""

    size: float
    softness: float
    flow: float
    ceiling: float
    erase: bool
    pressure: str

    @cached_property
    def numbers(self) -> tuple[float, float, float, float, float]:
        """Size, softness, flow, ceiling and PRESSURES' place of its pressure, as kernels take them."""
        return self.size, self.softness, self.flow, self.ceiling, float(PRESSURES.index(self.pressure))


class Way:
    """The points of a stroke (n × 3: x, y in long sides, pressure) with the length of the way to each (n,)."""

    def __init__(self, points: Floats, along: Floats | None = None):
        self.points = points
        self.along = lengths(points) if along is None else along

    @property
    def length(self) -> float:
        """In long sides."""
        return float(self.along[-1])

    @cached_property
    def bounds(self) -> tuple[Floats, Floats]:
        """The least and the greatest of x and y (2,) each."""
        places = self.points[:, :2]
        return places.min(0), places.max(0)


def lengths(points: Floats, start: float = 0.0) -> Floats:
    """The length of the way to each of some points (n × 2 or more); to the first it is ``start``."""
    return np.cumsum(np.concatenate([[start], np.hypot(*np.diff(points[:, :2], axis=0).T)]))


class Wet:
    """A stroke that still grows, on one frame: what its finished pieces have stamped so far.

    So that each dab costs what is new in it, however long the stroke has become.
    """

    def __init__(self, frame: Frame):
        self.frame = frame
        self.tip, self.laid = np.zeros(frame.shape, np.float32), np.zeros(frame.shape, np.float32)
        self.done = 0

    def lay(self, out: Floats, tip: Tip, way: Way, frame: Frame) -> None:
        """As :func:`lay`, on a rectangle of its frame."""
        step = _step(tip, self.frame)
        whole = int(way.length / step)
        if whole > self.done:
            _Stamped(self.tip, self.laid, self.frame).stamp(tip, way, self.done, whole)
            self.done = whole
        cut = frame.slices_in(self.frame)
        rest = _Stamped(self.tip[cut].copy(), self.laid[cut].copy(), frame)
        # The last piece grows: it is stamped anew each time.
        rest.stamp(tip, way, self.done)
        rest.build(out, tip)


def lay(out: Floats, tip: Tip, way: Way, frame: Frame) -> None:
    """Lay a stroke on the coverage ``out`` (float32, ``frame.shape``), in place; other pixels are not touched.

    What it costs follows the pixels that it covers on the frame, not its points or how fine it is.
    """
    part = _reached(tip, way, frame)
    if part is None:
        return
    stamped = _Stamped(np.zeros(part.shape, np.float32), np.zeros(part.shape, np.float32), part)
    stamped.stamp(tip, way)
    stamped.build(out[part.slices_in(frame)], tip)


def _reached(tip: Tip, way: Way, frame: Frame) -> Frame | None:
    """The part of a frame that a stroke may touch."""
    reach = tip.size / 2 + RIM / frame.unit
    low, high = way.bounds
    return frame.within(*(low - reach), *(high + reach))


def _step(tip: Tip, frame: Frame) -> float:
    """The length of a piece in long sides."""
    return float(_step_of(tip.size, frame.unit))


def added_up(tips: Sequence[Tip], ways: Sequence[Way], signs: Sequence[int], frame: Frame) -> Floats:
    """What strokes build on ``frame`` (float32, ``frame.shape``), each on nothing, times its sign, added up."""
    out = np.zeros(frame.shape, np.float32)
    if ways:
        first = np.cumsum([0, *(len(way.points) for way in ways)])
        points, along = (np.concatenate(many) for many in zip(*((way.points, way.along) for way in ways), strict=True))
        hows = np.array([[*tip.numbers, sign] for tip, sign in zip(tips, signs, strict=True)])
        _add_up(out, points, along, first, hows, frame.unit, frame.x, frame.y)
    return out


class _Stamped:
    """Profile and passes of a stroke on a frame."""

    def __init__(self, profile: Floats, laid: Floats, frame: Frame):
        self.profile, self.laid, self.frame = profile, laid, frame

    def stamp(self, tip: Tip, way: Way, start: int = 0, stop: int = -1) -> None:
        """Stamp the pieces from ``start`` to ``stop`` (the last); they lie at whole steps: a longer way only adds."""
        stop = ceil(way.length / _step(tip, self.frame)) if stop < 0 else stop

        def work(rows: slice) -> None:
            x, y = self.frame.x, self.frame.y + rows.start
            _stamp(self.profile[rows], self.laid[rows], way.points, way.along, tip.numbers, self.frame.unit, x, y,
                   start, stop)  # fmt: skip

        in_bands(work, self.frame.h)

    def build(self, out: Floats, tip: Tip) -> None:
        """Lay what was stamped on a coverage."""

        def work(rows: slice) -> None:
            left, most = np.float32(1 - tip.flow), np.float32(tip.ceiling)
            _build(out[rows], self.profile[rows], self.laid[rows], left, most, tip.erase)

        in_bands(work, self.frame.h)


@numba.njit(nogil=True, cache=True)
def _step_of(size, unit):  # type: ignore[no-untyped-def]
    return max(STEP * size, LEAST_STEP / unit)


@kernel(fastmath=True)
def _stamp(tip, laid, points, along, how, unit, x, y, start, stop):  # type: ignore[no-untyped-def]
    size, softness, _, _, pressure = how
    _walk(tip, laid, points, along, size, softness, pressure, unit, x, y, start, stop)


@kernel()
def _add_up(out, points, along, first, hows, unit, x, y):  # type: ignore[no-untyped-def]
    """Build strokes, each on its own, and add them up: stroke n has the points from first[n] to first[n + 1]."""
    height, width = out.shape
    for n in range(hows.shape[0]):
        size, softness, flow, ceiling, pressure = hows[n, 0], hows[n, 1], hows[n, 2], hows[n, 3], hows[n, 4]
        way, lengths_to = points[first[n] : first[n + 1]], along[first[n] : first[n + 1]]
        reach = 0.5 * size * unit + RIM
        left = min(max(0, int(np.floor(way[:, 0].min() * unit - reach)) - x), width)
        top = min(max(0, int(np.floor(way[:, 1].min() * unit - reach)) - y), height)
        right = max(left, min(width, int(np.ceil(way[:, 0].max() * unit + reach)) - x))
        bottom = max(top, min(height, int(np.ceil(way[:, 1].max() * unit + reach)) - y))
        tip = np.zeros((bottom - top, right - left), np.float32)
        laid = np.zeros_like(tip)
        stop = int(np.ceil(lengths_to[-1] / _step_of(size, unit)))
        _walk(tip, laid, way, lengths_to, size, softness, pressure, unit, x + left, y + top, 0, stop)
        left_over, most = np.float32(1 - flow), np.float32(hows[n, 5] * ceiling)
        for v in range(tip.shape[0]):
            for u in range(tip.shape[1]):
                if tip[v, u] > 0:
                    out[top + v, left + u] += most * _built(tip[v, u], laid[v, u], left_over)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _walk(tip, laid, points, along, size, softness, pressure, unit, x, y, start, stop):  # type: ignore[no-untyped-def]
    """Stamp the pieces from ``start`` to ``stop`` of a way on the rectangle at ``x``, ``y``.

    Nodes lie at whole steps along the way and at its end. Those between two others on one straight line are left out
    where pressure changes nothing: the profile is that of the nearest point, and passes add up along a line. Where it
    does, each line from point to point is cut by the rectangle's four sides: Y.-D. Liang, B. Barsky, 1984.
    """
    step, radius = _step_of(size, unit), 0.5 * size * unit
    reach = radius + RIM
    count, total = points.shape[0], along[-1]
    if total == 0:
        r, w = _pressed(radius, points[0, 2], pressure)
        at_x, at_y = points[0, 0] * unit - x - 0.5, points[0, 1] * unit - y - 0.5
        _piece(tip, laid, at_x, at_y, r, w, at_x, at_y, r, w, softness)
        return
    known, x0, y0, r0, w0 = False, 0.0, 0.0, 0.0, 0.0
    for i in range(count - 1):
        length = along[i + 1] - along[i]
        first = max(start, int(np.ceil(along[i] / step)))
        last = min(stop, int(np.ceil(along[i + 1] / step)) - (1 if along[i + 1] < total else 0))
        if last < first or length == 0:
            continue
        ax, ay = points[i, 0] * unit - x - 0.5, points[i, 1] * unit - y - 0.5
        bx, by = points[i + 1, 0] * unit - x - 0.5 - ax, points[i + 1, 1] * unit - y - 0.5 - ay
        begin, end = first, last
        if pressure != 0:
            enter, leave = _inside(ax, ay, bx, by, -reach, -reach, tip.shape[1] + reach, tip.shape[0] + reach)
            begin = min(max(first, int(np.floor((along[i] + enter * length) / step))), last)
            end = max(min(last, int(np.ceil((along[i] + leave * length) / step))), begin)
        k = first
        while True:
            t = (min(k * step, total) - along[i]) / length
            x1, y1 = ax + t * bx, ay + t * by
            r1, w1 = _pressed(radius, points[i, 2] + t * (points[i + 1, 2] - points[i, 2]), pressure)
            if known:
                _piece(tip, laid, x0, y0, r0, w0, x1, y1, r1, w1, softness)
            known, x0, y0, r0, w0 = True, x1, y1, r1, w1
            if k == last:
                break
            if pressure == 0:
                k = last
            elif begin <= k < end:
                k += 1
            else:
                # What is passed over lies outside.
                known, k = False, begin if k < begin else last


@numba.njit(nogil=True, cache=True, fastmath=True)
def _pressed(radius, pressure, changes):  # type: ignore[no-untyped-def]
    """Radius and weight of a node."""
    if changes == 1:
        return radius * max(pressure, 0.02), 1.0
    return radius, pressure if changes == 2 else 1.0


@numba.njit(nogil=True, cache=True)
def _inside(ax, ay, bx, by, left, top, right, bottom):  # type: ignore[no-untyped-def]
    """Where a line from (ax, ay) on by (bx, by) enters and leaves a rectangle, 0 … 1; (1, 0) where it passes it by."""
    enter, leave = 0.0, 1.0
    for a, b, low, high in ((ax, bx, left, right), (ay, by, top, bottom)):
        if b == 0:
            if a < low or a > high:
                return 1.0, 0.0
        else:
            one, two = (low - a) / b, (high - a) / b
            enter, leave = max(enter, min(one, two)), min(leave, max(one, two))
    return (enter, leave) if enter <= leave else (1.0, 0.0)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _piece(tip, laid, x0, y0, r0, w0, x1, y1, r1, w1, softness):  # type: ignore[no-untyped-def]
    """Stamp the piece between two nodes: places, radii and weights, in pixels of the rectangle.

    ``tip`` takes the greatest profile; ``laid`` adds up passes: the length of stroke that runs within the radius at
    which the edge has fallen to a half, by that circle's diameter, which a straight pass makes 1 along its middle.
    """
    half, one, zero, three = np.float32(0.5), np.float32(1), np.float32(0), np.float32(3)
    height, width = tip.shape
    r, strength = np.float32(0.5 * (r0 + r1)), np.float32(0.5 * (w0 + w1))
    # The edge is never harder than one pixel, which then lies half outside the radius.
    soft = max(np.float32(softness) * r, one)
    outer = max(r, half) + (half if soft == one else zero)
    bottom = min(height, int(np.ceil(max(y0, y1) + outer)) + 1)
    right = min(width, int(np.ceil(max(x0, x1) + outer)) + 1)
    left = max(0, int(np.floor(min(x0, x1) - outer)))
    top = max(0, int(np.floor(min(y0, y1) - outer)))
    if left >= right or top >= bottom:
        return
    x, y, dx, dy = np.float32(x0), np.float32(y0), np.float32(x1 - x0), np.float32(y1 - y0)
    square = dx * dx + dy * dy
    per_square = one / square if square > zero else zero
    length = np.sqrt(square)
    per_length = one / length if length > zero else zero
    per_soft = one / soft
    middle = outer - half * soft
    middle2, per_middle = middle * middle, half / middle
    columns = np.arange(left, right).astype(np.float32)
    for v in range(top, bottom):
        py = np.float32(v) - y
        tips, lays = tip[v, left:right], laid[v, left:right]
        for i in range(tips.shape[0]):
            px = columns[i] - x
            along = px * dx + py * dy
            aside = (px * dy - py * dx) * per_length
            reach = np.sqrt(max(zero, middle2 - aside * aside)) * length
            ends = min(square, max(zero, along + reach)) - min(square, max(zero, along - reach))
            lays[i] += ends * per_length * per_middle
            t = min(one, max(zero, along * per_square))
            ex, ey = px - t * dx, py - t * dy
            f = min(one, max(zero, (outer - np.sqrt(ex * ex + ey * ey)) * per_soft))
            p = f * f * (three - f - f)
            tips[i] = max(tips[i], p * strength)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _built(tip, laid, left_over):  # type: ignore[no-untyped-def]
    """What passes have built at a pixel on nothing, of a ceiling of 1."""
    one = np.float32(1)
    passes = max(laid, one)
    return tip * (one - left_over if passes == one else one - left_over**passes)


@kernel(fastmath=True)
def _build(band, tip, laid, left_over, ceiling, erase):  # type: ignore[no-untyped-def]
    """Lay what a stroke has built on a band of coverage."""
    one = np.float32(1)
    for y in range(band.shape[0]):
        for x in range(band.shape[1]):
            if tip[y, x] == 0:
                continue
            built = ceiling * _built(tip[y, x], laid[y, x], left_over)
            if erase:
                band[y, x] *= one - built
            else:
                band[y, x] += built * (one - band[y, x])
