"""Lips and teeth: see :mod:`retouch.faces.outlines`."""

import cv2
import numpy as np

from retouch.faces import mesh
from retouch.faces import mouth_parts as parts
from retouch.faces.outlines import LEVEL, grown, loop
from retouch.faces.upright import back, moved
from retouch.segment.cut import cut8
from retouch.types import Floats

SHARPER = 1.6
"""How much steeper the rim of a part is than the likelihood of it."""


def mouth(lab: Floats, points: Floats) -> tuple[Floats, Floats]:
    """Coverage of lips and of teeth (h × w each, 0…1); a closed mouth shows none.

    ``lab`` is OKLab (h × w × 3), ``points`` the mesh in its pixels (478 × 2). What each pixel is, is told by
    boosted trees (:mod:`retouch.faces.mouth_parts`) from what rules say of it, among else.
    """
    way = parts.upright(points)
    there, own = parts.MAP.onto(lab, way), moved(points, way)
    guess = guessed(there, own)
    seen = parts.measured(there, own, *guess)
    likely = parts.trees().likely(seen.reshape(-1, seen.shape[-1])).reshape(*seen.shape[:2], -1)
    likely = np.asarray(cv2.GaussianBlur(likely, (0, 0), 1.0), np.float32)
    lips, teeth = (
        np.clip((back(np.ascontiguousarray(likely[..., part]), way, lab.shape[:2]) - 0.5) * SHARPER + 0.5, 0, 1)
        for part in (parts.LIPS, parts.TEETH)
    )
    return lips, teeth if guess[1].any() else np.zeros_like(lips)


def guessed(lab: Floats, points: Floats) -> tuple[Floats, Floats]:
    """Coverage of lips and of teeth (h × w each, 0…1) by rules; ``lab`` and ``points`` as in :func:`mouth`."""
    shape = lab.shape[:2]
    outer, inner = loop(points, mesh.LIPS, shape), loop(points, mesh.MOUTH, shape)
    lips = _lips(lab, points, outer, inner)
    if mesh.mouth_openness(points) <= mesh.OPEN_MOUTH or not (inner > 0.8).any():
        return lips, np.zeros(shape, np.float32)
    lips = lips * (1 - inner)
    lip = lab[lips > 0.8]
    if not len(lip):
        return lips, np.zeros(shape, np.float32)
    # Teeth: lighter than the mouth's dark, less red than lips and tongue.
    inside = lab[inner > 0.8]
    bright, dark = np.percentile(inside[:, 0], 92), np.percentile(inside[:, 0], 5)
    light = np.clip((lab[..., 0] - (dark + 0.3 * (bright - dark))) / (0.15 * (bright - dark) + 1e-3) + 0.5, 0, 1)
    lip_hue = float(np.median(lip[:, 1] / (lip[:, 0] + LEVEL)))
    redness = lab[..., 1] / (lab[..., 0] + LEVEL)
    tooth_hue = float(np.percentile(inside[:, 1] / (inside[:, 0] + LEVEL), 10))
    calm = np.clip(((0.4 * lip_hue + 0.6 * tooth_hue) - redness) / 0.01 + 0.5, 0, 1)
    teeth = inner * light * calm
    return lips, np.asarray(teeth, np.float32) if bright - dark > 0.08 else np.zeros(shape, np.float32)


def _lips(lab: Floats, points: Floats, outer: Floats, inner: Floats) -> Floats:
    """The mesh's outline, its edge decided by hue within a band: lips and skin differ in it under any light."""
    width = float(np.hypot(*(points[61] - points[291])))
    band = 0.09 * width
    core = grown(outer > 0.5, -0.45 * band)
    if not core.any():
        return outer
    calm = cv2.GaussianBlur(lab, (0, 0), max(0.6, 0.012 * width))
    hues = _hues(np.asarray(calm, np.float32))
    labels = np.where(outer > 0.5, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[core], labels[~grown(outer > 0.5, band)] = cv2.GC_FGD, cv2.GC_BGD
    middle = np.median(hues[core], axis=0)
    features = (hues - middle) * np.array([900, 900, 250]) + 128
    there = cut8(np.clip(features, 0, 255).astype(np.uint8), labels, 3)
    return np.asarray(cv2.GaussianBlur(there.astype(np.float32), (0, 0), max(0.5, 0.008 * width)), np.float32)


def _hues(lab: Floats) -> Floats:
    """Chroma by lightness, and lightness less weighted: what a skin's shading leaves nearly as it is (h × w × 3)."""
    level = lab[..., 0] + LEVEL
    return np.stack([lab[..., 1] / level, lab[..., 2] / level, 0.12 * np.log(level)], axis=-1)
