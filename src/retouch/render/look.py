"""Ways of looking at a finished view that never enter the sheet."""

from typing import Literal

import numpy as np

from retouch.colour.encoding import decode, encode
from retouch.colour.spaces import SRGB, WORKING, between
from retouch.types import Floats

Look = Literal["plain", "brighter", "darker", "clipping"]
HARD = 3.0
"""EV by which the view is brightened or darkened to see how far the picture goes."""
FULL = 254.5 / 255
EMPTY = 0.5 / 255
HIGH_MARK, LOW_MARK = (0.36, 0.20, 0.62), (0.05, 0.66, 0.62)
"""Encoded working colours for what is full in a channel (violet), and for what is empty (blue-green)."""


def looked(picture: Floats, look: Look) -> Floats:
    """The view (float32, h × w × 3) as it is looked at; *plain* is the view itself."""
    if look == "plain":
        return picture
    if look == "clipping":
        return clipping(picture)
    return encode(decode(picture) * np.float32(2.0 ** (HARD if look == "brighter" else -HARD)))


def clipping(picture: Floats) -> Floats:
    """The view with its pixels marked of which a channel leaves no step in 8-bit sRGB: full, or empty."""
    srgb = encode(decode(picture) @ between(WORKING, SRGB).T.astype(np.float32))
    out = picture.copy()
    out[(srgb <= EMPTY).any(-1)] = LOW_MARK
    out[(srgb >= FULL).any(-1)] = HIGH_MARK
    return out
