"""Brush strokes: points with pressure, never pixels."""

from typing import Annotated, ClassVar, Literal

import numba
import numpy as np
from pydantic import Field

from retouch.areas.base import Made, Part, Sight, Unit
from retouch.areas.edges import kept
from retouch.areas.sources.outline import inside_of
from retouch.areas.structure import calm
from retouch.bands import in_bands
from retouch.frame import Frame
from retouch.types import Floats, Record

STEP = 0.1
"""Length of a stamped piece of stroke, in brush diameters."""

Coordinate = Annotated[float, Field(ge=-4, le=5)]


class Stroke(Record):
    """One stroke of the brush.

    The coverage of a pixel is ``ceiling × tip × (1 − (1 − flow)^passes)``, where ``tip`` is the tip's profile at the
    stroke's nearest point and ``passes`` (≥ 1 under the stroke) counts how often the stroke went over the pixel.
    So a straight pass builds exactly ``flow × ceiling`` along its middle, crossing it again builds more, the soft
    edge keeps its profile, and the result depends neither on the picture's scale nor on the pointer's speed.
    """

    size: float = Field(gt=0, le=2, description="diameter, in long sides")
    softness: Unit = Field(0.5, description="share of the radius over which the edge falls off")
    flow: Unit = Field(1.0, description="what one pass builds")
    ceiling: Unit = Field(1.0, description="the most coverage this stroke can build")
    erase: bool = Field(False, description="takes coverage away instead")
    keep_edges: bool = Field(False, description="cover only what is connected in colour to the stroke's core")
    spare_structure: bool = Field(False, description="stay off fine structure: lashes, brows, lips, hair")
    fill_inside: bool = Field(False, description="cover also what it runs round, closed from its end to its start")
    pressure: Literal["none", "size", "flow"] = Field("none", description="what the pen's pressure changes")
    points: list[tuple[Coordinate, Coordinate, Unit]] = Field(
        min_length=1, max_length=20_000, description="x, y in long sides from the top left; pressure 0…1"
    )


class Strokes(Part):
    """Painted by hand. Strokes that build add what is missing to 1; strokes that erase take their share away."""

    title: ClassVar[str] = "brush"
    detail: ClassVar[str] = "{strokes#stroke}"
    bare: ClassVar[str] = "nothing painted yet"
    made_by: ClassVar[Made] = "brush"
    source: Literal["strokes"] = "strokes"
    strokes: list[Stroke] = Field(default_factory=list, max_length=5_000)

    def coverage(self, frame: Frame, sight: Sight) -> Floats:
        """Coverage of all strokes in their order on ``frame``."""
        out = np.zeros(frame.shape, np.float32)
        for stroke in self.strokes:
            if not (stroke.keep_edges or stroke.spare_structure or stroke.fill_inside):
                lay_stroke(out, stroke, frame)
                continue
            own = np.zeros(frame.shape, np.float32)
            lay_stroke(own, stroke.model_copy(update={"erase": False}), frame)
            inside = None
            if stroke.fill_inside and len(stroke.points) > 2:
                inside = inside_of(_closed(stroke), frame)
            if not own.any() and (inside is None or not inside.any()):
                continue
            if stroke.spare_structure:
                own *= calm(frame, sight)
            if stroke.keep_edges:
                own *= kept(np.array(stroke.points), stroke.size, frame, sight)
            if inside is not None:
                own = np.maximum(own, inside * np.float32(stroke.ceiling * stroke.flow))
            out = out * (1 - own) if stroke.erase else out + own * (1 - out)
        return out


def _closed(stroke: Stroke) -> str:
    """The stroke's way as SVG path data, closed."""
    return "M" + "L".join(f"{x:.5f} {y:.5f}" for x, y, _ in stroke.points) + "Z"


def lay_stroke(out: Floats, stroke: Stroke, frame: Frame) -> None:
    """Lay one stroke on the coverage ``out`` (float32, ``frame.shape``), in place; other pixels are not touched."""
    path = _even_steps(np.array(stroke.points, np.float64), STEP * stroke.size)
    radius = np.full(len(path), stroke.size / 2 * frame.unit)
    weight: Floats = np.ones(len(path))
    if stroke.pressure == "size":
        radius *= np.maximum(path[:, 2], 0.02)
    elif stroke.pressure == "flow":
        weight = path[:, 2]
    x = path[:, 0] * frame.unit - frame.x
    y = path[:, 1] * frame.unit - frame.y
    x0, x1 = _span(x, radius, frame.w)
    y0, y1 = _span(y, radius, frame.h)
    if x0 >= x1 or y0 >= y1:
        return
    nodes = np.stack([x - x0 - 0.5, y - y0 - 0.5, radius, weight], axis=1).astype(np.float32)
    part = out[y0:y1, x0:x1]

    def work(rows: slice) -> None:
        tip = np.zeros((rows.stop - rows.start, x1 - x0), np.float32)
        laid = np.zeros_like(tip)
        _stamp(tip, laid, nodes, np.float32(rows.start), np.float32(stroke.softness))
        band = part[rows]
        _build(band, tip, laid, np.float32(1 - stroke.flow), np.float32(stroke.ceiling), stroke.erase)

    in_bands(work, y1 - y0)


def _even_steps(points: Floats, step: float) -> Floats:
    """The path through ``points`` (n × 3) at every ``step`` of its length, and its end; a longer stroke only adds."""
    along = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(points[:, :2], axis=0).T))])
    if along[-1] == 0:
        return points[:1]
    at = np.append(np.arange(0, along[-1], step), along[-1])
    return np.stack([np.interp(at, along, points[:, i]) for i in range(3)], axis=1)


def _span(centres: Floats, radius: Floats, size: int) -> tuple[int, int]:
    low, high = float((centres - radius).min()), float((centres + radius).max())
    return max(0, int(np.floor(low)) - 1), min(size, int(np.ceil(high)) + 2)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _stamp(tip, laid, nodes, top, softness):  # type: ignore[no-untyped-def]
    """Stamp the pieces between nodes.

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
