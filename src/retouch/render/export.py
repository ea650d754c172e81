"""The finished picture in bands of rows, so that memory does not grow with the number of touches."""

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
from retouch.files.writing import FORMATS, Format, write
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.output import to_file
from retouch.render.picture import Decoded
from retouch.render.plan import Renderer
from retouch.render.sized import Medium, Reducing, Size, Sized, for_medium, sharpened
from retouch.sheet import Sheet
from retouch.types import Encoded, PictureError

ROWS = 256
"""Rows that are drawn at once."""
MOST_READ, NARROWEST = 3, 600
"""How many times its own size may be read for what is drawn at once; else it is parted, down to so many columns."""
Into = Literal["srgb", "display-p3", "original"]


@dataclass(frozen=True)
class Order:
    """What kind of file is wanted, how large, and for what it is sharpened there.

    ``quality`` 1…100 is for JPEG, WebP and AVIF. JPEG and WebP have 8 bits; an AVIF of 16 has the 12 that it can hold.
    """

    form: Format = "jpeg"
    bits: Literal[8, 16] = 8
    into: Into = "srgb"
    quality: int = 92
    by: Sized = "full"
    amount: float = 0.0
    dpi: int = 300
    sharpen: Medium = "no"

    def __post_init__(self) -> None:
        """Refuse what no file can hold, and a size that is none."""
        if self.form in ("jpeg", "webp") and self.bits == 16:
            raise PictureError(f"A {FORMATS[self.form]} holds 8 bits. Choose PNG, TIFF or AVIF for more.")
        _ = self.size

    @property
    def size(self) -> Size:
        """How large the picture becomes."""
        return Size(self.by, self.amount, self.dpi)


def export(
    original: Original,
    sheet: Sheet,
    order: Order,
    path: Path,
    progress: Callable[[float], None] = lambda share: None,
    found: Callable[[Decoded], Found | None] = find,
) -> None:
    """Render ``sheet`` over ``original`` into the file ``path``: at full size, then reduced if that is ordered.

    ``progress`` is told the finished share 0…1 between bands; what it raises ends the export. ``found`` gives what the
    program finds on the picture; it is asked only if an area needs it.
    """
    picture = Decoded(original)
    profile, icc = profile_for(order.into, original)
    whole = Frame.whole(picture.width, picture.height)
    width, height = order.size.of(picture.width, picture.height)
    smaller = Reducing(picture.width, picture.height, (width, height)) if (width, height) != whole.scale else None
    if smaller is None:
        sheet = for_medium(sheet, whole.unit, order.sharpen)
    renderer = Renderer(picture, sheet, Cache(0), found=partial(found, picture))
    out = np.empty((height, width, 3), np.uint8 if order.bits == 8 else np.uint16)
    for top in range(0, picture.height, ROWS):
        band = whole.rows(top, min(top + ROWS, picture.height))
        drawn = Encoded(np.empty((*band.shape, 3), np.float32))
        for piece in pieces(renderer, band):
            drawn[piece.slices_in(band)] = renderer.draw(piece)
        if smaller is not None:
            smaller.add(drawn, top)
        else:
            out[band.slices_in(whole)] = to_file(drawn, profile, order.bits)
        progress(0.9 * (top + band.h) / picture.height)
    if smaller is not None:
        out[:] = to_file(sharpened(smaller.picture(), order.sharpen), profile, order.bits)
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
