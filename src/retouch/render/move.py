"""Geometry comes last: every displacement of a sheet is gathered, and the finished picture goes through them once."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numba
import numpy as np

from retouch.bands import in_bands
from retouch.frame import Frame
from retouch.kernels import kernel
from retouch.render.stages import halo
from retouch.shape.field import LEAST, at_places, extent, on_frame
from retouch.types import Coverage, Encoded, Floats

KERNEL = 3
"""Pixels that the resampling reads on either side."""
STEPS, FARTHEST, NEAR = 25, 0.01, 1e-6
"""Steps in which a place is looked for, how far each goes at most, and over what a slope is taken, in long sides."""
SHOWN = 0.5
"""Coverage from which what is seen at a place is the thing that was moved, not what lies behind it."""


@dataclass(frozen=True)
class Bend:
    """One shape: moves of a grid (h × w × 2, long sides), and where it works.

    With ``covered`` (on a frame) what is covered moves over ``ground``: the picture without it, and the coverage
    (h × w × 4).
    """

    moves: Floats
    area: str | None = None
    covered: Coverage | None = None
    ground: Floats | None = None

    @property
    def reach(self) -> float:
        """How far anything is moved at most, in long sides."""
        return self._extent[1]

    @cached_property
    def _extent(self) -> tuple[tuple[float, float, float, float] | None, float]:
        return extent(self.moves)

    def within(self, frame: Frame) -> Frame | None:
        """The part of a frame in which it moves anything; None if it moves nothing there."""
        there = self._extent[0]
        return None if there is None else frame.within(*there)


def origin(bends: Sequence[Bend], frame: Frame) -> Frame:
    """The rectangle of the picture before it is moved from which ``frame`` comes."""
    out = frame
    for bend in reversed(bends):
        if (part := bend.within(out)) is not None:
            out = out.joined(part.grown(halo(bend.reach, frame) + KERNEL))
    return out


def touched(bends: Sequence[Bend], frame: Frame) -> Frame:
    """The rectangle of the finished picture that may show what lies in ``frame`` before it is moved."""
    return frame.grown(halo(sum(bend.reach for bend in bends), frame) + KERNEL) if bends else frame


def moved(picture: Encoded, bends: Sequence[Bend], around: Frame, frame: Frame) -> Encoded:
    """The picture after all shapes on ``frame``, a new float32 array, by one bicubic resampling.

    From a place of the finished picture one goes back through the last shape first. Beyond the picture its border goes
    on. With *c* the coverage of what moves, *P* the picture and *G* what lies behind, a place *x* that comes from *b*
    shows P(b) + (1 − c(b)) (G(x) − G(b)): the thing itself, and behind its soft edge what lies there now.

    Parameters
    ----------
    picture
        The picture before, on ``around`` (see :func:`origin`), encoded working colours.
    bends
        Shapes in their order; coverage and ground on ``around``.
    """
    out = Encoded(picture[frame.slices_in(around)].copy())
    rect = _changed(bends, frame)
    if rect is None:
        return out
    own = rect.slices_in(frame)

    def work(rows: slice) -> None:
        part = rect.rows(rows.start, rows.stop)
        last = on_frame(bends[-1].moves, part)
        # What does not move is not resampled: it stays the same to the bit.
        if len(bends) == 1 and bends[0].covered is None:
            _carry(picture, last, float(frame.unit), part.x - around.x, part.y - around.y, out[own][rows])
            return
        some = (last[..., 0] != 0) | (last[..., 1] != 0) if len(bends) == 1 else np.ones(part.shape, bool)
        x, y = part.places()
        at_y, at_x = np.nonzero(some)
        values, away = _through(picture, bends, around, x[at_x], y[at_y], last[some])
        moves = away * frame.unit > 1e-6
        out[own][rows][at_y[moves], at_x[moves]] = values[moves]

    in_bands(work, rect.h)
    return out


def resampled(picture: Floats, bends: Sequence[Bend], around: Frame, x: Floats, y: Floats) -> Floats:
    """The picture after all shapes at any places (h × w, long sides), h × w × k, by one bicubic resampling."""
    out = np.empty((*x.shape, picture.shape[2]), np.float32)

    def work(rows: slice) -> None:
        values = _through(picture, bends, around, x[rows].ravel(), y[rows].ravel())[0]
        out[rows] = values.reshape(out[rows].shape)

    in_bands(work, len(x))
    return out


def shown(coverage: Coverage, bends: Sequence[Bend], around: Frame, frame: Frame) -> Coverage:
    """A coverage (on ``around``) as it lies on the finished picture, on ``frame``."""
    layer = np.repeat(coverage[..., None], 3, axis=2)
    seen = [b if b.covered is None else replace(b, ground=_under(layer, b.covered)) for b in bends]
    return Coverage(np.clip(moved(Encoded(layer), seen, around, frame)[..., 0], 0, 1))


def _under(layer: Floats, covered: Coverage) -> Floats:
    return np.concatenate([layer * (1 - covered[..., None]), covered[..., None]], axis=2)


def back(bends: Sequence[Bend], x: Floats, y: Floats, around: Frame | None = None) -> tuple[Floats, Floats]:
    """Where in the upright original what is seen at places (long sides) of the finished picture lies."""
    for n in range(len(bends) - 1, -1, -1):
        bend = bends[n]
        dx, dy = at_places(bend.moves, x, y)
        if bend.covered is not None and around is not None:
            bx, by = back(bends[:n], x + dx, y + dy, around)
            thing = _sampled(bend.covered[..., None], around, bx, by)[..., 0] >= SHOWN
            dx, dy = np.where(thing, dx, 0.0), np.where(thing, dy, 0.0)
        x, y = x + dx, y + dy
    return x, y


def forth(bends: Sequence[Bend], x: Floats, y: Floats, around: Frame | None = None) -> tuple[Floats, Floats]:
    """Where places (long sides) of the upright original are seen on the finished picture: :func:`back` turned round."""
    to_x, to_y = x, y
    for bend in bends:
        there = _found(bend.moves, to_x, to_y)
        if bend.covered is not None and around is not None:
            thing = _sampled(bend.covered[..., None], around, x, y)[..., 0] >= SHOWN
            there = np.where(thing, there[0], to_x), np.where(thing, there[1], to_y)
        to_x, to_y = there
    return to_x, to_y


def _found(moves: Floats, x: Floats, y: Floats) -> tuple[Floats, Floats]:
    """The places that come from ``x``, ``y``, by Newton's method."""
    to_x, to_y = x.copy(), y.copy()
    for _ in range(STEPS):
        dx, dy = at_places(moves, to_x, to_y)
        ax, ay = at_places(moves, to_x + NEAR, to_y)
        bx, by = at_places(moves, to_x, to_y + NEAR)
        xx, yx, xy, yy = 1 + (ax - dx) / NEAR, (ay - dy) / NEAR, (bx - dx) / NEAR, 1 + (by - dy) / NEAR
        det = np.maximum(xx * yy - xy * yx, LEAST / 2)
        off_x, off_y = x - to_x - dx, y - to_y - dy
        step_x, step_y = (yy * off_x - xy * off_y) / det, (xx * off_y - yx * off_x) / det
        # Far away the map is another one than here.
        share = np.minimum(1, FARTHEST / np.maximum(np.hypot(step_x, step_y), 1e-12))
        to_x, to_y = to_x + share * step_x, to_y + share * step_y
    return to_x, to_y


def _changed(bends: Sequence[Bend], frame: Frame) -> Frame | None:
    out: Frame | None = None
    for bend in bends:
        # What an earlier shape changes is carried on by the later ones.
        part = bend.within(frame)
        if part is not None:
            part = part.grown(halo(sum(b.reach for b in bends if b is not bend), frame)).met(frame)
            out = part if out is None or part is None else out.joined(part)
    return out


def _through(
    picture: Floats, bends: Sequence[Bend], around: Frame, x: Floats, y: Floats, last: Floats | None = None
) -> tuple[Floats, Floats]:
    """What is seen at places (n,), and how far away it lies before (city blocks).

    ``last``: the moves of the last shape there, where they are known already.
    """
    if not bends:
        return _sampled(picture, around, x, y), np.zeros(x.shape)
    bend, before = bends[-1], bends[:-1]
    dx, dy = at_places(bend.moves, x, y) if last is None else (last[:, 0], last[:, 1])
    values, away = _through(picture, before, around, x + dx, y + dy)
    here = np.abs(dx) + np.abs(dy)
    if bend.covered is not None and bend.ground is not None:
        # What covers and what lies behind are read at once.
        there, here_now = (_through(bend.ground, before, around, *at)[0] for at in ((x + dx, y + dy), (x, y)))
        free, beside = 1 - there[:, 3:], 1 - here_now[:, 3:]
        values[:, :3] += free * (here_now[:, :3] - there[:, :3])
        if values.shape[1] > 3:
            # What a later shape covers: of it, too, nothing of this thing is left where it was.
            other = _through(picture, before, around, x, y)[0][:, 3:]
            values[:, 3:] += free * (other * beside - values[:, 3:] * free)
        # Its surroundings stay to the bit where nothing of it came or went.
        here = here * ((there[:, 3] > 0) | (here_now[:, 3] > 0))
    return values, away + here


def _sampled(values: Floats, around: Frame, x: Floats, y: Floats) -> Floats:
    """``values`` (on ``around``, h × w × k) at places in long sides, float32, by Catmull and Rom's cubic."""
    out = np.empty((x.size, values.shape[2]), np.float32)
    _sample(np.ascontiguousarray(values, np.float32), np.ravel(x), np.ravel(y), float(around.unit),
            around.x + 0.5, around.y + 0.5, out)  # fmt: skip
    return out.reshape(*x.shape, values.shape[2])


@numba.njit(nogil=True, cache=True, fastmath=True, inline="always")
def _taps(t):  # type: ignore[no-untyped-def]
    half = np.float32(0.5)
    return (
        ((2 - t) * t - 1) * t * half,
        ((3 * t - 5) * t * t + 2) * half,
        ((4 - 3 * t) * t + 1) * t * half,
        (t - 1) * t * t * half,
    )


@numba.njit(nogil=True, cache=True, fastmath=True)
def _pixel(values, at_x, at_y, out):  # type: ignore[no-untyped-def]
    """One place of ``values`` (h × w × k, in its pixels) into ``out`` (k,)."""
    height, width, count = values.shape
    j, i = int(np.floor(at_x)), int(np.floor(at_y))
    across, down = _taps(np.float32(at_x - j)), _taps(np.float32(at_y - i))
    out[:] = 0
    if 1 <= i < height - 2 and 1 <= j < width - 2:
        for m in range(4):
            row, share = values[i - 1 + m], down[m]
            for k in range(count):
                out[k] += share * (
                    across[0] * row[j - 1, k]
                    + across[1] * row[j, k]
                    + across[2] * row[j + 1, k]
                    + across[3] * row[j + 2, k]
                )
        return
    for m in range(4):
        row, share = values[min(max(i - 1 + m, 0), height - 1)], down[m]
        for n in range(4):
            column = min(max(j - 1 + n, 0), width - 1)
            for k in range(count):
                out[k] += share * across[n] * row[column, k]


@numba.njit(nogil=True, cache=True, fastmath=True)
def _sample(values, x, y, unit, left, top, out):  # type: ignore[no-untyped-def]
    for n in range(x.size):
        _pixel(values, x[n] * unit - left, y[n] * unit - top, out[n])


@kernel(fastmath=True)
def _carry(picture, moves, unit, left, top, out):  # type: ignore[no-untyped-def]
    """Pixels (h × w × 3) of which ``moves`` (long sides) are not 0, from ``picture``; the first lies at left, top."""
    for r in range(out.shape[0]):
        for c in range(out.shape[1]):
            dx, dy = moves[r, c, 0] * unit, moves[r, c, 1] * unit
            if abs(dx) + abs(dy) > 1e-6:
                _pixel(picture, left + c + dx, top + r + dy, out[r, c])
