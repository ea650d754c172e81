"""From working colours to the numbers of a file or of a view."""

import struct
from functools import lru_cache
from typing import Any

import numba
import numpy as np
import simplejpeg

from retouch.bands import in_bands
from retouch.colour.icc import Profile, profile_bytes
from retouch.colour.press import Press
from retouch.colour.spaces import WORKING
from retouch.types import Bytes, Floats

MOST_BLOCKS = 65_535


def to_file(picture: Floats, profile: Profile | Press, bits: int) -> np.ndarray[Any, Any]:
    """Encoded working colours (height × width × 3) as uint8 or uint16 in ``profile``, rounded, clipped at the end.

    With a press there are four values, of cover: 0 is paper.
    """
    device = profile.from_working(picture)
    most = 255 if bits == 8 else 65535
    return (device * most + 0.5).astype(np.uint8 if bits == 8 else np.uint16)


def to_jpeg(picture: Floats, draft: bool = False) -> bytes:
    """A view (height × width × 3) as the bytes of a JPEG; a draft has half its colour resolution.

    The pixels stay in the working space and the file says so in its profile: the browser brings them to its screen,
    be that sRGB or wider, which costs the server nothing.
    """
    quality, colour, block = (90, "420", 16) if draft else (92, "444", 8)

    def strip(rows: slice) -> bytes:
        return bytes(simplejpeg.encode_jpeg(_eight(picture[rows]), quality, colorsubsampling=colour, fastdct=True))

    height, width = picture.shape[:2]
    # A restart interval counts at most 65,535 blocks: a huge view is coded in one strip.
    few = -(-height // block) * -(-width // block) < MOST_BLOCKS
    strips = in_bands(strip, height, block, each=1) if few else [strip(slice(0, height))]
    return joined(strips, height, block, _profile_segment())


def joined(strips: list[bytes], height: int, block: int, extra: bytes = b"") -> bytes:
    """One baseline JPEG of strips that stand below each other.

    They were made with the same settings, have one height (the last may be lower), a multiple of ``block``, the side
    of the coder's blocks; ``height`` is that of all. ``extra`` are further segments.

    Every strip's coder starts afresh, which is what a restart marker says. Source: ITU-T T.81, B.2.1, B.2.4.4, E.1.4.
    """
    heads: list[bytes] = []
    scans: list[tuple[bytes, bytes]] = []
    rows = width = 0
    for data in strips:
        at = 2
        while data[at + 1] != 0xDA:  # start of scan
            if data[at + 1] == 0xC0:  # baseline frame: height and width
                frame = at
            at += 2 + struct.unpack_from(">H", data, at + 2)[0]
        if not heads:
            rows, width = struct.unpack_from(">HH", data, frame + 5)
        heads.append(data[:frame] + extra + data[frame : frame + 5] + struct.pack(">H", height) + data[frame + 7 : at])
        start = at + 2 + struct.unpack_from(">H", data, at + 2)[0]
        scans.append((data[at:start], data[start:-2]))
    interval = struct.pack(">HHH", 0xFFDD, 4, rows // block * -(-width // block)) if len(strips) > 1 else b""
    body = b"".join(scan + bytes((0xFF, 0xD0 + i % 8)) for i, (_, scan) in enumerate(scans))
    # The last restart marker is the end of the image instead.
    return heads[0] + interval + scans[0][0] + body[:-1] + b"\xd9"


def _eight(picture: Floats) -> Bytes:
    """Encoded working colours as uint8, rounded, clipped to 0…1 first."""
    out = np.empty(picture.shape, np.uint8)
    _round(picture.reshape(len(picture), -1), out.reshape(len(picture), -1))
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
