"""From working colours to the numbers of a file or of a view."""

import struct
from functools import lru_cache
from typing import Any

import numba
import numpy as np
import simplejpeg

from retouch.bands import in_bands
from retouch.colour.icc import Profile, profile_bytes
from retouch.colour.spaces import WORKING
from retouch.types import Bytes, Floats


def to_file(picture: Floats, profile: Profile, bits: int) -> np.ndarray[Any, Any]:
    """Encoded working colours (height × width × 3) as uint8 or uint16 in ``profile``, rounded, clipped at the end."""
    device = profile.from_working(picture)
    most = 255 if bits == 8 else 65535
    return (device * most + 0.5).astype(np.uint8 if bits == 8 else np.uint16)


def to_jpeg(picture: Floats, draft: bool = False) -> bytes:
    """A view (height × width × 3) as the bytes of a JPEG; a draft has half its colour resolution.

    The pixels stay in the working space and the file says so in its profile: the browser brings them to its screen,
    be that sRGB or wider, which costs the server nothing.
    """
    quality, colour = (90, "420") if draft else (94, "444")
    data = simplejpeg.encode_jpeg(to_bytes(picture), quality, colorsubsampling=colour, fastdct=True)
    # After the JFIF header, which is the first segment (ITU-T T.871, 10.1).
    at = 4 + struct.unpack_from(">H", data, 4)[0]
    return data[:at] + _profile_segment() + data[at:]


def to_bytes(picture: Floats) -> Bytes:
    """Encoded working colours as uint8, rounded, clipped to 0…1 first."""
    out = np.empty(picture.shape, np.uint8)
    flat, into = picture.reshape(len(picture), -1), out.reshape(len(picture), -1)
    in_bands(lambda rows: _round(flat[rows], into[rows]), len(picture))
    return out


@lru_cache(maxsize=1)
def _profile_segment() -> bytes:
    """The working space's profile as an APP2 segment (ICC.1:2022, annex B.4)."""
    profile = b"ICC_PROFILE\0\1\1" + profile_bytes(WORKING)
    return struct.pack(">HH", 0xFFE2, len(profile) + 2) + profile


@numba.njit(nogil=True, cache=True, fastmath=True)
def _round(values, out):  # type: ignore[no-untyped-def]
    most, half, zero = np.float32(255), np.float32(0.5), np.float32(0)
    for y in range(values.shape[0]):
        row, into = values[y], out[y]
        for i in range(row.shape[0]):
            into[i] = np.uint8(np.int32(min(max(row[i] * most, zero), most) + half))
