"""Lightness of a picture, and ramps over it: what holds a touch or an area to some tones."""

import cv2
import numpy as np

from retouch.bands import in_bands
from retouch.colour.encoding import decode
from retouch.colour.oklab import LMS_TO_LAB, RGB_TO_LMS
from retouch.types import Encoded, Floats, Lab, Linear

_CURVE = decode(np.linspace(0, 1, 65536, dtype=np.float64)).astype(np.float32)


def linear(picture: Encoded) -> Linear:
    """Linear light of encoded working colours (float32, … × 3), clipped to 0…1."""
    if picture.ndim < 3:
        return Linear(_linear(picture))
    out = np.empty(picture.shape, np.float32)

    def work(rows: slice) -> None:
        out[rows] = _linear(picture[rows])

    in_bands(work, picture.shape[0])
    return Linear(out)


def _linear(picture: Floats) -> Floats:
    return np.asarray(_CURVE[(np.clip(picture, 0, 1) * 65535 + 0.5).astype(np.uint16)])


def clipped_oklab(picture: Encoded) -> Lab:
    """OKLab, float32 h × w × 3, of encoded working colours (float32, h × w × 3), light clipped to 0…1."""
    lms = cv2.transform(linear(picture), RGB_TO_LMS.astype(np.float32))
    return Lab(np.asarray(cv2.transform(np.cbrt(np.maximum(lms, 0)), LMS_TO_LAB.astype(np.float32)), np.float32))


def lightness(picture: Encoded) -> Floats:
    """OKLab lightness 0…1 of encoded working colours (float32, height × width × 3), light clipped to 0…1."""
    out = np.empty(picture.shape[:2], np.float32)

    def work(rows: slice) -> None:
        lms = cv2.transform(_linear(picture[rows]), RGB_TO_LMS.astype(np.float32))
        out[rows] = cv2.transform(np.cbrt(np.maximum(lms, 0)), LMS_TO_LAB[:1].astype(np.float32))

    in_bands(work, picture.shape[0])
    return out


def ramp(values: Floats, points: tuple[float, float, float, float]) -> Floats:
    """The four-number ramp at ``values``: 0, rising from the first to the second, 1, falling from third to fourth.

    A ramp that starts at 0 includes black, one that ends at 1 includes white; equal numbers make a sharp end.
    """
    a, b, c, d = points
    low = np.clip((values - a) / max(b - a, 1e-6), 0, 1) if b > 0 else np.ones_like(values)
    high = np.clip((d - values) / max(d - c, 1e-6), 0, 1) if c < 1 else np.ones_like(values)
    return np.minimum(low, high).astype(np.float32)
