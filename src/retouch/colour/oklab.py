"""OKLab: the perceptual space of the rules.

Source: Björn Ottosson, "A perceptual color space for image processing" (2020), with the matrices of
CSS Color Module Level 4, section 19 (recomputed for the exact sRGB white).
"""

import numpy as np

from retouch.colour.encoding import decode, encode
from retouch.colour.spaces import WORKING, to_xyz
from retouch.types import Encoded, Lab

XYZ_TO_LMS = np.array(
    [
        [0.8190224379967030, 0.3619062600528904, -0.1288737815209879],
        [0.0329836539323885, 0.9292868615863434, 0.0361446663506424],
        [0.0481771893596242, 0.2642395317527308, 0.6335478284694309],
    ]
)
LMS_TO_LAB = np.array(
    [
        [0.2104542683093140, 0.7936177747023054, -0.0040720430116193],
        [1.9779985324311684, -2.4285922420485799, 0.4505937096174110],
        [0.0259040424655478, 0.7827717124575296, -0.8086757549230774],
    ]
)
RGB_TO_LMS = XYZ_TO_LMS @ to_xyz(WORKING)
LMS_TO_RGB = np.linalg.inv(RGB_TO_LMS)
LAB_TO_LMS = np.linalg.inv(LMS_TO_LAB)


def to_oklab(encoded: Encoded) -> Lab:
    """Encoded working colours ``(..., 3)`` to OKLab ``(..., 3)``: L 0…1 for black…white, a and b about ±0.4."""
    linear = decode(np.asarray(encoded, np.float64))
    return Lab(np.asarray(np.cbrt(linear @ RGB_TO_LMS.T) @ LMS_TO_LAB.T))


def from_oklab(lab: Lab) -> Encoded:
    """OKLab ``(..., 3)`` back to encoded working colours ``(..., 3)``, unclipped."""
    lms = np.asarray(lab, np.float64) @ LAB_TO_LMS.T
    return Encoded(encode((lms**3) @ LMS_TO_RGB.T))
