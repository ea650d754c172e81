"""White balance: warmer or cooler, greener or more magenta, as a change of the light's own colour."""

from functools import cache
from typing import ClassVar, Self

import numpy as np
from pydantic import Field
from scipy.optimize import least_squares

from retouch.colour.encoding import decode, encode
from retouch.colour.spaces import D65, WORKING, to_xyz, white_xyz
from retouch.touches.base import Heading, Pick, Point, ReadyTouch
from retouch.types import Encoded, Floats

CAT16 = np.array([[0.401288, 0.650173, -0.051461], [-0.250268, 1.204414, 0.045854], [-0.002079, 0.048952, 0.953127]])
"""XYZ to cone-like channels. Source: C. Li et al., "Comprehensive color solutions: CAM16, CAT16, and CAM16-UCS",
Color Research & Application 42 (2017)."""
MIRED = 1e6 / 6504
WARMEST, GREENEST = 200.0, 60.0


def planckian(mired: float) -> tuple[float, float]:
    """CIE 1960 (u, v) of a black body at ``mired`` (67…1000).

    Source: M. Krystek, "An algorithm to calculate correlated colour temperature", Color Res. Appl. 10 (1985).
    """
    t = 1e6 / mired
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)
    return u, v


def _uv(xy: tuple[float, float]) -> Floats:
    x, y = xy
    return np.array([4 * x, 6 * y]) / (-2 * x + 12 * y + 3)


def _xy(uv: Floats) -> tuple[float, float]:
    u, v = uv
    below = 2 * u - 8 * v + 4
    return float(3 * u / below), float(2 * v / below)


@cache
def gains(warmth: float, tint: float) -> Floats:
    """What the three CAT16 channels are multiplied by (3,): the white at this warmth and tint over D65's.

    ``warmth`` in mired from D65's 153.8 along the black-body line, ``tint`` in thousandths of CIE 1960 uv across it,
    towards magenta. A negative warmth or tint divides by what its positive multiplies with, so each undoes the other.
    """
    base = _uv(D65)
    line = np.array(planckian(MIRED + 1)) - np.array(planckian(MIRED - 1))
    across = np.array([line[1], -line[0]]) / np.hypot(*line)
    across = across if across[1] < 0 else -across
    along = np.array(planckian(MIRED + abs(warmth))) - np.array(planckian(MIRED))
    out = np.ones(3)
    for value, shift in ((warmth, along), (tint, abs(tint) * 1e-3 * across)):
        gain = (CAT16 @ white_xyz(_xy(base + shift))) / (CAT16 @ white_xyz(D65))
        out *= gain if value >= 0 else 1 / gain
    return out


class WhiteBalance(Point):
    """The picture as if the light had been warmer or cooler, greener or more magenta."""

    kind: ClassVar[str] = "white-balance"
    title: ClassVar[str] = "White balance"
    stage: ClassVar[Heading] = "balance"
    sentence: ClassVar[str] = "{warmth:Warm|Cool} {where} by {warmth}, tint {tint}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Warm", ("warmer", "blue", "cold", "cool cast", "temperature", "pale skin"), {"warmth": 12}),
        ReadyTouch("Cool", ("cooler", "yellow", "orange", "warm cast", "lamps", "temperature"), {"warmth": -12}),
        ReadyTouch("Take green out", ("green", "tint", "magenta", "fluorescent"), {"tint": 6}),
        ReadyTouch("Balance to a neutral", ("white balance", "grey", "cast", "neutral"), {}),
    )
    picks: ClassVar[tuple[Pick, ...]] = (Pick("neutral", "pick something neutral"),)

    warmth: float = Field(
        0.0, ge=-WARMEST, le=WARMEST, title="warmth", description="negative is cooler",
        json_schema_extra={"unit": "mired", "step": 1, "soft": 80},
    )  # fmt: skip
    tint: float = Field(
        0.0, ge=-GREENEST, le=GREENEST, title="tint", description="negative is greener, positive more magenta",
        json_schema_extra={"unit": "", "step": 0.5, "soft": 30},
    )  # fmt: skip

    @property
    def matrix(self) -> Floats:
        """The 3×3 matrix in linear working light: a von Kries adaptation in CAT16's channels; white keeps its Y."""
        to_cones = CAT16 @ to_xyz(WORKING)
        return np.linalg.inv(to_cones) @ (gains(self.warmth, self.tint)[:, None] * to_cones)

    def rule(self, colours: Encoded) -> Encoded:
        """Encoded working colours ``(..., 3)`` under the changed light; see :func:`gains`."""
        return Encoded(encode(decode(colours) @ self.matrix.T))

    def picked(self, name: str, colour: Encoded, entry: int = 0) -> Self:
        """The warmth and tint under which ``colour`` turns grey, as near as the limits allow."""
        return self.between(colour, Encoded(np.ones(3)))

    @classmethod
    def between(cls, colour: Encoded, like: Encoded) -> Self:
        """The warmth and tint under which ``colour`` gets the hue of ``like``, as near as the limits allow.

        Both are encoded working colours (3,); how bright they are does not count.
        """
        here, there = (
            CAT16 @ to_xyz(WORKING) @ decode(np.maximum(np.asarray(c, np.float64), 1e-4)) for c in (colour, like)
        )
        wanted = np.log(there / here)

        def off(at: Floats) -> Floats:
            # Brightness is free: only the ratios of the channels count.
            rest = np.log(gains(float(at[0]), float(at[1]))) - wanted
            return np.asarray(rest - rest.mean())

        bounds = ([-WARMEST, -GREENEST], [WARMEST, GREENEST])
        found = least_squares(off, [0.0, 0.0], bounds=bounds, diff_step=1e-3, x_scale=[50, 15]).x
        return cls(warmth=round(float(found[0]), 1), tint=round(float(found[1]), 1))
