"""What lips, teeth and the inside of a mouth are told apart by: numbers at each pixel, relative to this mouth.

Every mouth lies on a small map of its own: colours are measured against the skin about it and its own lips, places in
its widths, against the mesh's outlines and what rules say of lips and teeth (:mod:`retouch.faces.mouth`). The classes
were taught on made-up sitters by ``demo/teach_mouth.py``.
"""

from functools import cache
from pathlib import Path

import cv2
import numpy as np

from retouch.faces import mesh
from retouch.faces.outlines import distance, grown, loop
from retouch.faces.upright import Upright, hues, shifted, usual
from retouch.segment.trees import Trees
from retouch.types import Floats

MODEL = Path(__file__).with_name("mouth_parts.npz")
OTHER, LIPS, TEETH, INSIDE = range(4)
"""Places of these among the classes of the model; other is skin and what lies before the mouth."""
CORNERS = (61, 291)
"""Of the mouth, in the mesh: left and right on the picture."""
MAP = Upright(64, 96, 72)


@cache
def trees() -> Trees:
    """The model, read once in a process."""
    return Trees.load(MODEL)


def upright(points: Floats) -> Floats:
    """The affine map (2 × 3) from the mesh's pixels onto the mouth's own map."""
    return MAP.way(points, *CORNERS)


def measured(lab: Floats, points: Floats, lips: Floats, teeth: Floats) -> Floats:
    """Features (h × w × f) on the mouth's own map.

    ``lab`` (OKLab, h × w × 3), ``points`` (the whole mesh, 478 × 2) and what rules say of ``lips`` and ``teeth``
    (coverages, h × w) are on that map.
    """
    shape = lab.shape[:2]
    wide = float(MAP.wide)
    outer, inner = loop(points, mesh.LIPS, shape) > 0.5, loop(points, mesh.MOUTH, shape) > 0.5
    ring = grown(outer, 0.3 * wide) & ~grown(outer, 0.1 * wide)
    core = grown(outer, -0.03 * wide) & ~grown(inner, 0.02 * wide)
    y, x = np.mgrid[: shape[0], : shape[1]] + 0.5

    fine, calm, broad = (hues(lab, sigma) for sigma in (0.7, 1.6, 4.0))
    skin, lip = usual(calm, ring), usual(calm, core)
    spread = calm[ring].std(0) if ring.any() else np.ones(3)
    own, light = usual(calm, lips > 0.7), calm[..., 0]
    layers: list[Floats] = []
    for values in (fine - skin, broad - skin, fine - lip, fine - own):
        layers += [values[..., i] for i in range(3)]
    # How far towards the lips' colour from the skin's, and how far from that line.
    line = (lip - skin)[1:]
    along = (calm - skin)[..., 1:] @ line / max(float(line @ line), 1e-6)
    layers += [along, np.linalg.norm((calm - skin)[..., 1:] - along[..., None] * line, axis=-1)]
    layers += [np.linalg.norm((calm - skin) / np.maximum(spread, 0.01), axis=-1)]
    layers += [(x - shape[1] / 2) / wide, np.abs(x - shape[1] / 2) / wide, (y - shape[0] / 2) / wide]
    layers += [distance(outer) / wide, distance(inner) / wide, distance(lips > 0.5) / wide, lips, teeth]
    upper, lower = points[0], points[17]
    layers += [(y - upper[1]) / wide, (y - lower[1]) / wide, (y - points[13][1]) / wide, (y - points[14][1]) / wide]
    for step in (3, 6, 10, 16):
        for dx, dy in ((0, -step), (0, step), (-step, 0), (step, 0)):
            there = shifted(calm, dx, dy)
            layers += [there[..., 0] - light]
            if dx == 0:
                layers += [there[..., 1] - calm[..., 1]]
    layers += [np.asarray(cv2.Sobel(light, cv2.CV_32F, *d, ksize=3), np.float32) for d in ((1, 0), (0, 1))]
    layers += [np.sqrt(np.maximum(cv2.GaussianBlur((fine[..., 0] - light) ** 2, (0, 0), 2), 0))]
    _, length = mesh.upright(points)
    nose = points[mesh.NOSE[0]]
    told = [
        mesh.mouth_openness(points), wide / max(length, 1e-6), abs(nose[0] - shape[1] / 2) / wide,
        float(np.ptp(points[list(mesh.LIPS), 1])) / wide, *(lip - skin), *(own - skin), *spread,
    ]  # fmt: skip
    layers += [np.full(shape, value) for value in told]
    return np.nan_to_num(np.stack([np.asarray(v, np.float32) for v in layers], axis=-1))
