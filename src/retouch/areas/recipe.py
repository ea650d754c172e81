"""An area: its parts joined in order, then grown, feathered and inverted."""

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from retouch.areas.base import Part, Sight
from retouch.areas.joins import join
from retouch.areas.refine import Refine, refined
from retouch.frame import Frame, resample
from retouch.types import Coverage

BLUR_PIXELS = 4.0
"""Standard deviation of a feather, in pixels of the map it is worked out on, when the frame is finer than that."""
GROW_PIXELS = 12
"""Radius of growing, in pixels of its map, when the frame is finer than that."""

SHORTEST = 1e-6
"""A feather or a growth in long sides below which none is meant."""

Covering = Callable[[Frame], Coverage]


def recipe(
    parts: Sequence[Part],
    grow: float,
    feather: float,
    invert: bool,
    frame: Frame,
    sight: Sight,
    refine: Refine = "no",
    name: str = "",
) -> Coverage:
    """Coverage of an area on ``frame``.

    Parameters
    ----------
    parts
        The area's parts; the first part's join meets an empty area, so *take* and *only* leave nothing.
    grow
        Length in long sides by which the area is widened (negative: narrowed).
    feather
        Length in long sides over which a straight edge rises from 16 % to 84 %.
    invert
        1 − coverage at the end.
    refine
        Whether the parts' edges are brought to the picture's, before they are grown; ``name`` stands for the parts.

    Returns
    -------
    Floats
        float32 of ``frame.shape``, 0…1.
    """

    def joined(at: Frame) -> Coverage:
        out: Coverage | None = None
        for part in parts:
            if not part.on:
                continue
            coverage = part.coverage(at, sight)
            if out is None and part.join in ("add", "either"):
                # Joined to nothing it is itself.
                out = coverage
            else:
                out = join(Coverage(np.zeros(at.shape, np.float32) if out is None else out), coverage, part.join)
        return Coverage(np.zeros(at.shape, np.float32) if out is None else out)

    draw: Covering = joined
    if refine != "no":
        draw = refined(draw, refine, name, sight)
    if abs(grow) >= SHORTEST:
        draw = _grown(draw, grow)
    if feather >= SHORTEST:
        draw = _feathered(draw, feather)
    out = draw(frame)
    return Coverage(1 - out if invert else out)


def asked_of_parts(grow: float, feather: float, frame: Frame, small: Frame | None) -> Frame:
    """On which frame :func:`recipe` asks its parts when it is asked for ``frame``; ``small`` is where they are refined.

    So that whoever draws what the parts look at knows it beforehand.
    """
    if small is not None:
        return small
    if feather >= SHORTEST:
        frame = _blurring(feather, frame)[0]
    return _growing(grow, frame)[0] if abs(grow) >= SHORTEST else frame


def spread(grow: float, feather: float, frame: Frame) -> Frame:
    """The rectangle, holding ``frame``, in which the area looks different when its parts change in ``frame``."""
    for reach in (abs(grow), 1.5 * feather):
        if reach:
            frame = frame.grown(int(np.ceil(reach * frame.unit)) + 2)
    return frame


def _blurring(feather: float, frame: Frame) -> tuple[Frame, float, int]:
    """Where a feather is worked out for ``frame``, its standard deviation there and the window's side, in pixels."""
    sigma = feather / 2
    # The feather is a share of the long side: a map of the same share serves every view.
    unit = min(float(frame.unit), BLUR_PIXELS / sigma)
    deviation = sigma * unit
    if deviation < 0.05:
        return frame, 0.0, 0
    halo = int(np.ceil(3 * deviation)) + 1
    return frame.grown(halo) if unit == frame.unit else frame.at_unit(unit, halo + 1), deviation, 2 * halo - 1


def _feathered(draw: Covering, feather: float) -> Covering:
    def blurred(frame: Frame) -> Coverage:
        around, deviation, side = _blurring(feather, frame)
        if not side:
            return draw(frame)
        # Replicated edges: an area that reaches the picture's border stays whole there.
        soft = cv2.GaussianBlur(draw(around), (side, side), deviation, borderType=cv2.BORDER_REPLICATE)
        return Coverage(resample(np.asarray(soft, np.float32), around, frame))

    return blurred


def _growing(grow: float, frame: Frame) -> tuple[Frame, float]:
    """Where growing is worked out for ``frame``, and its radius there in pixels."""
    unit = min(float(frame.unit), GROW_PIXELS / abs(grow))
    radius = abs(grow) * unit
    halo = int(np.ceil(radius)) + 1
    return frame.grown(halo) if unit == frame.unit else frame.at_unit(unit, halo + 1), radius


def _grown(draw: Covering, grow: float) -> Covering:
    def grown(frame: Frame) -> Coverage:
        around, radius = _growing(grow, frame)
        below = draw(around)
        change = cv2.dilate if grow > 0 else cv2.erode
        # A radius between two whole pixels lies between their two results.
        low = int(np.floor(radius))
        out = change(below, _disc(low), borderType=cv2.BORDER_REPLICATE) if low else below
        share = np.float32(radius - low)
        if share > 1e-3:
            out = out + share * (change(below, _disc(low + 1), borderType=cv2.BORDER_REPLICATE) - out)
        return Coverage(resample(np.asarray(out, np.float32), around, frame))

    return grown


def _disc(radius: int) -> np.ndarray:
    y, x = np.mgrid[-radius : radius + 1, -radius : radius + 1]
    return np.asarray((x * x + y * y <= (radius + 0.5) ** 2).astype(np.uint8))
