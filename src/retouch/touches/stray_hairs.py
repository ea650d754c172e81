"""Stray hairs: thin lines before a smooth backdrop become that backdrop, grain and all."""

from typing import ClassVar

import cv2
import numpy as np
from pydantic import Field

from retouch.touches.base import Heading, Near, ReadyPlace, ReadyTouch, found_part
from retouch.types import Encoded, Floats

LENGTH = 5
"""Length of a line, in widths: what is shorter is no hair."""
TURNS = 12
"""Directions in which lines are looked for."""
COUNTS, SURE = 0.5, 1.5
"""Distances from the backdrop, as shares of the threshold, at which a line begins to go and is gone."""
ROUND = 2.5
"""Widths of what is looked at for the backdrop beside a hair."""
GRAIN, APART = 0.25, 4
"""Widths by which the picture is softened, what is finer being grain; and from where beside a hair its grain comes."""
WIDE, DENSE = 6, (0.25, 0.45)
"""Widths on every side that are round about; and shares of backdrop there up to which nothing is changed, and from
which a hair goes whole."""
SMALLEST = 0.7
"""Pixels: a hair that is thinner there is not seen, and nothing is changed."""
REACH = 23
"""Widths that are read round about, all steps together."""
BESIDE = ReadyPlace("the backdrop", (found_part("backdrop"), found_part("face", "take")))


class StrayHairs(Near):
    """What is thin, long and unlike the backdrop on both its sides is filled from those, with grain from beside it."""

    kind: ClassVar[str] = "stray-hairs"
    title: ClassVar[str] = "Stray hairs"
    stage: ClassVar[Heading] = "clean"
    sentence: ClassVar[str] = "Calm the stray hairs before {where} by {amount}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Calm stray hairs before the backdrop", ("stray", "hair", "flyaway", "loose", "backdrop"),
              {"amount": 1.0}, place=BESIDE),
    )  # fmt: skip

    amount: float = Field(0.0, ge=0, le=1, title="how much", json_schema_extra={"unit": "%", "step": 1, "scale": 100})
    width: float = Field(
        0.0012, ge=0.0003, le=0.01, title="as thick as", description="in long sides",
        json_schema_extra={"unit": "‰", "step": 0.1, "scale": 1000, "soft": 0.005, "length": "pixel"},
    )  # fmt: skip
    threshold: float = Field(
        0.025, ge=0.002, le=0.3, title="apart by", description="step of the encoded picture from the backdrop",
        json_schema_extra={"unit": "%", "step": 0.1, "scale": 100, "soft": 0.1},
    )  # fmt: skip

    @property
    def neutral(self) -> bool:
        """No amount, no change."""
        return self.amount == 0

    @property
    def finest(self) -> float | None:
        """The width, as far as one is looked for."""
        return self.width / SMALLEST

    @property
    def reach(self) -> float:
        """See :class:`Near`."""
        return REACH * self.width

    def changed(self, around: Encoded, unit: int) -> Encoded:
        """``v + share · (backdrop + grain − v)``: the backdrop softly from beside the hair, its grain from farther on.

        A line is what a closing or an opening by a disc takes away, of which an opening by a straight piece leaves
        something in some direction (ridges by morphology: P. Soille, "Morphological Image Analysis", 2003, ch. 9).
        """
        width = self.width * unit
        if width < SMALLEST:
            return around
        soft = cv2.GaussianBlur(around, (0, 0), max(GRAIN * width, 0.4), borderType=cv2.BORDER_REPLICATE)
        disc = _disc(round(1.2 * width))
        apart = np.zeros(around.shape[:2], np.float32)
        for c in range(3):
            layer = np.ascontiguousarray(soft[..., c])
            for way, sign in ((cv2.MORPH_CLOSE, 1), (cv2.MORPH_OPEN, -1)):
                ridge = sign * (cv2.morphologyEx(layer, way, disc, borderType=cv2.BORDER_REPLICATE) - layer)
                np.maximum(apart, ridge, out=apart)
        long = _long(apart, max(3, round(LENGTH * width)))
        share = np.clip((long / np.float32(self.threshold) - COUNTS) / (SURE - COUNTS), 0, 1)
        share = cv2.dilate(share, _disc(round(width)))
        share = cv2.GaussianBlur(share, (0, 0), 0.4 * width)
        free = (1 - share)[..., None]
        sigma = ROUND * width
        known = cv2.GaussianBlur(free[..., 0], (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
        spread = cv2.GaussianBlur(soft * free, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
        beside = spread / np.maximum(known, np.float32(1e-3))[..., None]
        # Where little but lines is round about, it is the hair itself.
        about = 2 * round(WIDE * width) + 1
        alone = cv2.blur(free[..., 0], (about, about), borderType=cv2.BORDER_REPLICATE)
        share *= np.clip((alone - DENSE[0]) / (DENSE[1] - DENSE[0]), 0, 1)
        step = np.array([[1, 0, round(APART * width)], [0, 1, round(APART * width)]], np.float32)
        flags, mirrored = cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP, cv2.BORDER_REFLECT
        grain = cv2.warpAffine((around - soft) * free, step, around.shape[1::-1], flags=flags, borderMode=mirrored)
        return Encoded(around + share[..., None] * np.float32(self.amount) * (beside + grain - around))


def _disc(radius: int) -> np.ndarray:
    size = 2 * max(1, radius) + 1
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))


def _long(apart: Floats, length: int) -> Floats:
    """What is left of ridges by the straight piece of a length that leaves most, in any direction."""
    half = length // 2
    most = np.zeros_like(apart)
    for turn in range(TURNS):
        angle = np.pi * turn / TURNS
        piece = np.zeros((2 * half + 1, 2 * half + 1), np.uint8)
        by = round(half * np.cos(angle)), round(half * np.sin(angle))
        cv2.line(piece, (half - by[0], half - by[1]), (half + by[0], half + by[1]), 1)
        np.maximum(most, cv2.morphologyEx(apart, cv2.MORPH_OPEN, piece), out=most)
    return most
