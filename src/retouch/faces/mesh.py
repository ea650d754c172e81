"""Which landmarks of the mesh outline what. Numbers of the face mesh's 478 points; *right* is the sitter's right."""

import numpy as np

from retouch.types import Floats

OVAL = (10, 338, 297, 332, 284, 251, 389, 356, 454, 323, 361, 288, 397, 365, 379, 378, 400, 377, 152, 148, 176, 149,
        150, 136, 172, 58, 132, 93, 234, 127, 162, 21, 54, 103, 67, 109)  # fmt: skip
LIPS = (61, 146, 91, 181, 84, 17, 314, 405, 321, 375, 291, 409, 270, 269, 267, 0, 37, 39, 40, 185)
MOUTH = (78, 95, 88, 178, 87, 14, 317, 402, 318, 324, 308, 415, 310, 311, 312, 13, 82, 81, 80, 191)
EYES = (
    (33, 7, 163, 144, 145, 153, 154, 155, 133, 173, 157, 158, 159, 160, 161, 246),
    (263, 249, 390, 373, 374, 380, 381, 382, 362, 398, 384, 385, 386, 387, 388, 466),
)
IRISES = ((468, 469, 470, 471, 472), (473, 474, 475, 476, 477))
"""The middle, then four points on the rim."""
BROWS = (
    (46, 53, 52, 65, 55, 107, 66, 105, 63, 70),
    (276, 283, 282, 295, 285, 336, 296, 334, 293, 300),
)
TOP, CHIN = 10, 152
NOSE = (4, 195)
CORNERS, LIDS = ((33, 133), (263, 362)), (((160, 144), (158, 153)), ((387, 373), (385, 380)))
CLOSED = 0.13
"""Height of an eye's opening to its width below which it is closed."""
OPEN_MOUTH = 0.06
"""Height of the inner mouth to its width above which something of its inside may show."""


def eye_openness(points: Floats, eye: int) -> float:
    """Height of an eye's opening (0: right, 1: left) to its width.

    T. Soukupová, J. Čech, "Real-time eye blink detection using facial landmarks" (2016).
    """
    heights = [np.hypot(*(points[a, :2] - points[b, :2])) for a, b in LIDS[eye]]
    a, b = CORNERS[eye]
    return float(np.mean(heights) / max(np.hypot(*(points[a, :2] - points[b, :2])), 1e-9))


def mouth_openness(points: Floats) -> float:
    """Height of the inner mouth to its width."""
    return float(
        np.hypot(*(points[13, :2] - points[14, :2])) / max(np.hypot(*(points[78, :2] - points[308, :2])), 1e-9)
    )


def upright(points: Floats) -> tuple[Floats, float]:
    """The direction from chin to forehead (a unit vector) and the length between the two."""
    up = points[TOP, :2] - points[CHIN, :2]
    length = float(np.hypot(*up))
    return up / max(length, 1e-9), length
