"""The field of a shape: from where each place takes its content, on one grid for the whole picture.

Each dab of a stroke is the flow of a small smooth vector field for a unit of time. Such a flow is one to one, and the
same flow backwards takes it back (V. I. Arnold, *Ordinary Differential Equations*, §§ 4, 35); its ends are worked out
by one step of the classical Runge-Kutta method, whose error falls with the fifth power of the dab's length. A place
goes back through the strokes in their order, and through each from its end to its beginning; where a pinned area
covers, every field is 0, and nothing ever moves there.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from math import ceil
from typing import Literal

import cv2
import numba
import numpy as np

from retouch.frame import Frame
from retouch.types import Coverage, Floats

NODES = 640
"""Nodes of the grid on the long side of the picture: what lies between them is interpolated."""
LEAST = 0.25
"""How far the area of a piece may shrink, and every weaker share of the same shape: under 0 the picture would fold."""
TRIES = 3
"""How often half of a dab is tried where the whole would go too far."""
Way = Literal["push", "swell", "draw-in", "turn", "smooth", "back"]
CODES = {"push": 0, "swell": 1, "draw-in": 1, "turn": 2}


@dataclass(frozen=True)
class Dab:
    """One small flow about a place ``x``, ``y`` (long sides, in the upright original).

    ``dx``, ``dy``: how far it pushes; ``amount``: by which share it swells (below 0: draws in), by how many radians it
    turns, or how much it smooths or gives back. ``soft``: the share of the radius over which it falls off.
    """

    way: Way
    x: float
    y: float
    radius: float
    soft: float
    dx: float = 0.0
    dy: float = 0.0
    amount: float = 0.0


def grid_of(width: int, height: int) -> Frame:
    """The frame of a picture's grid: a node is the middle of one of its pixels."""
    share = NODES / max(width, height)
    return Frame.whole(max(2, round(width * share)), max(2, round(height * share)))


class Field:
    """From where the nodes of a grid take their content: ``x``, ``y`` (h × w, float64, long sides).

    ``reach``: how far anything is moved, in long sides; ``ended``: whether a dab was cut short, as the picture would
    have folded.
    """

    def __init__(self, grid: Frame, pinned: Coverage | None = None):
        self.grid = grid
        self.pinned = np.zeros(grid.shape, np.float32) if pinned is None else np.ascontiguousarray(pinned, np.float32)
        x, y = grid.places()
        self.x, self.y = np.repeat(x[None, :], grid.h, axis=0), np.repeat(y[:, None], grid.w, axis=1)
        self._moves = np.zeros((*grid.shape, 3), np.float32)
        self.reach = 0.0
        self.ended = False
        self.begin()

    @staticmethod
    def of(grid: Frame, pinned: Coverage | None, kept: Floats) -> "Field":
        """The field that :attr:`kept` was taken from."""
        out = Field(grid, pinned)
        out.x += kept[..., 0]
        out.y += kept[..., 1]
        out.ended, out._moves = bool(kept[0, 0, 2]), kept.copy()
        out.reach = float(np.hypot(kept[..., 0], kept[..., 1]).max())
        out.begin()
        return out

    def begin(self) -> None:
        """Begin a stroke: its dabs are one way, back along which a place goes from its end."""
        self._base = self.x, self.y, self.reach
        self.x, self.y = self.x.copy(), self.y.copy()
        self._own = np.zeros((*self.grid.shape, 2), np.float32)

    def lay(self, dabs: Iterable[Dab]) -> Frame | None:
        """Lay dabs of the stroke that was begun; the rectangle of nodes that they may have changed."""
        touched: Frame | None = None
        for dab in dabs:
            rect = self._relax(dab) if dab.way in ("smooth", "back") else self._lay(dab)
            if rect is not None:
                touched = rect if touched is None else touched.joined(rect)
        return touched

    def _rect(self, dab: Dab, more: float) -> Frame | None:
        around = dab.radius + more
        return self.grid.within(dab.x - around, dab.y - around, dab.x + around, dab.y + around)

    def _lay(self, dab: Dab) -> Frame | None:
        own, rect = self._rect(dab, 0.0), self._rect(dab, self._base[2])
        if own is None or rect is None:
            return None
        at, seen, inner = (r.slices_in(self.grid) for r in (rect, rect.grown(1), own))
        was, share = self._own[inner].copy(), 1.0
        for tried in range(TRIES + 1):
            amount = share * (-dab.amount if dab.way == "draw-in" else dab.amount)
            numbers = np.array([dab.x, dab.y, dab.radius, dab.soft, share * dab.dx, share * dab.dy, amount])
            # A place goes through the latest dab first: what was under the brush is carried all along its way.
            fresh = np.zeros((*own.shape, 2), np.float32)
            _flow(self._own, self.pinned, CODES[dab.way], numbers, float(self.grid.unit), own.x, own.y, fresh)
            self._own[inner] = fresh
            self._join(at)
            if least_share(self.x[seen], self.y[seen], self.grid.unit) >= LEAST:
                break
            self._own[inner] = was
            self.ended = True
            share = share / 2
            if tried == TRIES:
                self._join(at)
        self._note(rect)
        return rect

    def _join(self, at: tuple[slice, slice]) -> None:
        """What was there before, then the stroke in hand."""
        x, y = self._base[0][at], self._base[1][at]
        dx, dy = at_places(self._own, x, y)
        self.x[at], self.y[at] = x + dx, y + dy

    def _relax(self, dab: Dab) -> Frame | None:
        """Draw what was done towards what was done round about, or back to nothing."""
        rect = self._rect(dab, self.reach)
        if rect is None:
            return None
        sigma = dab.radius * self.grid.unit / 3
        around = rect.grown(ceil(3 * sigma)) if dab.way == "smooth" else rect
        wide, at, cut = around.slices_in(self.grid), rect.slices_in(self.grid), rect.slices_in(around)
        across, down = around.places()
        off = np.stack([self.x[wide] - across[None, :], self.y[wide] - down[:, None]], axis=-1)
        goal = cv2.GaussianBlur(off, (0, 0), sigma) if dab.way == "smooth" else np.zeros_like(off)
        away = np.hypot(self.x[at] - dab.x, self.y[at] - dab.y) / dab.radius
        weight = dab.amount * _profile(away, dab.soft) * (1 - self.pinned[at])
        was = self.x[at].copy(), self.y[at].copy()
        off = off[cut] + weight[..., None] * (goal[cut] - off[cut])
        self.x[at], self.y[at] = off[..., 0] + across[None, cut[1]], off[..., 1] + down[cut[0], None]
        seen = rect.grown(1).slices_in(self.grid)
        if least_share(self.x[seen], self.y[seen], self.grid.unit) < LEAST:
            self.x[at], self.y[at] = was
            self.ended = True
        self._note(rect)
        # What follows in this stroke goes on from here.
        self._base = self.x, self.y, self.reach
        return rect

    @property
    def kept(self) -> Floats:
        """What is added to each node's place (long sides), and whether a dab was cut short: float32 h × w × 3.

        Exactly 0 where nothing was done.
        """
        out = self._moves.copy()
        out[0, 0, 2] = self.ended
        return out

    def _note(self, rect: Frame) -> None:
        """What was done in a rectangle of nodes."""
        at = rect.slices_in(self.grid)
        across, down = rect.places()
        self._moves[at][..., 0] = self.x[at] - across[None, :]
        self._moves[at][..., 1] = self.y[at] - down[:, None]
        self.reach = max(self.reach, float(np.hypot(self._moves[at][..., 0], self._moves[at][..., 1]).max()))


def _profile(away: Floats, soft: float) -> Floats:
    """How much of a dab works at a distance in radii: 1 … 0, a smoothstep over its soft rim."""
    t = np.clip((1 - away) / max(soft, 1e-6), 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


@numba.njit(nogil=True, cache=True)
def least_share(x, y, unit):  # type: ignore[no-untyped-def]
    """The least share to which any piece of the picture shrinks in area, for this shape or any weaker share of it.

    ``x``, ``y``: from where nodes take their content (h × w), ``unit`` nodes to the long side.
    """
    least = 1.0
    for i in range(x.shape[0] - 1):
        for j in range(x.shape[1] - 1):
            for corner in range(4):
                k, m = i + (corner >> 1), j + (corner & 1)
                xx = (x[k, j + 1] - x[k, j]) * unit - 1
                yx = (y[k, j + 1] - y[k, j]) * unit
                xy = (x[i + 1, m] - x[i, m]) * unit
                yy = (y[i + 1, m] - y[i, m]) * unit - 1
                trace, det = xx + yy, xx * yy - xy * yx
                # 1 + s·trace + s²·det over s in 0…1.
                least = min(least, 1 + trace + det)
                if det > 0 and -trace < 2 * det and trace < 0:
                    least = min(least, 1 - trace * trace / (4 * det))
    return least


@numba.njit(nogil=True, cache=True)
def _weight(x, y, pinned, cx, cy, radius, soft, unit):  # type: ignore[no-untyped-def]
    away = np.sqrt((x - cx) ** 2 + (y - cy) ** 2) / radius
    if away >= 1:
        return 0.0
    t = min(1.0, (1 - away) / soft)
    height, width = pinned.shape
    at_x = min(max(x * unit - 0.5, 0.0), width - 1.000001)
    at_y = min(max(y * unit - 0.5, 0.0), height - 1.000001)
    j, i = int(at_x), int(at_y)
    u, v = at_x - j, at_y - i
    still = (pinned[i, j] * (1 - u) + pinned[i, j + 1] * u) * (1 - v)
    still += (pinned[i + 1, j] * (1 - u) + pinned[i + 1, j + 1] * u) * v
    return t * t * (3 - 2 * t) * (1 - still)


@numba.njit(nogil=True, cache=True)
def _pace(x, y, pinned, code, n, unit):  # type: ignore[no-untyped-def]
    """Where content comes from: against the flow."""
    weight = _weight(x, y, pinned, n[0], n[1], n[2], n[3], unit)
    if weight == 0:
        return 0.0, 0.0
    if code == 0:
        return -weight * n[4], -weight * n[5]
    rx, ry = x - n[0], y - n[1]
    if code == 1:
        return -weight * n[6] * rx, -weight * n[6] * ry
    return weight * n[6] * ry, -weight * n[6] * rx


@numba.njit(nogil=True, cache=True)
def _flow(moves, pinned, code, n, unit, left, top, out):  # type: ignore[no-untyped-def]
    """Moves of nodes after one dab more: a step of the classical Runge-Kutta method, then the moves where it ends."""
    for i in range(out.shape[0]):
        for j in range(out.shape[1]):
            x, y = (left + j + 0.5) / unit, (top + i + 0.5) / unit
            px, py = x, y
            if (px - n[0]) ** 2 + (py - n[1]) ** 2 < 1.7 * n[2] ** 2:
                ax, ay = _pace(px, py, pinned, code, n, unit)
                bx, by = _pace(px + ax / 2, py + ay / 2, pinned, code, n, unit)
                cx, cy = _pace(px + bx / 2, py + by / 2, pinned, code, n, unit)
                dx, dy = _pace(px + cx, py + cy, pinned, code, n, unit)
                px += (ax + 2 * bx + 2 * cx + dx) / 6
                py += (ay + 2 * by + 2 * cy + dy) / 6
            if px == x and py == y:
                out[i, j, 0], out[i, j, 1] = moves[top + i, left + j, 0], moves[top + i, left + j, 1]
                continue
            mx, my = _read(moves, px * unit - 0.5, py * unit - 0.5)
            out[i, j, 0], out[i, j, 1] = px - x + mx, py - y + my


# --- use: between the nodes by a cubic that passes through them


@numba.njit(nogil=True, cache=True)
def _taps(t):  # type: ignore[no-untyped-def]
    """Catmull and Rom's cubic (1974) at 0 ≤ t < 1 between the second and the third of four values."""
    return (
        ((2 - t) * t - 1) * t / 2,
        ((3 * t - 5) * t * t + 2) / 2,
        ((4 - 3 * t) * t + 1) * t / 2,
        (t - 1) * t * t / 2,
    )


@numba.njit(nogil=True, cache=True)
def _read(moves, at_x, at_y):  # type: ignore[no-untyped-def]
    """Moves at a place of the grid, in nodes."""
    height, width = moves.shape[:2]
    j, i = int(np.floor(at_x)), int(np.floor(at_y))
    across, down = _taps(at_x - j), _taps(at_y - i)
    x, y = 0.0, 0.0
    for k in range(4):
        row = min(max(i - 1 + k, 0), height - 1)
        for m in range(4):
            column = min(max(j - 1 + m, 0), width - 1)
            share = down[k] * across[m]
            x += share * moves[row, column, 0]
            y += share * moves[row, column, 1]
    return x, y


@numba.njit(nogil=True, cache=True)
def _anywhere(moves, unit, x, y, out):  # type: ignore[no-untyped-def]
    for n in range(x.size):
        out[n, 0], out[n, 1] = _read(moves, x[n] * unit - 0.5, y[n] * unit - 0.5)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _rows(padded, rows, down, columns, across, out):  # type: ignore[no-untyped-def]
    """The same on a frame: ``padded`` has two nodes more on every side; rows first, then columns."""
    height, width = padded.shape[:2]
    out[:] = 0
    # Where a row of nodes moves anything: most of a picture lies still.
    begins, ends = np.full(height, width), np.full(height, -1)
    for i in range(height):
        for j in range(width):
            if padded[i, j, 0] != 0 or padded[i, j, 1] != 0:
                begins[i] = min(begins[i], j)
                ends[i] = j
    line = np.zeros((width, 2), np.float32)
    for r in range(out.shape[0]):
        i = rows[r]
        a, b, c, d = down[r]
        begin = min(min(begins[i], begins[i + 1]), min(begins[i + 2], begins[i + 3]))
        end = max(max(ends[i], ends[i + 1]), max(ends[i + 2], ends[i + 3]))
        first, last = max(columns[0], begin - 4), min(columns[-1] + 4, end + 5)
        if end < 0:
            continue
        for j in range(max(first, 0), min(last, width)):
            for k in range(2):
                line[j, k] = (
                    a * padded[i, j, k] + b * padded[i + 1, j, k] + c * padded[i + 2, j, k] + d * padded[i + 3, j, k]
                )
        for c_ in range(out.shape[1]):
            j = columns[c_]
            if j + 3 < begin or j > end:
                continue
            wa, wb, wc, wd = across[c_, 0], across[c_, 1], across[c_, 2], across[c_, 3]
            out[r, c_, 0] = wa * line[j, 0] + wb * line[j + 1, 0] + wc * line[j + 2, 0] + wd * line[j + 3, 0]
            out[r, c_, 1] = wa * line[j, 1] + wb * line[j + 1, 1] + wc * line[j + 2, 1] + wd * line[j + 3, 1]


def extent(moves: Floats) -> tuple[tuple[float, float, float, float] | None, float]:
    """Left, top, right, bottom (long sides) of what a grid moves, None if nothing; and how far at most."""
    left, top, right, bottom, most = _extent(moves)
    if right < 0:
        return None, 0.0
    unit = max(moves.shape[:2])
    # Between the nodes a cubic reaches two of them farther.
    return ((left - 2) / unit, (top - 2) / unit, (right + 3) / unit, (bottom + 3) / unit), float(most**0.5)


@numba.njit(nogil=True, cache=True)
def _extent(moves):  # type: ignore[no-untyped-def]
    height, width = moves.shape[:2]
    left, top, right, bottom, most = width, height, -1, -1, 0.0
    for i in range(height):
        for j in range(width):
            x, y = moves[i, j, 0], moves[i, j, 1]
            if x != 0 or y != 0:
                left, right = min(left, j), max(right, j)
                top, bottom = min(top, i), i
                most = max(most, x * x + y * y)
    return left, top, right, bottom, most


def on_frame(moves: Floats, frame: Frame) -> Floats:
    """Moves of a grid (h × w × 2) at the pixels of a frame, float32 ``frame.shape`` × 2, in long sides."""
    padded = np.pad(moves, ((2, 2), (2, 2), (0, 0)), mode="edge")
    rows, down = _between(frame.y, frame.h, frame.unit, moves.shape)
    columns, across = _between(frame.x, frame.w, frame.unit, moves.shape)
    out = np.empty((*frame.shape, 2), np.float32)
    _rows(padded, rows, down, columns, across, out)
    return out


def _between(start: int, count: int, unit: int, shape: tuple[int, ...]) -> tuple[np.ndarray, Floats]:
    """For ``count`` pixels from ``start``: the first of four nodes of the padded grid, and their shares (count × 4)."""
    at = (np.arange(count) + start + 0.5) * (max(shape[:2]) / unit) - 0.5
    first = np.floor(at)
    t = at - first
    return first.astype(np.int64) + 1, np.stack(_taps.py_func(t), axis=-1).astype(np.float32)


def at_places(moves: Floats, x: Floats, y: Floats) -> tuple[Floats, Floats]:
    """Moves of a grid (h × w × 2) at any places (long sides, arrays of one shape)."""
    out = np.zeros((x.size, 2))
    _anywhere(moves, float(max(moves.shape[:2])), np.ravel(x), np.ravel(y), out)
    return out[:, 0].reshape(x.shape), out[:, 1].reshape(x.shape)
