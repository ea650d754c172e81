"""Sharpening: lightness by a radius, but neither grain nor smooth skin, and no further than a limit."""

from typing import Any, ClassVar

import cv2
import numpy as np
from pydantic import Field

from retouch.bands import at_once, in_bands
from retouch.colour.spaces import WORKING, to_xyz
from retouch.kernels import kernel
from retouch.touches.base import Heading, Near, ReadyPlace, ReadyTouch, found_part
from retouch.types import Encoded, Floats

WEIGHTS = to_xyz(WORKING)[1].astype(np.float32)
"""Of encoded channels in the luma that is sharpened: those of luminance."""
FAR = 3.0
"""Radii beyond which the window's weight is as good as nothing."""
LEAST = 0.3
"""Pixels: a smaller radius is sharpened as the smallest one that changes a pixel, as far as it is seen."""


class Sharpen(Near):
    """Luma less its average over a radius, added to all channels, where the picture has structure of its own."""

    kind: ClassVar[str] = "sharpen"
    title: ClassVar[str] = "Sharpening"
    stage: ClassVar[Heading] = "finish"
    sentence: ClassVar[str] = "Sharpen {where} by {amount}, radius {radius}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Sharpen eyes, brows, lips and hair", ("sharpen", "sharp", "crisp", "eyes", "lips", "hair"),
              {"amount": 0.6}, place=ReadyPlace("eyes, brows, lips and hair", (
                  found_part("irises"), *(found_part(n, spare=True) for n in ("eye-whites", "brows", "lips", "hair"))),
                  0.002)),
        ReadyTouch("Sharpen all but the skin", ("sharpen", "sharp", "clothes", "hair", "finish"), {"amount": 0.6},
              place=ReadyPlace("all but the skin", ({"source": "whole"}, found_part("skin", "take")), 0.003)),
        ReadyTouch("Sharpen the whole for its use", ("sharpen", "web", "print", "output", "use"), {"amount": 0.7}),
    )  # fmt: skip

    amount: float = Field(0.0, ge=0, le=3, title="amount",
                          json_schema_extra={"unit": "%", "step": 1, "scale": 100, "soft": 1.5})  # fmt: skip
    radius: float = Field(
        0.0004, ge=0.0001, le=0.005, title="radius", description="standard deviation, in long sides",
        json_schema_extra={"unit": "‰", "step": 0.02, "scale": 1000, "soft": 0.002, "length": "pixel"},
    )  # fmt: skip
    threshold: float = Field(
        0.03, ge=0, le=0.2, title="grain spared", description="local deviation of luma that is left alone",
        json_schema_extra={"unit": "%", "step": 0.1, "scale": 100, "soft": 0.08},
    )  # fmt: skip
    limit: float = Field(
        0.02, ge=0, le=0.3, title="overshoot", description="luma beyond what is about a pixel",
        json_schema_extra={"unit": "%", "step": 0.1, "scale": 100, "soft": 0.1},
    )  # fmt: skip

    @property
    def neutral(self) -> bool:
        """No amount, no change."""
        return self.amount == 0

    @property
    def finest(self) -> float | None:
        """The radius."""
        return self.radius

    @property
    def reach(self) -> float:
        """See :class:`Near`."""
        return FAR * self.radius

    def changed(self, around: Encoded, unit: int) -> Encoded:
        """``v + amount · a² · (luma − average)``, a = s² / (s² + threshold²) by the local deviation s.

        The new luma stays within the least and the greatest about the pixel, widened by ``limit``. Below a radius of
        LEAST pixels there is nothing between pixels to sharpen: no change.
        """
        sigma = self.radius * unit
        if sigma < LEAST:
            return around
        luma = np.empty(around.shape[:2], np.float32)
        in_bands(lambda rows: _luma(around[rows], luma[rows], WEIGHTS), around.shape[0])
        reach = max(1, int(FAR * sigma))
        window = (2 * reach + 1, 2 * reach + 1)

        def mean(values: Floats) -> Floats:
            return np.asarray(cv2.GaussianBlur(values, window, sigma, borderType=cv2.BORDER_REPLICATE))

        about = np.ones((2 * max(1, round(sigma)) + 1,) * 2, np.uint8)
        middle, squares, low, high = at_once(
            lambda: mean(luma),
            lambda: mean(luma * luma),
            lambda: np.asarray(cv2.erode(luma, about, borderType=cv2.BORDER_REPLICATE)),
            lambda: np.asarray(cv2.dilate(luma, about, borderType=cv2.BORDER_REPLICATE)),
        )
        varies = np.maximum(squares - middle * middle, 0)
        out = np.empty_like(around)
        settings = np.array([self.amount, self.threshold**2, self.limit], np.float32)

        def work(rows: slice) -> None:
            _sharpen(around[rows], luma[rows], middle[rows], varies[rows], low[rows], high[rows], settings, out[rows])

        in_bands(work, around.shape[0])
        return Encoded(out)


def for_use(pixels: int, medium: str) -> tuple[float, float]:
    """Radius (long sides) and amount for a picture of which ``pixels`` of the long side are seen apart at last.

    The radius is half of what is seen; paper takes more than a screen, because ink spreads. KeyError for an unknown
    medium.
    """
    amounts = {"screen": 0.5, "glossy paper": 0.8, "matt paper": 1.1}
    return float(np.clip(0.5 / pixels, 0.0001, 0.005)), amounts[medium]


@kernel(fastmath=True)
def _luma(picture: Any, out: Any, weights: Any):  # type: ignore[no-untyped-def]
    r, g, b = weights[0], weights[1], weights[2]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            out[y, x] = r * picture[y, x, 0] + g * picture[y, x, 1] + b * picture[y, x, 2]


@kernel(fastmath=True)
def _sharpen(picture, luma, middle, varies, low, high, settings, out):  # type: ignore[no-untyped-def]
    amount, threshold, limit = settings[0], settings[1], settings[2]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            v, s = luma[y, x], varies[y, x]
            share = s / (s + threshold + np.float32(1e-9))
            wanted = v + amount * share * share * (v - middle[y, x])
            d = min(max(wanted, low[y, x] - limit), high[y, x] + limit) - v
            for c in range(3):
                out[y, x, c] = picture[y, x, c] + d
