"""Geometry comes last: every displacement of a sheet is gathered, and the finished picture goes through them once."""

from collections.abc import Sequence

import cv2
import numpy as np

from retouch.bands import in_bands
from retouch.frame import Frame
from retouch.render.stages import halo
from retouch.sheet import Touch
from retouch.touches.base import Moved
from retouch.types import Coverage, Encoded, Floats

KERNEL = 3
"""Pixels that the resampling reads on either side."""


def origin(steps: Sequence[Touch], frame: Frame) -> Frame:
    """The rectangle of the picture before it is moved from which ``frame`` comes."""
    reach = sum(step.settings.reach * step.strength for step in steps if isinstance(step.settings, Moved))
    return frame.grown(halo(reach, frame) + KERNEL)


def moved(picture: Encoded, steps: Sequence[tuple[Touch, Coverage | None]], around: Frame, frame: Frame) -> Encoded:
    """The picture after all displacements on ``frame``, a new float32 array, by one bicubic resampling.

    Parameters
    ----------
    picture
        The picture before, on ``around`` (see :func:`origin`), encoded working colours.
    steps
        Moved touches in their order, each with its coverage on ``around`` or None for everywhere.

    Notes
    -----
    From a place of the finished picture one goes back through the last displacement first. Beyond the picture its
    border goes on.
    """
    x, y = (np.asarray(v, np.float64) for v in np.broadcast_arrays(*_grid(frame)))
    for step, coverage in reversed(steps):
        kind = step.settings
        assert isinstance(kind, Moved)
        dx, dy = kind.displacement(x, y)
        share: Floats | float = step.strength
        if coverage is not None:
            share = share * _read(coverage, x, y, around, cv2.INTER_LINEAR)
        x, y = x + share * dx, y + share * dy
    out = np.empty((*frame.shape, 3), np.float32)

    def work(rows: slice) -> None:
        out[rows] = _read(picture, x[rows], y[rows], around, cv2.INTER_CUBIC)

    in_bands(work, frame.h)
    # What does not move is not resampled: it stays the same to the bit.
    still = (np.abs(x - _grid(frame)[0]) + np.abs(y - _grid(frame)[1])) * frame.unit < 1e-6
    out[still] = picture[frame.slices_in(around)][still]
    return Encoded(out)


def _grid(frame: Frame) -> tuple[Floats, Floats]:
    x, y = frame.places()
    return x[None, :], y[:, None]


def _read(values: Floats, x: Floats, y: Floats, around: Frame, how: int) -> Floats:
    """``values`` on ``around`` at places in long sides."""
    columns = (x * around.unit - around.x - 0.5).astype(np.float32)
    rows = (y * around.unit - around.y - 0.5).astype(np.float32)
    return np.asarray(cv2.remap(values, columns, rows, how, borderMode=cv2.BORDER_REPLICATE))
