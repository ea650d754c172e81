"""Where the picture is calm: what a stroke covers that spares fine structure such as lashes, brows, lips and hair."""

import cv2
import numpy as np

from retouch.areas.base import Sight
from retouch.frame import Frame, resample
from retouch.types import Floats

STRUCTURE_UNIT = 1000
"""Pixels on the long side of the map on which structure is looked for."""
WINDOW = 7
"""Pixels of that map over which lightness varies where there is structure."""
LEVEL = 0.1
LEAST, MOST = 0.025, 0.05
"""Between which variation of lightness, by lightness, structure begins; twice that of a calm quarter of the picture."""


def calm(frame: Frame, sight: Sight) -> Floats:
    """1 where the original is calm, 0 in fine structure, on ``frame`` (float32, not to be changed).

    The standard deviation of OKLab lightness over WINDOW, by lightness: skin and its grain vary by 1 … 2 %, lashes,
    brows and hair by 10 % and more (measured on the choir's labels).
    """

    def made() -> Floats:
        light = sight.lab(sight.scaled(STRUCTURE_UNIT))[..., 0]
        mean = cv2.blur(light, (WINDOW, WINDOW), borderType=cv2.BORDER_REFLECT)
        square = cv2.blur(light * light, (WINDOW, WINDOW), borderType=cv2.BORDER_REFLECT)
        varies = np.sqrt(np.maximum(square - mean * mean, 0)) / (mean + LEVEL)
        start = float(np.clip(2 * np.percentile(varies, 25), LEAST, MOST))
        t = np.clip(varies / start - 1, 0, 1)
        return np.asarray(1 - t * t * (3 - 2 * t), np.float32)

    return resample(sight.once("calm", made), sight.scaled(STRUCTURE_UNIT), frame)
