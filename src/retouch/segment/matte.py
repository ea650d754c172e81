"""A matte: how much of each pixel at a soft edge is the thing's, for hair and fur."""

import cv2
import numba
import numpy as np
from scipy.sparse import csc_matrix
from scipy.sparse.linalg import splu

from retouch.types import Bytes, Coverage, Encoded, Floats

HAIR_BAND = 0.016
"""Half the width of the band in which a matte is worked out, of the long side."""
MANY = 8_000
"""Unknown pixels from which they are first told at half the size."""
NEARLY, AROUND = 0.01, np.ones((5, 5), np.uint8)
"""What is as good as nothing, and how far round it everything must be so too."""
EVEN = 1e-7
"""How little a window's colours may vary, squared: the paper's ε."""


def matte(colours: Encoded, coverage: Floats, band: float) -> Coverage:
    """Coverage h × w with its edge worked out anew within a band.

    Closed-form matting: A. Levin, D. Lischinski, Y. Weiss, "A closed-form solution to natural image matting", IEEE
    TPAMI 30 (2008), sections 3 and 3.1.

    Parameters
    ----------
    colours
        Encoded colours, h × w × 3; light is clipped to 0…1.
    coverage
        What is roughly covered, 0…1; beyond the band round its edge it is believed.
    band
        Half the band's width in pixels.
    """
    rough = (coverage > 0.5).astype(np.uint8)
    surely, never = _sides(rough, band)
    if not surely.any() or not never.any() or min(rough.shape) < 8:
        return Coverage(coverage.astype(np.float32))
    clipped = np.clip(colours, 0, 1).astype(np.float64)
    if (~(surely | never)).sum() > MANY:
        # Much of the band is one side or the other at half the size already.
        few = (rough.shape[1] // 2, rough.shape[0] // 2)
        small, inner, outer = (
            np.asarray(cv2.resize(v.astype(np.float64), few, interpolation=cv2.INTER_AREA), np.float64)
            for v in (clipped, surely, never)
        )
        coarse = cv2.resize(_solved(small, inner == 1, outer == 1), rough.shape[::-1], interpolation=cv2.INTER_LINEAR)
        surely |= cv2.erode((coarse > 1 - NEARLY).astype(np.uint8), AROUND) > 0
        never |= (cv2.dilate((coarse > NEARLY).astype(np.uint8), AROUND) == 0) & ~surely
    return Coverage(_solved(clipped, surely, never).astype(np.float32))


def _sides(rough: Bytes, band: float) -> tuple[np.ndarray, np.ndarray]:
    """What is surely the thing's beyond a band, and what surely is not."""
    size = 2 * max(1, round(band)) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))
    inner, outer = (way(rough, disc, borderType=cv2.BORDER_REPLICATE) for way in (cv2.erode, cv2.dilate))
    return inner > 0, outer == 0


def _solved(colours: Floats, surely: np.ndarray, never: np.ndarray) -> Floats:
    """Coverage 0…1 (h × w): the least squares of equation 14, what is known kept.

    ``colours`` are h × w × 3, float64. Only rows of unknown pixels are worked out: the matrix of the whole picture
    would be twenty times as large.
    """
    out, unknown = surely.astype(np.float64), ~(surely | never)
    width, places = unknown.shape[1], np.flatnonzero(unknown)
    if not len(places):
        return out
    number = np.full(unknown.size, -1, np.int32)
    number[places] = np.arange(len(places), dtype=np.int32)
    windows = np.zeros((len(places), 5, 5))
    _laplacian(colours, number.reshape(unknown.shape), windows)
    rows = windows.reshape(-1, 25)
    steps = (np.arange(-2, 3)[:, None] * width + np.arange(-2, 3)).ravel()
    # Beyond the picture's border all is 0.
    columns = np.clip(places[:, None] + steps, 0, unknown.size - 1)
    within = (number[columns] >= 0) & (rows != 0)
    ends = np.concatenate([[0], np.cumsum(within.sum(1))])
    # It is symmetric: by rows or by columns is the same.
    system = csc_matrix((rows[within], number[columns[within]], ends), (len(places), len(places)))
    known = -(rows * (surely.ravel()[columns] & ~within)).sum(1)
    factors = splu(system, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0, options={"SymmetricMode": True})
    out[unknown] = np.clip(factors.solve(known), 0, 1)
    return out


@numba.njit(nogil=True, cache=True)
def _laplacian(image, number, rows):  # type: ignore[no-untyped-def]
    """Rows of the matting Laplacian (equation 12; windows of 3 × 3) of the pixels with a number."""
    c = np.empty((9, 3))
    for y in range(1, image.shape[0] - 1):
        for x in range(1, image.shape[1] - 1):
            some = False
            for i in range(9):
                some |= number[y + i // 3 - 1, x + i % 3 - 1] >= 0
            if not some:
                continue
            for d in range(3):
                mean = 0.0
                for i in range(9):
                    mean += image[y + i // 3 - 1, x + i % 3 - 1, d] / 9
                for i in range(9):
                    c[i, d] = image[y + i // 3 - 1, x + i % 3 - 1, d] - mean
            rr = gg = bb = EVEN / 9
            rg = rb = gb = 0.0
            for i in range(9):
                rr, gg, bb = rr + c[i, 0] ** 2 / 9, gg + c[i, 1] ** 2 / 9, bb + c[i, 2] ** 2 / 9
                rg, rb, gb = rg + c[i, 0] * c[i, 1] / 9, rb + c[i, 0] * c[i, 2] / 9, gb + c[i, 1] * c[i, 2] / 9
            # The inverse of the windows' symmetric covariance, by its cofactors.
            a, b, e = gg * bb - gb * gb, rb * gb - rg * bb, rg * gb - rb * gg
            f, g, h = rr * bb - rb * rb, rg * rb - rr * gb, rr * gg - rg * rg
            det = rr * a + rg * b + rb * e
            for i in range(9):
                own = number[y + i // 3 - 1, x + i % 3 - 1]
                if own < 0:
                    continue
                u = (a * c[i, 0] + b * c[i, 1] + e * c[i, 2]) / det
                v = (b * c[i, 0] + f * c[i, 1] + g * c[i, 2]) / det
                w = (e * c[i, 0] + g * c[i, 1] + h * c[i, 2]) / det
                for j in range(9):
                    weight = (1 + u * c[j, 0] + v * c[j, 1] + w * c[j, 2]) / 9
                    rows[own, j // 3 - i // 3 + 2, j % 3 - i % 3 + 2] += (1.0 if i == j else 0.0) - weight
