"""From working colours to the numbers of a file or a screen."""

from functools import lru_cache
from typing import Any

import numba
import numpy as np
import simplejpeg

from retouch.colour.encoding import decode, encode
from retouch.colour.icc import Profile
from retouch.colour.spaces import SRGB, WORKING, Space, between
from retouch.render.table import HIGH, LINE_STEPS, LOW, in_bands
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


def to_jpeg(picture: Floats, quality: int = 90) -> bytes:
    """A view as the bytes of an sRGB JPEG."""
    return simplejpeg.encode_jpeg(to_screen(picture), quality=quality, colorsubsampling="444", fastdct=True)


CURVE_STEPS = 1 << 14


@lru_cache(maxsize=4)
def _screen_tables(space: Space) -> tuple[Floats, Floats, Bytes]:
    values = np.linspace(LOW, HIGH, round((HIGH - LOW) * LINE_STEPS) + 1)
    # The curve is read at the square root of linear light, which spreads its steep start over many entries.
    linear = (np.arange(CURVE_STEPS + 1) / CURVE_STEPS) ** 2
    curve = (np.clip(encode(linear), 0, 1) * 255 + 0.5).astype(np.uint8)
    return decode(values).astype(np.float32), between(WORKING, space).astype(np.float32), curve


@numba.njit(nogil=True, cache=True, fastmath=True)
def _screen(picture, out, line, matrix, curve):  # type: ignore[no-untyped-def]
    top = line.shape[0] - 2
    light = np.empty(3, np.float32)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            for c in range(3):
                u = (picture[y, x, c] - np.float32(LOW)) * np.float32(LINE_STEPS)
                k = np.uint64(min(max(np.int64(u), 0), top))
                light[c] = line[k] + (u - np.float32(k)) * (line[k + np.uint64(1)] - line[k])
            for c in range(3):
                v = matrix[c, 0] * light[0] + matrix[c, 1] * light[1] + matrix[c, 2] * light[2]
                v = np.sqrt(min(max(v, np.float32(0)), np.float32(1)))
                out[y, x, c] = curve[np.uint64(v * np.float32(CURVE_STEPS) + np.float32(0.5))]
