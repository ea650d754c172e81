"""JPEG XL files in sRGB (ISO/IEC 18181-2: boxes), with EXIF and XMP beside the picture."""

import struct
from collections.abc import Iterator
from typing import Any

import imagecodecs
import numpy as np

MADE = b"\r\n\x87\n"
EFFORT = 5
"""Of the coder, 1…9: more is smaller, and much slower."""


def jpegxl(pixels: np.ndarray[Any, Any], quality: int, exif: bytes = b"", xmp: bytes = b"") -> bytes:
    """A file of ``pixels`` (height × width × 3, uint8 or uint16, sRGB); ``exif`` starts at its byte-order mark."""
    picture = imagecodecs.jpegxl_encode(pixels, level=quality, effort=EFFORT)
    said = [(b"Exif", bytes(4) + exif)] if exif else []
    said += [(b"xml ", xmp)] if xmp else []
    boxes = [(b"JXL ", MADE), (b"ftyp", b"jxl \0\0\0\0jxl "), *said, (b"jxlc", picture)]
    return b"".join(struct.pack(">I4s", 8 + len(data), kind) + data for kind, data in boxes)


def xmp_in(data: bytes) -> bytes:
    """The XMP packet that lies in a file; none: no bytes."""
    return dict(_boxes(data)).get(b"xml ", b"")


def is_jpegxl(data: bytes) -> bool:
    """Whether a file begins as one in boxes does."""
    return data.startswith(struct.pack(">I4s", 12, b"JXL ") + MADE)


def _boxes(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    at = 0
    while at + 8 <= len(data):
        size, kind = struct.unpack_from(">I4s", data, at)
        head = 8
        if size == 1 and at + 16 <= len(data):
            (size,), head = struct.unpack_from(">Q", data, at + 8), 16
        # 0: to the end of the file.
        size = size or len(data) - at
        if size < head:
            return
        yield kind, data[at + head : at + size]
        at += size
