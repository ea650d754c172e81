"""The finished picture at full size, in bands of rows, so that memory does not grow with the number of touches."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Literal

import numpy as np

from retouch.colour.icc import P3_PROFILE, SRGB_PROFILE, Profile, profile_bytes, read_profile
from retouch.colour.spaces import DISPLAY_P3, SRGB
from retouch.faces.finding import find
from retouch.faces.found import Found
from retouch.files.reading import Original
from retouch.files.writing import Format, write
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.output import to_file
from retouch.render.picture import Decoded
from retouch.render.plan import Renderer
from retouch.sheet import Sheet
from retouch.types import PictureError

ROWS = 256
"""Rows that are drawn at once."""
MOST_READ, NARROWEST = 3, 600
"""How many times its own size may be read for what is drawn at once; else it is parted, down to so many columns."""
Into = Literal["srgb", "display-p3", "original"]


@dataclass(frozen=True)
class Order:
    """What kind of file is wanted. ``quality`` 1…100 is for JPEG; JPEG has 8 bits."""

    form: Format = "jpeg"
    bits: Literal[8, 16] = 8
    into: Into = "srgb"
    quality: int = 92

    def __post_init__(self) -> None:
        """Refuse what no file can hold."""
        if self.form == "jpeg" and self.bits == 16:
            raise PictureError("A JPEG holds 8 bits. Choose PNG or TIFF for 16.")


def export(
    original: Original,
    sheet: Sheet,
    order: Order,
    path: Path,
    progress: Callable[[float], None] = lambda share: None,
    found: Callable[[Decoded], Found | None] = find,
) -> None:
    """Render ``sheet`` over ``original`` at full size into the file ``path``.

    ``progress`` is told the finished share 0…1 between bands; what it raises ends the export. ``found`` gives what the
    program finds on the picture; it is asked only if an area needs it.
    """
    picture = Decoded(original)
    renderer = Renderer(picture, sheet, Cache(0), found=partial(found, picture))
    profile, icc = profile_for(order.into, original)
    whole = Frame.whole(picture.width, picture.height)
    out = np.empty((picture.height, picture.width, 3), np.uint8 if order.bits == 8 else np.uint16)
    for top in range(0, picture.height, ROWS):
        band = whole.rows(top, min(top + ROWS, picture.height))
        for piece in pieces(renderer, band):
            out[piece.slices_in(whole)] = to_file(renderer.draw(piece), profile, order.bits)
        progress(0.9 * (top + band.h) / picture.height)
    write(path, out, order.form, icc, original.exif, order.quality)
    progress(1.0)


def pieces(renderer: Renderer, band: Frame) -> list[Frame]:
    """A band in one piece, or in as many as keep small what is read for each: patches may come from far away."""
    if band.w <= NARROWEST or renderer.reads(band) <= MOST_READ * band.w * band.h:
        return [band]
    left, right = replace(band, w=band.w // 2), replace(band, x=band.x + band.w // 2, w=band.w - band.w // 2)
    return [*pieces(renderer, left), *pieces(renderer, right)]


def profile_for(into: Into, original: Original) -> tuple[Profile, bytes]:
    """The output profile and the bytes to write into the file; a grey original's own profile becomes sRGB."""
    if into == "display-p3":
        return P3_PROFILE, profile_bytes(DISPLAY_P3)
    if into == "original" and original.icc and original.facts.channels == 3:
        return read_profile(original.icc), original.icc
    return SRGB_PROFILE, profile_bytes(SRGB)
