"""A curve through points: lightness from dark to bright, redrawn."""

from itertools import pairwise
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, field_validator
from scipy.interpolate import PchipInterpolator

from retouch.colour.oklab import from_oklab, to_oklab
from retouch.touches.base import Heading, Pick, Point, ReadyTouch
from retouch.types import Encoded, Floats, Lab

STRAIGHT = [(0.0, 0.0), (1.0, 1.0)]
MOST_CHROMA_GAIN = 4.0
CHANNELS = ("red", "green", "blue")
SNAP = 0.04
"""From how near a point is taken instead of making one."""

Level = Annotated[float, Field(ge=0, le=1)]


class Curve(Point):
    """Lightness, or one channel, through a monotone spline; lightness keeps hue and the ratio of colour to light."""

    kind: ClassVar[str] = "curve"
    title: ClassVar[str] = "Curve"
    stage: ClassVar[Heading] = "light"
    sentence: ClassVar[str] = "Redraw the tones of {where}: {points}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch(
            "Give contrast", ("contrast", "flat", "punch"), {"points": [(0, 0), (0.3, 0.26), (0.7, 0.74), (1, 1)]}
        ),
        ReadyTouch(
            "Lift the shadows", ("shadow", "open", "deep"), {"points": [(0, 0), (0.25, 0.31), (0.6, 0.61), (1, 1)]}
        ),
        ReadyTouch(
            "Hold back the highlights", ("highlights", "bright", "hot"), {"points": [(0, 0), (0.6, 0.6), (1, 0.95)]}
        ),
        ReadyTouch("Draw a curve", ("curve", "tones", "lightness"), {"points": STRAIGHT}),
    )

    picks: ClassVar[tuple[Pick, ...]] = (Pick("point", "drag a tone in the picture", drag=True),)

    channel: Literal["lightness", "red", "green", "blue"] = Field(
        "lightness", title="of", json_schema_extra={"control": "choice"}
    )
    points: list[tuple[Level, Level]] = Field(
        default_factory=lambda: list(STRAIGHT),
        min_length=2,
        max_length=24,
        title="curve",
        description="before and after, 0…1: OKLab lightness, or the encoded channel",
        json_schema_extra={"control": "curve"},
    )

    @field_validator("points")
    @classmethod
    def _in_order(cls, points: list[tuple[float, float]]) -> list[tuple[float, float]]:
        points = sorted(points)
        if any(b[0] - a[0] < 0.002 for a, b in pairwise(points)):
            raise ValueError("two points of the curve stand on the same tone")
        if any(b[1] < a[1] for a, b in pairwise(points)):
            raise ValueError("the curve may not fall: a brighter tone would turn darker than a darker one")
        return points

    @property
    def neutral(self) -> bool:
        """Whether every point lies on the diagonal and both ends are held."""
        return all(x == y for x, y in self.points) and self.points[0][0] == 0 and self.points[-1][0] == 1

    def spline(self, lightness: Floats) -> Floats:
        """The curve at ``lightness`` (any shape): level beyond its first point, slope 1 beyond white.

        Source: F. N. Fritsch, J. Butland, "A method for constructing local monotone piecewise cubic interpolants",
        SIAM J. Sci. Stat. Comput. 5 (1984), as scipy's PCHIP.
        """
        x, y = np.array(self.points).T
        inside = PchipInterpolator(x, y)(np.clip(lightness, x[0], x[-1]))
        # Headroom above white keeps its steps, so that nothing clips inside the sheet; below black stays below.
        return np.asarray(inside + np.maximum(lightness - 1, 0) + np.minimum(lightness, 0))

    def rule(self, colours: Encoded) -> Encoded:
        """Encoded working colours ``(..., 3)``: one channel, or lightness L, replaced by the curve's.

        With L, a and b are scaled by L'/L, which scales linear light as exposure does: neutrals stay neutral, hue and
        saturation stand still. The gain is held to 4 so that lifted black does not turn its noise into colour.
        """
        if self.channel != "lightness":
            index = CHANNELS.index(self.channel)
            out = np.array(colours, np.float64)
            out[..., index] = self.spline(out[..., index])
            return Encoded(out)
        lab = to_oklab(colours)
        before = lab[..., :1]
        after = self.spline(before)
        gain = np.clip(after / np.maximum(before, 1e-6), 0, MOST_CHROMA_GAIN)
        return from_oklab(Lab(np.concatenate([after, lab[..., 1:] * gain], axis=-1)))

    def tone(self, colour: Floats) -> float:
        """Where a colour (3,) stands on the curve's axis, 0…1."""
        value = (
            to_oklab(Encoded(np.asarray(colour)))[0]
            if self.channel == "lightness"
            else colour[CHANNELS.index(self.channel)]
        )
        return float(np.clip(value, 0, 1))

    def pulled(self, name: str, colour: Encoded, by: float) -> tuple[Self, str]:
        """The point at the colour's tone, made if there is none near, moved up by ``by`` as far as the curve may go."""
        at = round(self.tone(colour), 4)
        points = list(self.points)
        inner = [p for p in points if abs(p[0] - at) < SNAP]
        if inner:
            point = min(inner, key=lambda p: abs(p[0] - at))
            points.remove(point)
            at = point[0]
        elif len(points) >= 24:
            return self, "no room for another point"
        else:
            point = (at, float(self.spline(np.array(at))))
        below = max((y for x, y in points if x < at), default=0.0)
        above = min((y for x, y in points if x > at), default=1.0)
        value = round(float(np.clip(point[1] + by, below, above)), 4)
        out = self.model_copy(update={"points": sorted([*points, (at, value)])})
        return out, f"{100 * at:.0f} → {100 * value:.0f}"
