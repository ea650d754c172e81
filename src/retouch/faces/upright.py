"""Small maps of a feature of their own: upright, its corners level, a fixed number of pixels from corner to corner."""

from dataclasses import dataclass

import cv2
import numpy as np

from retouch.faces import mesh
from retouch.faces.outlines import LEVEL
from retouch.types import Floats


@dataclass(frozen=True)
class Upright:
    """A map ``across`` × ``high`` pixels in size, ``wide`` of them between two corners half-way down."""

    wide: int
    across: int
    high: int

    def way(self, points: Floats, left: int, right: int) -> Floats:
        """The affine map (2 × 3) from the mesh's pixels onto this one.

        ``points`` is the mesh (478 × 2), ``left`` and ``right`` the numbers of the two corners.
        """
        along = points[right] - points[left]
        up, _ = mesh.upright(points)
        across = np.array([-along[1], along[0]])
        across = across * -np.sign(across @ up)
        turn = np.stack([along, across]) * (self.wide / max(float(along @ along), 1e-9))
        start = np.array([(self.across - self.wide) / 2, self.high / 2])
        return np.column_stack([turn, start - turn @ points[left]])

    def onto(self, values: Floats, way: Floats) -> Floats:
        """A picture (h × w, or with channels) on this map."""
        scale = float(np.hypot(*way[:, 0]))
        if scale < 0.8:
            values = np.asarray(cv2.GaussianBlur(values, (0, 0), 0.4 / scale), np.float32)
        return _warped(values, way, (self.across, self.high), cv2.BORDER_REPLICATE)


def back(values: Floats, way: Floats, shape: tuple[int, int]) -> Floats:
    """What stands on a map, on a picture of ``shape`` (rows, columns) again; 0 beside it."""
    scale = float(np.hypot(*way[:, 0]))
    if scale > 1.25:
        values = np.asarray(cv2.GaussianBlur(values, (0, 0), 0.4 * scale), np.float32)
    inverse = np.asarray(cv2.invertAffineTransform(way), np.float64)
    return _warped(values, inverse, (shape[1], shape[0]), cv2.BORDER_CONSTANT)


def _warped(values: Floats, way: Floats, size: tuple[int, int], beyond: int) -> Floats:
    # The middle of the first pixel is at 0.5 in pixels of the picture, and at 0 for the drawing.
    move = way.copy()
    move[:, 2] += 0.5 * way[:, :2].sum(1) - 0.5
    return np.asarray(cv2.warpAffine(values, move, size, flags=cv2.INTER_LINEAR, borderMode=beyond), np.float32)


def moved(points: Floats, way: Floats) -> Floats:
    """Places (n × 2, pixels of the picture) in pixels of a map."""
    return np.asarray(points @ way[:, :2].T + way[:, 2])


def shifted(values: Floats, dx: int, dy: int) -> Floats:
    """What lies so many pixels to the left and above of each."""
    move = np.array([[1, 0, dx], [0, 1, dy]], np.float64)
    size = values.shape[1], values.shape[0]
    return np.asarray(cv2.warpAffine(values, move, size, flags=cv2.INTER_NEAREST, borderMode=cv2.BORDER_REPLICATE))


def hues(lab: Floats, sigma: float) -> Floats:
    """Log of lightness, and a and b over it, of OKLab softened by ``sigma`` pixels (h × w × 3)."""
    calm = np.asarray(cv2.GaussianBlur(lab, (0, 0), sigma), np.float32)
    level = np.maximum(calm[..., :1], 0) + np.float32(LEVEL)
    return np.concatenate([np.log(level), calm[..., 1:] / level], axis=-1)


def usual(of: Floats, where: np.ndarray) -> Floats:
    """The medians of what is there (3), or of all where nothing is."""
    return np.asarray(np.median(of[where], axis=0) if where.any() else np.median(of, axis=(0, 1)))
