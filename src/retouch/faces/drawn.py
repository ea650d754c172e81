"""Parts of a face that are drawn from its landmarks alone, whenever they are wanted."""

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from retouch.faces.outlines import filled, smooth
from retouch.frame import Frame, resample
from retouch.types import Coverage, Floats

UNIT = 1000
"""Pixels on the long side of the picture on which they are drawn."""
CHIN, TOP = 152, 10
"""The mesh's landmarks at the chin and at the top of the forehead."""
LIDS = (
    (130, 25, 110, 24, 23, 22, 26, 112, 243),
    (359, 255, 339, 254, 253, 252, 256, 341, 463),
)
"""Below the lower lashes of the sitter's right and left eye, from the outer corner to the inner one."""
BAGS = (
    (143, 111, 117, 118, 119, 120, 121, 128, 245),
    (372, 340, 346, 347, 348, 349, 350, 357, 465),
)
"""Where the shadow below that eye ends, in the same order."""
DOWN = 0.8
"""How far of the way to BAGS the part reaches."""
SOFT = 0.008
"""Standard deviation of its rim, in heights of the face."""


def height(landmarks: Sequence[tuple[float, float]]) -> float:
    """From the chin to the top of the forehead, in long sides."""
    (x0, y0), (x1, y1) = landmarks[CHIN], landmarks[TOP]
    return float(np.hypot(x1 - x0, y1 - y0))


def under_eyes(landmarks: Sequence[tuple[float, float]], shape: tuple[int, int]) -> Floats:
    """The skin between lower lashes and cheek under both eyes, on a picture of UNIT pixels."""
    points = np.array(landmarks, np.float64) * max(shape)
    out = np.zeros(shape, np.float32)
    for lid, bag in zip(LIDS, BAGS, strict=True):
        upper, lower = points[list(lid)], points[list(bag)]
        # Only between the corners of the eye: beyond them lie crow's feet and the nose.
        line = np.vstack([upper[1:-1], (upper + DOWN * (lower - upper))[1:-1][::-1]])
        out = np.maximum(out, filled(smooth(line), shape))
    return np.asarray(cv2.GaussianBlur(out, (0, 0), max(0.5, SOFT * height(landmarks) * max(shape))))


DRAWN: dict[str, Callable[[Sequence[tuple[float, float]], tuple[int, int]], Floats]] = {"under-eyes": under_eyes}
"""Each by the name of its part."""


def drawn(name: str, landmarks: Sequence[tuple[float, float]], frame: Frame) -> Coverage:
    """One of DRAWN on ``frame``, 0…1."""
    scale = UNIT / frame.unit
    shape = (max(1, round(frame.height * scale)), max(1, round(frame.width * scale)))
    whole = DRAWN[name](landmarks, shape)
    return Coverage(resample(whole, Frame.whole(shape[1], shape[0]), frame))
