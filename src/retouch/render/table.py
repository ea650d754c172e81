"""A point rule as a table, and the kernels that apply it under a mask.

A rule is evaluated once on a lattice of colours; the table holds what it *changes* (result minus colour), so that no
change is exactly no change. Between nodes the change is interpolated tetrahedrally; beyond the lattice it continues
in a straight line, so nothing clips.

Source of the interpolation: J. M. Kasson et al., "Performing color space conversions with three-dimensional linear
interpolation", J. Electronic Imaging 4 (1995).
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Any

import numpy as np

from retouch.bands import in_bands
from retouch.kernels import kernel
from retouch.touches.base import Point
from retouch.touches.blend import NON_SEPARABLE, Blend, blend
from retouch.types import Encoded, Floats

BINS = 512
"""Bins to one unit of encoded value, by which a value finds its cell; nodes stand on bin borders."""
LOW, HIGH = -0.5, 4.0
LINE_STEPS = 1024
"""Nodes to one unit in the table of a channelwise rule."""
NEAR = 256
"""Pixels that one pass goes over at once: they stay in the processor's nearest memory."""

Rule = Callable[[Encoded], Encoded]


@dataclass(frozen=True)
class Line:
    """The table of a channelwise rule: the change at ``LINE_STEPS`` values to one unit, from LOW to HIGH."""

    change: Floats


@dataclass(frozen=True)
class Lattice:
    """The table of a point rule: the change at n³ colours, float32 flat; ``axis`` is the cell finder of its nodes."""

    change: Floats
    nodes: Floats
    inverse: Floats
    cell: np.ndarray[Any, Any]


Table = Line | Lattice


@cache
def _axis(n: int) -> tuple[Floats, Floats, np.ndarray[Any, Any]]:
    """Nodes of an axis: two below black, four above white, the rest between, denser towards black."""
    t = np.linspace(0, 1, n - 6)
    inside = np.round((0.4 * t + 0.6 * t**1.6) * BINS)
    nodes = np.concatenate([[LOW * BINS, -BINS / 8], inside, np.array([1.25, 1.75, 2.5, HIGH]) * BINS])
    cell = np.searchsorted(nodes, np.arange(round((HIGH - LOW) * BINS)) + LOW * BINS, side="right") - 1
    nodes = nodes / BINS
    return nodes.astype(np.float32), (1 / np.diff(nodes)).astype(np.float32), cell.astype(np.uint64)


def bake_line(rule: Rule) -> Line:
    """The table of a channelwise rule; ``rule`` takes encoded colours ``(..., 3)`` to the same shape."""
    values = np.linspace(LOW, HIGH, round((HIGH - LOW) * LINE_STEPS) + 1)
    grey = np.repeat(values[:, None], 3, axis=1)
    return Line((rule(Encoded(grey))[:, 0] - values).astype(np.float32))


def bake_lattice(rule: Rule, n: int) -> Lattice:
    """The table of a point rule on n³ nodes (33 while dragging, 65 at rest and for export)."""
    nodes, inverse, cell = _axis(n)
    axis = nodes.astype(np.float64)
    colours = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    change = np.zeros((n, n, n, 4), np.float32)
    change[..., :3] = rule(Encoded(colours)) - colours
    return Lattice(change.reshape(-1), nodes, inverse, cell)


@lru_cache(maxsize=64)
def _table_of(kind: type[Point], settings: str, mode: Blend, n: int) -> Table:
    touch = kind.model_validate_json(settings)

    def rule(colours: Encoded) -> Encoded:
        return blend(colours, colours if touch.neutral else touch.rule(colours), mode)

    if touch.channelwise and mode not in NON_SEPARABLE:
        return bake_line(rule)
    return bake_lattice(rule, n)


def table_of(touch: Point, mode: Blend, n: int) -> Table:
    """The table of a point touch blended by ``mode``, on n nodes a side."""
    return _table_of(type(touch), touch.model_dump_json(), mode, n)


def apply_table(picture: Floats, table: Table, mask: Floats | None, strength: float) -> None:
    """Change ``picture`` (float32, height × width × 3, whole rows of its array) in place by ``table``.

    ``mask`` is a coverage of height × width, or None for everywhere. Where mask × strength is 0 no bit changes.
    """

    def work(rows: slice) -> None:
        part = None if mask is None else mask[rows]
        covered = _NO_MASK if part is None else part
        if isinstance(table, Line):
            values = picture[rows].reshape(-1, copy=False)
            _apply_line(values, covered.reshape(-1), part is not None, np.float32(strength), table.change)
        else:
            _apply_lattice(
                picture[rows], covered, part is not None, np.float32(strength),
                table.change, table.nodes, table.inverse, table.cell,
            )  # fmt: skip

    in_bands(work, picture.shape[0])


def mix(below: Floats, above: Floats, mask: Floats | None, strength: float) -> None:
    """Move ``below`` (float32, height × width × 3) towards ``above`` by mask × strength, in place."""

    def work(rows: slice) -> None:
        covered = _NO_MASK if mask is None else mask[rows]
        _mix(below[rows], above[rows], covered, mask is not None, np.float32(strength))

    in_bands(work, below.shape[0])


_NO_MASK = np.zeros((1, 1), np.float32)


# A value may be no number or infinite, which the rest of fastmath forbids.
@kernel(fastmath={"reassoc", "contract", "nsz"})
def _apply_line(picture, mask, masked, strength, change):  # type: ignore[no-untyped-def]
    # In passes that do one thing each, over as much as stays near: what looks nothing up is done for several values
    # at once.
    first, top, one = np.int32(0), np.int32(change.shape[0] - 2), np.uint32(1)
    most = np.float32(top)
    at, part = np.empty(3 * NEAR, np.uint32), np.empty(3 * NEAR, np.float32)
    low, high = np.empty(3 * NEAR, np.float32), np.empty(3 * NEAR, np.float32)
    weights = np.full(3 * NEAR, strength)
    for start in range(0, picture.shape[0], 3 * NEAR):
        values = picture[start : start + 3 * NEAR]
        n = values.shape[0]
        if masked:
            cover, some = mask[start // 3 : start // 3 + NEAR], False
            for x in range(n // 3):
                m = strength * cover[x]
                weights[3 * x], weights[3 * x + 1], weights[3 * x + 2] = m, m, m
                some |= m != 0
            if not some:
                continue
        for i in range(n):
            u = (values[i] - np.float32(LOW)) * np.float32(LINE_STEPS)
            # Held once more as a whole number: what is not a number has no place.
            whole: Any = np.int32(min(max(u, np.float32(0)), most))
            k: Any = min(max(whole, first), top)
            at[i] = k
            part[i] = u - np.float32(k)
        for i in range(n):
            low[i], high[i] = change[at[i]], change[at[i] + one]
        for i in range(n):
            v, m = values[i], weights[i]
            values[i] = v if m == 0 else v + m * (low[i] + part[i] * (high[i] - low[i]))


@kernel(fastmath=True)
def _apply_lattice(picture, mask, masked, strength, change, nodes, inverse, cell):  # type: ignore[no-untyped-def]
    n = np.uint64(nodes.shape[0])
    last = np.int64(cell.shape[0] - 1)
    one, two, four = np.uint64(1), np.uint64(2), np.uint64(4)
    step_r, step_g, step_b = n * n * four, n * four, four
    far = step_r + step_g + step_b
    # The tetrahedron: from the near corner to the far one along the axes in falling order of how far a colour is
    # along them. Its two corners between, by which of red ≥ green, green ≥ blue and red ≥ blue hold.
    first, second = np.zeros(8, np.uint64), np.zeros(8, np.uint64)
    for held in range(8):
        rg, gb, rb = held & 1, held & 2, held & 4
        first[held] = step_r if rg and rb else step_g if gb and not rg else step_b
        second[held] = far - (step_b if gb and rb else step_g if rg and not gb else step_r)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            m = strength
            if masked:
                m *= mask[y, x]
            if m == 0:
                continue
            r, g, b = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            i = cell[min(max(np.int64((r - np.float32(LOW)) * np.float32(BINS)), 0), last)]
            j = cell[min(max(np.int64((g - np.float32(LOW)) * np.float32(BINS)), 0), last)]
            k = cell[min(max(np.int64((b - np.float32(LOW)) * np.float32(BINS)), 0), last)]
            fr = (r - nodes[i]) * inverse[i]
            fg = (g - nodes[j]) * inverse[j]
            fb = (b - nodes[k]) * inverse[k]
            at = i * step_r + j * step_g + k * step_b
            order = np.uint64(fr >= fg) + two * np.uint64(fg >= fb) + four * np.uint64(fr >= fb)
            p, q, end = at + first[order], at + second[order], at + far
            high, low = max(fr, fg), min(fr, fg)
            f1, f2, f3 = max(high, fb), max(low, min(high, fb)), min(low, fb)
            w0, w1, w2, w3 = m * (np.float32(1) - f1), m * (f1 - f2), m * (f2 - f3), m * f3
            # All three before the first is stored: else what was read must be read again.
            r += w0 * change[at] + w1 * change[p] + w2 * change[q] + w3 * change[end]
            g += w0 * change[at + one] + w1 * change[p + one] + w2 * change[q + one] + w3 * change[end + one]
            b += w0 * change[at + two] + w1 * change[p + two] + w2 * change[q + two] + w3 * change[end + two]
            picture[y, x, 0], picture[y, x, 1], picture[y, x, 2] = r, g, b


@kernel(fastmath=True)
def _mix(below, above, mask, masked, strength):  # type: ignore[no-untyped-def]
    for y in range(below.shape[0]):
        for x in range(below.shape[1]):
            m = strength
            if masked:
                m *= mask[y, x]
            if m == 0:
                continue
            for c in range(3):
                # What is laid on wholly is the same to the bit.
                below[y, x, c] = above[y, x, c] if m == 1 else below[y, x, c] + m * (above[y, x, c] - below[y, x, c])
