"""Colours as they are typed: sRGB in hexadecimal digits."""

from typing import Annotated

import numpy as np
from pydantic import Field

from retouch.colour.encoding import decode, encode
from retouch.colour.spaces import SRGB, WORKING, between
from retouch.types import Floats

Hex = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$", description="sRGB as #rrggbb")]


def from_hex(colour: str) -> Floats:
    """An sRGB ``#rrggbb`` as an encoded working colour (3,)."""
    srgb = np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)]) / 255
    return encode(between(SRGB, WORKING) @ decode(srgb))


def to_hex(colour: Floats) -> str:
    """An encoded working colour (3,) as the nearest sRGB ``#rrggbb``."""
    srgb = np.clip(encode(between(WORKING, SRGB) @ decode(np.asarray(colour, np.float64))), 0, 1)
    return "#" + "".join(f"{int(v * 255 + 0.5):02x}" for v in srgb)
