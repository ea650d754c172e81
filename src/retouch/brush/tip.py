"""The brush's tip along its way: what a stroke stamps on a frame, piece by piece."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from math import ceil, floor

import numba
import numpy as np

from retouch.bands import in_bands
from retouch.frame import Frame
from retouch.types import Floats

STEP = 0.1
"""Length of a stamped piece of stroke, in brush diameters."""
LEAST_STEP = 0.5
"""The same in pixels: a finer brush than that is stamped no more often."""
CHUNK = 50_000
"""Pieces that are stamped at once."""
RIM = 1.5
"""Pixels beyond its radius that a stamp may touch."""


@dataclass(frozen=True)
class Tip:
    """How a stroke lays itself down: see :class:`retouch.brush.stroke.Stroke`."""

    size: float
    softness: float
    flow: float
    ceiling: float
    erase: bool
    pressure: str


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
            stamped = _Stamped(self.tip, self.laid, self.frame)
            stamped.stamp(tip, way, self.done, whole)
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
    return max(STEP * tip.size, LEAST_STEP / frame.unit)


class _Stamped:
    """Profile and passes of a stroke on a frame."""

    def __init__(self, profile: Floats, laid: Floats, frame: Frame):
        self.profile, self.laid, self.frame = profile, laid, frame

    def stamp(self, tip: Tip, way: Way, start: int = 0, stop: int | None = None) -> None:
        """Stamp the pieces from ``start`` to ``stop`` (the last); they lie at whole steps: a longer way only adds."""
        for nodes in self._nodes(tip, way, start, stop):

            def work(rows: slice, nodes: Floats = nodes) -> None:
                top = np.float32(rows.start)
                _stamp(self.profile[rows], self.laid[rows], nodes, top, np.float32(tip.softness))

            in_bands(work, self.frame.h)

    def build(self, out: Floats, tip: Tip) -> None:
        """Lay what was stamped on a coverage."""

        def work(rows: slice) -> None:
            left, most = np.float32(1 - tip.flow), np.float32(tip.ceiling)
            _build(out[rows], self.profile[rows], self.laid[rows], left, most, tip.erase)

        in_bands(work, self.frame.h)

    def _nodes(self, tip: Tip, way: Way, start: int, stop: int | None) -> Iterator[Floats]:
        """Nodes (x, y, radius, weight) in pixels of the frame, each joined to the next, in chunks."""
        if way.length == 0:
            yield self._placed(tip, way.points[:1])
            return
        step = _step(tip, self.frame)
        stop = ceil(way.length / step) if stop is None else stop
        reach = tip.size / 2 + RIM / self.frame.unit
        for a, b in _inside(way, self.frame, reach, start * step, stop * step):
            last = min(stop, ceil(b / step))
            for k in range(max(start, floor(a / step)), last, CHUNK):
                at = np.minimum(np.arange(k, min(k + CHUNK, last) + 1) * step, way.length)
                if tip.pressure == "none":
                    at = _turns(at, way)
                yield self._placed(tip, _between(at, way))

    def _placed(self, tip: Tip, points: Floats) -> Floats:
        radius = np.full(len(points), tip.size / 2 * self.frame.unit)
        weight: Floats = np.ones(len(points))
        if tip.pressure == "size":
            radius *= np.maximum(points[:, 2], 0.02)
        elif tip.pressure == "flow":
            weight = points[:, 2]
        x = points[:, 0] * self.frame.unit - self.frame.x - 0.5
        y = points[:, 1] * self.frame.unit - self.frame.y - 0.5
        return np.stack([x, y, radius, weight], axis=1).astype(np.float32)


def _between(at: Floats, way: Way) -> Floats:
    """The points (n × 3) at lengths ``at`` of a way, rising; only the stretch that they lie on is looked at."""
    first = max(0, int(np.searchsorted(way.along, at[0], "right")) - 1)
    stretch = slice(first, int(np.searchsorted(way.along, at[-1], "left")) + 1)
    along, points = way.along[stretch], way.points[stretch]
    return np.stack([np.interp(at, along, points[:, i]) for i in range(3)], axis=1)


def _turns(at: Floats, way: Way) -> Floats:
    """Nodes without those that lie with both their neighbours on one straight line: it is stamped as one piece.

    Nothing else changes: the profile is that of the nearest point, and passes add up along a line.
    """
    line = np.searchsorted(way.along, at, "right")
    straight = np.zeros(len(at), bool)
    straight[1:-1] = (line[:-2] == line[1:-1]) & (line[1:-1] == line[2:])
    return at[~straight]


def _inside(way: Way, frame: Frame, reach: float, start: float, end: float) -> list[tuple[float, float]]:
    """The stretches of a way, as lengths from its start, that come within ``reach`` of a frame.

    Each line from point to point is cut by the frame's four sides: Y.-D. Liang, B. Barsky, 1984.
    """
    low = np.array([frame.x, frame.y]) / frame.unit - reach
    high = np.array([frame.x + frame.w, frame.y + frame.h]) / frame.unit + reach
    least, most = way.bounds
    if (least >= low).all() and (most <= high).all():
        return [(start, end)]
    from_point = max(0, int(np.searchsorted(way.along, start, "right")) - 1)
    to_point = min(len(way.along) - 1, int(np.searchsorted(way.along, end, "left")))
    a, along = way.points[from_point:to_point, :2], way.along[from_point : to_point + 1]
    by = way.points[from_point + 1 : to_point + 1, :2] - a
    with np.errstate(divide="ignore", invalid="ignore"):
        one, two = (low - a) / by, (high - a) / by
    # A line along a side is inside it or not for all its length.
    beside = (a < low) | (a > high)
    enter = np.where(by == 0, np.where(beside, np.inf, -np.inf), np.minimum(one, two)).max(1).clip(0, None)
    leave = np.where(by == 0, np.where(beside, -np.inf, np.inf), np.maximum(one, two)).min(1).clip(None, 1)
    length = np.diff(along)
    there = np.flatnonzero(enter <= leave)
    out: list[tuple[float, float]] = []
    for i in there:
        first, last = along[i] + enter[i] * length[i], along[i] + leave[i] * length[i]
        first, last = max(float(first), start), min(float(last), end)
        if first > last:
            continue
        # Nodes lie at whole steps: stretches that meet are one.
        if out and first <= out[-1][1] + 1e-12:
            out[-1] = (out[-1][0], max(last, out[-1][1]))
        else:
            out.append((first, last))
    return out


@numba.njit(nogil=True, cache=True, fastmath=True)
def _stamp(tip, laid, nodes, top, softness):  # type: ignore[no-untyped-def]
    """Stamp the pieces between nodes; one node alone is a piece of no length.

    ``tip`` takes the greatest profile; ``laid`` adds up passes: the length of stroke that runs within the radius at
    which the edge has fallen to a half, by that circle's diameter, which a straight pass makes 1 along its middle.
    """
    height, width = tip.shape
    half, one, zero, three = np.float32(0.5), np.float32(1), np.float32(0), np.float32(3)
    columns = np.arange(width).astype(np.float32)
    count = nodes.shape[0]
    for k in range(max(1, count - 1)):
        last = min(k + 1, count - 1)
        x0, y0 = nodes[k, 0], nodes[k, 1] - top
        dx, dy = nodes[last, 0] - x0, nodes[last, 1] - top - y0
        r = half * (nodes[k, 2] + nodes[last, 2])
        strength = half * (nodes[k, 3] + nodes[last, 3])
        square = dx * dx + dy * dy
        per_square = one / square if square > zero else zero
        length = np.sqrt(square)
        per_length = one / length if length > zero else zero
        # The edge is never harder than one pixel, which then lies half outside the radius.
        soft = max(softness * r, one)
        outer = max(r, half) + (half if soft == one else zero)
        per_soft = one / soft
        middle = outer - half * soft
        middle2, per_middle = middle * middle, half / middle
        bottom = min(height, int(np.ceil(max(y0, y0 + dy) + outer)) + 1)
        right = min(width, int(np.ceil(max(x0, x0 + dx) + outer)) + 1)
        left = max(0, int(np.floor(min(x0, x0 + dx) - outer)))
        if left >= right:
            continue
        for y in range(max(0, int(np.floor(min(y0, y0 + dy) - outer))), bottom):
            py = np.float32(y) - y0
            tips, lays, across = tip[y, left:right], laid[y, left:right], columns[left:right]
            for i in range(tips.shape[0]):
                px = across[i] - x0
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
def _build(band, tip, laid, left_over, ceiling, erase):  # type: ignore[no-untyped-def]
    """Lay what a stroke has built on a band of coverage."""
    one = np.float32(1)
    for y in range(band.shape[0]):
        for x in range(band.shape[1]):
            p = tip[y, x]
            if p == 0:
                continue
            passes = max(laid[y, x], one)
            built = one - left_over if passes == one else one - left_over**passes
            built *= ceiling * p
            if erase:
                band[y, x] *= one - built
            else:
                band[y, x] += built * (one - band[y, x])
