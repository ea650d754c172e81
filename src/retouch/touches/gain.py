"""Gains of linear light, laid on encoded colours: what touches that work on light do at every pixel."""

from typing import Any

import numba
import numpy as np

from retouch.bands import in_bands
from retouch.colour.encoding import decode
from retouch.colour.spaces import WORKING, to_xyz
from retouch.types import Coverage, Encoded, Floats

LUMA = to_xyz(WORKING)[1].astype(np.float32)
"""Of working colours in linear light: their luminance."""
ROOT = 1 / 2.4
"""A gain of light to this power scales encoded values over their toe: ``v + 0.055``."""
LOW, HIGH, PARTS = -0.5, 4.5, 1024
DECODED = decode(np.linspace(LOW, HIGH, round((HIGH - LOW) * PARTS) + 1)).astype(np.float32)
"""Linear light at encoded values from LOW to HIGH."""
NO_MASK = np.zeros((1, 1), np.float32)


def apply_roots(picture: Encoded, roots: Floats, mask: Coverage | None, strength: float) -> None:
    """Scale the light of ``picture`` (float32 h × w × 3) in place by ``roots`` (h × w × 3): gains ** ROOT, above 0."""

    def work(rows: slice) -> None:
        covered = NO_MASK if mask is None else mask[rows]
        _apply(picture[rows], roots[rows], covered, mask is not None, np.float32(strength))

    in_bands(work, picture.shape[0])


@numba.njit(nogil=True, cache=True, fastmath=True)
def luminance(colour: Any, decoded: Any, luma: Any) -> Any:
    """Of one encoded working colour (3,), 1 = white; below 0 if its channels say so."""
    last = np.float32(decoded.shape[0] - 2)
    light = np.float32(0)
    for c in range(3):
        u = min(max((colour[c] - np.float32(LOW)) * np.float32(PARTS), np.float32(0)), last)
        k = np.uint64(u)
        d = decoded[k]
        light += luma[c] * (d + (u - np.float32(k)) * (decoded[k + np.uint64(1)] - d))
    return light


@numba.njit(nogil=True, cache=True, fastmath=True)
def scaled(v: Any, root: Any) -> Any:
    """The encoded value whose light is that of ``v`` times ``root ** 2.4``."""
    size = abs(v)
    out = (size + np.float32(0.055)) * root - np.float32(0.055)
    if size <= np.float32(0.04045) or out <= np.float32(0.04045):
        linear = size / np.float32(12.92)
        if size > np.float32(0.04045):
            linear = ((size + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4)
        linear *= root ** np.float32(2.4)
        if linear <= np.float32(0.0031308):
            out = np.float32(12.92) * linear
        else:
            out = np.float32(1.055) * linear ** np.float32(ROOT) - np.float32(0.055)
    return np.copysign(out, v)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _apply(picture, roots, mask, masked, strength):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            m = strength
            if masked:
                m *= mask[y, x]
            if m == 0:
                continue
            for c in range(3):
                g = roots[y, x, c]
                if g != 1:
                    v = picture[y, x, c]
                    picture[y, x, c] = v + m * (scaled(v, g) - v)
