"""Strokes that stop at edges: what is connected in colour to their core, worked out piece by piece."""

from itertools import pairwise

import cv2
import numpy as np

from retouch.areas.base import Sight
from retouch.colour.tones import clipped_oklab
from retouch.frame import Frame, resample
from retouch.types import Floats

FOLLOW_UNIT = 1200
"""Pixels on the long side of the map on which what hangs together is followed."""
PIECE = 0.5
"""Length of a piece, in diameters."""
LEAST_PIECE = 2.0
"""The same in pixels of the map."""
CORE = 0.3
"""The core's share of the radius: what lies there is what is meant."""
NARROWEST, WIDEST = 0.035, 0.09
"""OKLab distances to the core's colour within which a pixel belongs to it, for an even and for an uneven core."""
LIGHT = 0.6
"""How much lightness counts: less than colour, since light falls off over one and the same thing."""


def kept(points: Floats, size: float, frame: Frame, sight: Sight) -> Floats:
    """How far the pixels of ``frame`` belong to what a stroke's core runs over, float32 0…1.

    Parameters
    ----------
    points
        The stroke's way, n × 2 or more columns, in long sides.
    size
        Its diameter, in long sides.
    frame, sight
        Where coverage is wanted, and the picture.

    Notes
    -----
    The way is cut into pieces of half a diameter, counted from its start, so that a stroke that grows keeps what it
    had. For each, the core's median colour in OKLab is taken on a map of FOLLOW_UNIT; a pixel belongs as far as its
    colour lies within three times the core's own spread (NARROWEST … WIDEST), if it hangs together with the core
    inside the brush. Pieces meet by their maximum.
    """
    out = np.zeros(frame.shape, np.float32)
    for piece in _pieces(points, max(PIECE * size, LEAST_PIECE / FOLLOW_UNIT)):
        low, high = piece[:, :2].min(0) - size / 2, piece[:, :2].max(0) + size / 2
        here = _cut(frame, low, high)
        if here is None:
            continue
        # The whole piece is looked at whatever part of it is wanted, so that a rectangle agrees with the whole.
        unit = min(float(frame.unit), FOLLOW_UNIT)
        whole = Frame.whole(frame.width, frame.height).at_unit(unit, 0)
        ground = _cut(whole, low, high)
        if ground is None:
            continue
        lab = clipped_oklab(sight.original(ground))
        brush, core = (_drawn(piece, radius * size, ground) for radius in (0.5, 0.5 * CORE))
        if not core.any():
            continue
        inside = lab[core > 0]
        colour = np.median(inside, axis=0)
        spread = float(np.median(_distance(inside, colour)))
        tolerance = float(np.clip(3 * spread, NARROWEST, WIDEST))
        near = ((_distance(lab, colour) < tolerance) & (brush > 0)) | (core > 0)
        _, names = cv2.connectedComponents(near.astype(np.uint8), connectivity=4)
        joined = np.isin(names, np.unique(names[core > 0])).astype(np.uint8)
        hangs = cv2.dilate(joined, np.ones((3, 3), np.uint8)).astype(np.float32)
        t = np.clip(2 - _distance(clipped_oklab(sight.original(here)), colour) / tolerance, 0, 1).astype(np.float32)
        found = t * t * (3 - 2 * t) * resample(hangs, ground, here)
        target = out[here.slices_in(frame)]
        np.maximum(target, found, out=target)
    return out


def _pieces(points: Floats, length: float) -> list[Floats]:
    """The way cut into pieces of ``length``, each beginning where the one before ends; the last is what is left."""
    along = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(points[:, :2], axis=0).T))])
    if along[-1] == 0:
        return [points[:1]]
    ends = np.append(np.arange(0, along[-1], length), along[-1])
    pieces = []
    for a, b in pairwise(ends):
        at = np.concatenate([[a], along[(along > a) & (along < b)], [b]])
        pieces.append(np.stack([np.interp(at, along, points[:, i]) for i in (0, 1)], axis=1))
    return pieces


def _cut(frame: Frame, low: Floats, high: Floats) -> Frame | None:
    """The part of a frame between two places; None if there is none."""
    x0, y0 = (max(0, int(np.floor(v * frame.unit)) - 1 - o) for v, o in zip(low, (frame.x, frame.y), strict=True))
    x1 = min(frame.w, int(np.ceil(high[0] * frame.unit)) + 2 - frame.x)
    y1 = min(frame.h, int(np.ceil(high[1] * frame.unit)) + 2 - frame.y)
    if x1 <= x0 or y1 <= y0:
        return None
    return Frame(frame.width, frame.height, frame.x + x0, frame.y + y0, x1 - x0, y1 - y0)


def _drawn(piece: Floats, radius: float, frame: Frame) -> np.ndarray:
    """The pixels within ``radius`` (long sides) of a piece: 1, else 0."""
    out = np.zeros(frame.shape, np.uint8)
    spots = np.round((piece[:, :2] * frame.unit - (frame.x, frame.y)) * 16).astype(np.int32)
    width = max(1, round(2 * radius * frame.unit))
    cv2.polylines(out, [spots.reshape(-1, 1, 2)], False, 1, width, cv2.LINE_8, 4)
    if len(spots) == 1 or width > 2:
        for spot in spots[[0, -1]]:
            cv2.circle(out, tuple(int(v) for v in spot), max(8, round(radius * frame.unit * 16)), 1, -1, cv2.LINE_8, 4)
    return out


def _distance(lab: Floats, colour: Floats) -> Floats:
    off = lab - colour
    return np.asarray(np.sqrt((LIGHT * off[..., 0]) ** 2 + off[..., 1] ** 2 + off[..., 2] ** 2), np.float32)
