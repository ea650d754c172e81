"""The brows: see :mod:`retouch.faces.outlines`."""

import cv2
import numpy as np

from retouch.faces import mesh
from retouch.faces.outlines import LEVEL, grown, loop
from retouch.types import Floats


def brows(lab: Floats, points: Floats) -> Floats:
    """The brows: what is darker than the skin round it, in and a little over the mesh's outline.

    The skin that a brow hides is the light that a closing by a disc wider than the brow leaves (J. Serra, 1982).
    """
    shape = lab.shape[:2]
    up, length = mesh.upright(points)
    out = np.zeros(shape, np.float32)
    side = 2 * round(0.03 * length) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    calm = cv2.GaussianBlur(lab[..., 0], (0, 0), max(0.4, 0.004 * length))
    # What is smooth afterwards needs but half the pixels.
    few = cv2.resize(calm, (max(1, shape[1] // 2), max(1, shape[0] // 2)), interpolation=cv2.INTER_AREA)
    closed = cv2.resize(cv2.morphologyEx(few, cv2.MORPH_CLOSE, disc), shape[::-1], interpolation=cv2.INTER_LINEAR)
    skin = cv2.GaussianBlur(closed, (0, 0), 0.02 * length)
    darker = np.maximum(skin - calm, 0) / (skin + LEVEL)
    for numbers in mesh.BROWS:
        core = loop(points, numbers, shape) > 0.5
        higher = loop(points + 0.03 * length * up, numbers, shape) > 0.5
        wide = grown(core | higher, 0.02 * length)
        if not core.any():
            continue
        most = float(np.percentile(darker[core | higher], 90))
        if most < 0.04:
            continue
        covered = np.clip((darker / most - 0.3) / 0.2, 0, 1)
        fade = np.clip(cv2.GaussianBlur(wide.astype(np.float32), (0, 0), max(0.5, 0.006 * length)) * 2 - 0.5, 0, 1)
        out = np.maximum(out, covered * fade)
    return out.astype(np.float32)
