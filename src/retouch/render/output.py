"""From working colours to the numbers of a file or a screen."""

from functools import lru_cache
from typing import Any

import numba
import numpy as np
import simplejpeg

from retouch.bands import in_bands
from retouch.colour.encoding import decode, encode
from retouch.colour.icc import Profile
from retouch.colour.spaces import SRGB, WORKING, Space, between
from retouch.render.table import HIGH, LOW
from retouch.types import Bytes, Floats


def to_file(picture: Floats, profile: Profile, bits: int) -> np.ndarray[Any, Any]:
    """Encoded working colours (height × width × 3) as uint8 or uint16 in ``profile``, rounded, clipped at the end."""
    device = profile.from_working(picture)
    most = 255 if bits == 8 else 65535
    return (device * most + 0.5).astype(np.uint8 if bits == 8 else np.uint16)


def to_screen(picture: Floats, space: Space = SRGB) -> Bytes:
    """Encoded working colours as 8-bit ``space`` for a view, through tables (within one step of :func:`to_file`)."""
    line, matrix, curve = _screen_tables(space)
    out = np.empty(picture.shape, np.uint8)
    in_bands(lambda rows: _screen(picture[rows], out[rows], line, matrix, curve), picture.shape[0])
    return out


def to_jpeg(picture: Floats, draft: bool = False) -> bytes:
    """A view as the bytes of an sRGB JPEG; a draft has half its colour resolution."""
    return simplejpeg.encode_jpeg(to_screen(picture), 90, colorsubsampling="420" if draft else "444", fastdct=True)


LINE_STEPS = 1 << 13
CURVE_STEPS = (1 << 16) - 1


@lru_cache(maxsize=4)
def _screen_tables(space: Space) -> tuple[Floats, Floats, Bytes]:
    """Encoded value → linear light, the matrix, linear light → 8 bits; tables are read at the nearest entry."""
    values = np.linspace(LOW, HIGH, round((HIGH - LOW) * LINE_STEPS) + 1)
    curve = np.clip(encode(np.linspace(0, 1, CURVE_STEPS + 1)), 0, 1) * 255 + 0.5
    matrix = between(WORKING, space) * CURVE_STEPS
    return decode(values).astype(np.float32), matrix.astype(np.float32), curve.astype(np.uint8)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _screen(picture, out, line, matrix, curve):  # type: ignore[no-untyped-def]
    top, most = np.float32(line.shape[0] - 1), np.float32(CURVE_STEPS)
    start, steps, half, zero = (
        np.float32(0.5 - LOW * LINE_STEPS),
        np.float32(LINE_STEPS),
        np.float32(0.5),
        np.float32(0),
    )
    m00, m01, m02 = matrix[0]
    m10, m11, m12 = matrix[1]
    m20, m21, m22 = matrix[2]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            r = line[np.uint32(min(max(picture[y, x, 0] * steps + start, zero), top))]
            g = line[np.uint32(min(max(picture[y, x, 1] * steps + start, zero), top))]
            b = line[np.uint32(min(max(picture[y, x, 2] * steps + start, zero), top))]
            out[y, x, 0] = curve[np.uint32(min(max(m00 * r + m01 * g + m02 * b, zero), most) + half)]
            out[y, x, 1] = curve[np.uint32(min(max(m10 * r + m11 * g + m12 * b, zero), most) + half)]
            out[y, x, 2] = curve[np.uint32(min(max(m20 * r + m21 * g + m22 * b, zero), most) + half)]
