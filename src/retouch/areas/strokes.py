"""Brush strokes: points with pressure, never pixels."""

from typing import Annotated, ClassVar, Literal

import numba
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from retouch.areas.base import Look, Part, Unit
from retouch.frame import Frame
from retouch.types import Floats

STEP = 0.1
"""Length of a stamped piece of stroke, in brush diameters."""

Coordinate = Annotated[float, Field(ge=-4, le=5)]


class Stroke(BaseModel):
    """One stroke of the brush.

    The coverage of a pixel is ``ceiling × tip × (1 − (1 − flow)^passes)``, where ``tip`` is the tip's profile at the
    stroke's nearest point and ``passes`` (≥ 1 under the stroke) counts how often the stroke went over the pixel.
    So a straight pass builds exactly ``flow × ceiling`` along its middle, crossing it again builds more, the soft
    edge keeps its profile, and the result depends neither on the picture's scale nor on the pointer's speed.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    size: float = Field(gt=0, le=2, description="diameter, in long sides")
    softness: Unit = Field(0.5, description="share of the radius over which the edge falls off")
    flow: Unit = Field(1.0, description="what one pass builds")
    ceiling: Unit = Field(1.0, description="the most coverage this stroke can build")
    erase: bool = Field(False, description="takes coverage away instead")
    pressure: Literal["none", "size", "flow"] = Field("none", description="what the pen's pressure changes")
    points: list[tuple[Coordinate, Coordinate, Unit]] = Field(
        min_length=1, max_length=20_000, description="x, y in long sides from the top left; pressure 0…1"
    )


class Strokes(Part):
    """Painted by hand. Strokes that build add what is missing to 1; strokes that erase take their share away."""

    title: ClassVar[str] = "brush"
    source: Literal["strokes"] = "strokes"
    strokes: list[Stroke] = Field(default_factory=list, max_length=5_000)

    def coverage(self, frame: Frame, look: Look) -> Floats:
        """Coverage of all strokes in their order on ``frame``."""
        out = np.zeros(frame.shape, np.float32)
        for stroke in self.strokes:
            lay_stroke(out, stroke, frame)
        return out


def lay_stroke(out: Floats, stroke: Stroke, frame: Frame) -> None:
    """Lay one stroke on the coverage ``out`` (float32, ``frame.shape``), in place; other pixels are not touched."""
    points = np.array(stroke.points, np.float64)
    pressed = points[:, 2].copy()
    points[:, 2] = 1.0 if stroke.pressure != "size" else np.maximum(pressed, 0.02)
    weight = pressed if stroke.pressure == "flow" else np.ones(len(points))
    reach = stroke.size / 2 * frame.unit + 2
    x0 = max(0, int(np.floor(points[:, 0].min() * frame.unit - reach)) - frame.x)
    y0 = max(0, int(np.floor(points[:, 1].min() * frame.unit - reach)) - frame.y)
    x1 = min(frame.w, int(np.ceil(points[:, 0].max() * frame.unit + reach)) - frame.x)
    y1 = min(frame.h, int(np.ceil(points[:, 1].max() * frame.unit + reach)) - frame.y)
    if x0 >= x1 or y0 >= y1:
        return
    tip = np.zeros((y1 - y0, x1 - x0), np.float32)
    laid = np.zeros_like(tip)
    _stamp(
        tip, laid, points, weight, float(frame.unit), float(frame.x + x0), float(frame.y + y0),
        stroke.size / 2, stroke.softness, STEP * stroke.size,
    )  # fmt: skip
    # What one straight pass of this tip lays along its middle counts as one pass.
    one_pass = mean_profile(stroke.softness)
    passes = np.maximum(laid / np.maximum(tip * one_pass, 1e-6), 1)
    built = np.float32(stroke.ceiling) * tip * (1 - np.power(np.float32(1 - stroke.flow), passes))
    part = out[y0:y1, x0:x1]
    if stroke.erase:
        part *= 1 - built
    else:
        part += built * (1 - part)


def mean_profile(softness: float) -> float:
    """The tip's profile averaged along its diameter, 0.5…1: the smoothstep edge counts half."""
    return 1 - softness / 2


@numba.njit(nogil=True, cache=True, fastmath=True)
def _stamp(tip, laid, points, weight, unit, left, top, radius, softness, step):  # type: ignore[no-untyped-def]
    """Stamp the polyline's pieces: the greatest profile into ``tip``, profile × length ÷ diameter into ``laid``."""
    height, width = tip.shape
    count = points.shape[0]
    for k in range(max(1, count - 1)):
        last = min(k + 1, count - 1)
        ax, ay, bx, by = points[k, 0], points[k, 1], points[last, 0], points[last, 1]
        length = np.hypot(bx - ax, by - ay)
        pieces = max(1, int(np.ceil(length / step)))
        for j in range(pieces):
            s, e, m = j / pieces, (j + 1) / pieces, (j + 0.5) / pieces
            r = radius * (points[k, 2] + (points[last, 2] - points[k, 2]) * m) * unit
            strength = weight[k] + (weight[last] - weight[k]) * m
            x0 = (ax + (bx - ax) * s) * unit - left - 0.5
            y0 = (ay + (by - ay) * s) * unit - top - 0.5
            dx, dy = (bx - ax) * (e - s) * unit, (by - ay) * (e - s) * unit
            square = dx * dx + dy * dy
            share = length / pieces * unit / (2 * r)
            # The edge is never harder than one pixel.
            soft = max(softness * r, 1.0)
            outer = max(r, 0.5) + (0.5 if soft == 1.0 else 0.0)
            inner = outer - soft
            for y in range(
                max(0, int(np.floor(min(y0, y0 + dy) - outer))), min(height, int(np.ceil(max(y0, y0 + dy) + outer)) + 1)
            ):
                for x in range(
                    max(0, int(np.floor(min(x0, x0 + dx) - outer))),
                    min(width, int(np.ceil(max(x0, x0 + dx) + outer)) + 1),
                ):
                    px, py = x - x0, y - y0
                    t = 0.0
                    if square > 0:
                        t = min(1.0, max(0.0, (px * dx + py * dy) / square))
                    d = np.hypot(px - t * dx, py - t * dy)
                    if d >= outer:
                        continue
                    p = 1.0
                    if d > inner:
                        f = (outer - d) / soft
                        p = f * f * (3 - 2 * f)
                    p *= strength
                    tip[y, x] = max(tip[y, x], p)
                    laid[y, x] += p * share
