"""Printing presses: colours as four inks through a given ICC profile, and how they will look on its paper."""

from dataclasses import dataclass, field
from hashlib import sha256

import imagecodecs
import numpy as np

from retouch.colour.encoding import decode, encode
from retouch.colour.icc import described, profile_bytes
from retouch.colour.spaces import WORKING
from retouch.types import Floats, PictureError

RELATIVE, BLACK_POINT = 1, 0x2000
"""The rendering intent, and littleCMS's flag for black point compensation (ISO 18619)."""
MOST_BYTES = 16 << 20


@dataclass(frozen=True)
class Press:
    """A CMYK profile with its tables; littleCMS converts in float32, relative to the paper, with black at black."""

    name: str
    data: bytes = field(repr=False)
    digest: str

    @property
    def channels(self) -> int:
        """Inks."""
        return 4

    def from_working(self, encoded: Floats) -> Floats:
        """Encoded working colours ``(..., 3)`` to covers of cyan, magenta, yellow and black ``(..., 4)``, 0…1."""
        flat = np.ascontiguousarray(np.clip(decode(encoded), 0, 1), np.float32).reshape(1, -1, 3)
        out = imagecodecs.cms_transform(
            flat, profile_bytes(WORKING, linear=True), self.data, colorspace="rgb", outcolorspace="cmyk",
            outdtype="float32", intent=RELATIVE, flags=BLACK_POINT,
        )  # fmt: skip
        # littleCMS tells ink in per cent.
        return np.clip(out.reshape(*encoded.shape[:-1], 4) / 100, 0, 1)

    def to_working(self, ink: Floats) -> Floats:
        """Covers ``(..., 4)`` to encoded working colours ``(..., 3)`` as they look beside the paper's white."""
        flat = np.ascontiguousarray(ink * 100, np.float32).reshape(1, -1, 4)
        out = imagecodecs.cms_transform(
            flat, self.data, profile_bytes(WORKING, linear=True), colorspace="cmyk", outcolorspace="rgb",
            outdtype="float32", intent=RELATIVE, flags=BLACK_POINT,
        )  # fmt: skip
        return np.asarray(encode(out.reshape(*ink.shape[:-1], 3)), np.float32)

    def proofed(self, encoded: Floats) -> Floats:
        """Encoded working colours ``(..., 3)`` as they will look once they are printed."""
        return self.to_working(self.from_working(encoded))


def read_press(data: bytes) -> Press:
    """A press by its ICC profile.

    Raises
    ------
    PictureError
        If that is no ICC profile, not one for CMYK, or one that converts one way only.
    """
    if len(data) > MOST_BYTES:
        raise PictureError(f"This profile is larger than {MOST_BYTES >> 20} MB.")
    if len(data) < 132 or data[36:40] != b"acsp":
        raise PictureError("This file is not an ICC profile.")
    if data[16:20] != b"CMYK":
        raise PictureError("This profile is not for a press with four inks (CMYK).")
    press = Press(described(data), data, sha256(data).hexdigest())
    try:
        seen = press.proofed(np.array([[0.2, 0.4, 0.6], [1.0, 1.0, 1.0]], np.float32))
        if not np.isfinite(seen).all():
            raise ValueError("not finite")
    except Exception as error:
        raise PictureError("This profile cannot be used: it is damaged, or has no tables for both ways.") from error
    return press
