"""What white, iris and pupil are told apart by: numbers at each pixel round an eye, relative to this eye.

Every eye lies on a small map of its own, upright, its outer corner to the left, a fixed number of pixels wide: colours
are measured against the skin about it, its own white and its own iris; places in widths of the eye and against what
rules say of lids, iris and pupil (:mod:`retouch.faces.eyes`). The classes were taught on made-up sitters by
``demo/teach_eyes.py``.
"""

from dataclasses import dataclass
from functools import cache
from pathlib import Path

import cv2
import numpy as np

from retouch.faces import mesh
from retouch.faces.outlines import distance, filled, grown, smooth
from retouch.faces.upright import Upright, hues, shifted, usual
from retouch.segment.trees import Trees
from retouch.types import Floats

MODEL = Path(__file__).with_name("eye_parts.npz")
OTHER, WHITE, IRIS, PUPIL = range(4)
"""Places of these among the classes of the model; other is skin, lashes and what lies before the eye."""
MAP = Upright(64, 96, 64)
WIDE, ACROSS, HIGH = MAP.wide, MAP.across, MAP.high


@dataclass(frozen=True)
class Guess:
    """What rules say of an eye, in pixels of a map: coverage between the lids, circles of iris and pupil."""

    opening: Floats
    iris: tuple[Floats, float]
    pupil: tuple[Floats, float]


@cache
def trees() -> Trees:
    """The model, read once in a process."""
    return Trees.load(MODEL)


def upright(points: Floats, eye: int) -> Floats:
    """The affine map (2 × 3) from the mesh's pixels onto an eye's own map: its outer corner left, its lids level."""
    return MAP.way(points, *mesh.CORNERS[eye])


def measured(lab: Floats, points: Floats, eye: int, guess: Guess) -> Floats:
    """Features (:data:`HIGH` × :data:`ACROSS` × f) on an eye's own map.

    ``lab`` (OKLab), ``points`` (the whole mesh, 478 × 2) and ``guess`` are in pixels of that map.
    """
    lids = filled(smooth(points[list(mesh.EYES[eye])]), lab.shape[:2]) > 0.5
    inside = (guess.opening > 0.5) if (guess.opening > 0.5).sum() > 8 else lids
    ring = grown(lids, 0.3 * WIDE) & ~grown(lids, 0.08 * WIDE)
    y, x = np.mgrid[: lab.shape[0], : lab.shape[1]] + 0.5

    fine, calm, broad = (hues(lab, sigma) for sigma in (0.7, 1.6, 4.0))
    skin = usual(calm, ring)
    spread = calm[ring].std(0) if ring.any() else np.ones(3)
    (ix, iy), radius = guess.iris
    (px, py), small = guess.pupil
    away, inner = np.hypot(x - ix, y - iy), np.hypot(x - px, y - py)
    beside = inside & (away > 1.1 * radius)
    light = calm[..., 0]
    lightest = beside & (light >= np.quantile(light[beside], 0.6)) if beside.sum() > 4 else inside
    white = usual(calm, lightest)
    iris = usual(calm, inside & (away < 0.9 * radius) & (inner > 1.1 * small))
    layers = [*_channels(fine - skin), *_channels(broad - skin), *_channels(fine - white), *_channels(fine - iris)]
    layers += [np.linalg.norm((calm - skin) / np.maximum(spread, 0.01), axis=-1)]
    # Where it lies: on the map, to the circles, to the lids.
    layers += [(x - ACROSS / 2) / WIDE, (y - HIGH / 2) / WIDE]
    layers += [away / radius, (away - radius) / WIDE, inner / max(small, 1e-3), (inner - small) / WIDE]
    layers += [np.cos(angle := np.arctan2(y - iy, x - ix)), np.sin(angle)]
    ring_points = points[list(mesh.IRISES[eye])]
    own = float(np.mean(np.hypot(*(ring_points[1:] - ring_points[0]).T)))
    layers += [np.hypot(x - ring_points[0][0], y - ring_points[0][1]) / max(own, 1e-3)]
    layers += [distance(inside) / WIDE, distance(lids) / WIDE]
    # What lies about: steps of colour, and whether lids or lashes are near.
    for step in (4, 8, 14):
        for dx, dy in ((0, -step), (0, step), (-step, 0), (step, 0)):
            there = shifted(calm, dx, dy)
            layers += [there[..., 0] - light]
            if dx == 0:
                layers += [there[..., 1] - calm[..., 1]]
    gx, gy = (np.asarray(cv2.Sobel(light, cv2.CV_32F, *d, ksize=3), np.float32) for d in ((1, 0), (0, 1)))
    outwards = np.stack([x - ix, y - iy]) / np.maximum(away, 1e-3)
    layers += [gx * outwards[0] + gy * outwards[1], gy]
    layers += [np.sqrt(np.maximum(cv2.GaussianBlur((fine[..., 0] - light) ** 2, (0, 0), 2), 0))]
    _, length = mesh.upright(points)
    widths = [float(np.hypot(*(points[a] - points[b]))) for a, b in mesh.CORNERS]
    told = [
        mesh.eye_openness(points, eye), widths[eye] / max(length, 1e-6), widths[eye] / max(widths[1 - eye], 1e-6),
        radius / WIDE, small / max(radius, 1e-6), (ix - ACROSS / 2) / WIDE, (iy - HIGH / 2) / WIDE,
        *(white - skin), *(iris - white), float(distance(inside).max()) / WIDE,
    ]  # fmt: skip
    layers += [np.full(lab.shape[:2], value) for value in told]
    return np.nan_to_num(np.stack([np.asarray(v, np.float32) for v in layers], axis=-1))


def _channels(values: Floats) -> list[Floats]:
    return [values[..., i] for i in range(3)]
