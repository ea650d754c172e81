"""The finished picture in bands of rows, so that memory does not grow with the number of touches."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any, Literal

import numpy as np

from retouch.colour.icc import P3_PROFILE, SRGB_PROFILE, Profile, profile_bytes, read_profile
from retouch.colour.press import Press
from retouch.colour.spaces import DISPLAY_P3, SRGB
from retouch.faces.finding import find
from retouch.faces.found import Found
from retouch.files.openraster import laid, layer_of, write_openraster
from retouch.files.reading import Original
from retouch.files.writing import FORMATS, Format, told_exif, write
from retouch.files.xmp import Credits, packet
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.output import to_file
from retouch.render.picture import Decoded
from retouch.render.plan import Renderer
from retouch.render.sized import Medium, Reducing, Size, Sized, for_medium, sharpened
from retouch.sheet import Set, Sheet, Touch
from retouch.sheet.telling import sentence
from retouch.touches.base import Moved
from retouch.types import Coverage, Encoded, PictureError

ROWS = 256
"""Rows that are drawn at once."""
MOST_READ, NARROWEST = 3, 600
"""How many times its own size may be read for what is drawn at once; else it is parted, down to so many columns."""
Into = Literal["srgb", "display-p3", "original", "press"]


@dataclass(frozen=True)
class Order:
    """What kind of file is wanted, how large, and for what it is sharpened there.

    ``quality`` 1…100 is for JPEG, WebP, AVIF and JPEG XL. JPEG and WebP have 8 bits; an AVIF of 16 has the 12 that it
    can hold; a JPEG XL is written in sRGB alone.
    ``into`` a press: TIFF or JPEG in the four inks of its profile. ``place``: where the picture was taken stays in the
    file; ``with_sheet``: the sheet lies in it, as XMP. The others are said in the file: see
    :class:`retouch.files.xmp.Credits`.
    """

    form: Format = "jpeg"
    bits: Literal[8, 16] = 8
    into: Into = "srgb"
    quality: int = 92
    by: Sized = "full"
    amount: float = 0.0
    dpi: int = 300
    sharpen: Medium = "no"
    place: bool = False
    with_sheet: bool = False
    title: str = ""
    creator: str = ""
    rights: str = ""
    email: str = ""
    web: str = ""

    def __post_init__(self) -> None:
        """Refuse what no file can hold, and a size that is none."""
        if self.form in ("jpeg", "webp", "ora") and self.bits == 16:
            raise PictureError(f"{FORMATS[self.form]} holds 8 bits. Choose PNG, TIFF, AVIF or JPEG XL for more.")
        if self.into == "press" and self.form not in ("tiff", "jpeg"):
            raise PictureError(f"{FORMATS[self.form]} has no inks. Choose TIFF or JPEG for a press.")
        if self.form == "jxl" and self.into != "srgb":
            raise PictureError("JPEG XL is written in sRGB here. Choose sRGB, or another kind of file.")
        if self.form == "ora" and self.with_sheet:
            raise PictureError("An OpenRaster file has layers, and no place for a sheet.")
        _ = self.size

    @property
    def size(self) -> Size:
        """How large the picture becomes."""
        return Size(self.by, self.amount, self.dpi)

    @property
    def credit(self) -> Credits:
        """What is said in the file."""
        return Credits(self.title, self.creator, self.rights, self.email, self.web)


def export(
    original: Original,
    sheet: Sheet,
    order: Order,
    path: Path,
    progress: Callable[[float], None] = lambda share: None,
    found: Callable[[Decoded], Found | None] = find,
    press: Press | None = None,
) -> None:
    """Render ``sheet`` over ``original`` into the file ``path``: at full size, then reduced if that is ordered.

    ``progress`` is told the finished share 0…1 between bands; what it raises ends the export. ``found`` gives what the
    program finds on the picture; it is asked only if an area needs it. ``press``: the one that is ordered into.
    """
    picture = Decoded(original)
    if order.into == "press" and press is None:
        raise PictureError("The profile of this press is no longer there. Nothing was written.")
    profile: Profile | Press
    profile, icc = (press, press.data) if order.into == "press" and press else profile_for(order.into, original)
    renderer = partial(Renderer, picture, cache=Cache(0), found=partial(found, picture))
    if order.form == "ora":
        write_openraster(path, layers(sheet, order, profile, progress, renderer), icc)
    else:
        out = finished(sheet, order, profile, lambda share: progress(0.9 * share), renderer)
        inside = sheet.model_dump_json() if order.with_sheet else ""
        exif = told_exif(original.exif, order.credit, order.place)
        write(path, out, order.form, icc, exif, order.quality, packet(order.credit, inside))
    progress(1.0)


Made = Callable[[Sheet], Renderer]


def finished(
    sheet: Sheet,
    order: Order,
    profile: Profile | Press,
    progress: Callable[[float], None],
    made: Made,
) -> np.ndarray[Any, Any]:
    """The pixels of a finished file (height × width × channels), in ``profile``, of the order's depth and size."""
    cut = made(Sheet(geometry=sheet.geometry))
    whole, of = Frame.whole(*cut.size), max(cut.picture.width, cut.picture.height)
    width, height = order.size.of(*whole.scale)
    smaller = Reducing(*whole.scale, (width, height)) if (width, height) != whole.scale else None
    if smaller is None:
        sheet = for_medium(sheet, whole.unit, order.sharpen, of)
    renderer = made(sheet)
    channels = profile.channels if isinstance(profile, Press) else 3
    out = np.empty((height, width, channels), np.uint8 if order.bits == 8 else np.uint16)
    for top in range(0, whole.h, ROWS):
        band = whole.rows(top, min(top + ROWS, whole.h))
        drawn = Encoded(np.empty((*band.shape, 3), np.float32))
        for piece in pieces(renderer, band):
            drawn[piece.slices_in(band)] = renderer.draw(piece)
        if smaller is not None:
            smaller.add(drawn, top)
        else:
            out[band.slices_in(whole)] = to_file(drawn, profile, order.bits)
        progress((top + band.h) / whole.h)
    if smaller is not None:
        out[:] = to_file(sharpened(smaller.picture(), order.sharpen), profile, order.bits)
    return out


def layers(
    sheet: Sheet,
    order: Order,
    profile: Profile | Press,
    progress: Callable[[float], None],
    made: Made,
) -> Iterator[tuple[str, np.ndarray[Any, Any]]]:
    """The picture as it came, then every touch and set of the sheet as a layer masked by its area, the lowest first.

    One over the other they give the finished picture. What moves has moved on all of them, and is no layer itself.
    """
    moved = [s for s in sheet.touches if isinstance(s, Touch) and isinstance(s.settings, Moved)]
    steps = [s for s in sheet.touches if isinstance(s, Touch | Set) and s not in moved and s.on]
    stages = [*range(len(steps) + 1), *([len(steps)] if order.sharpen != "no" else [])]
    below: np.ndarray[Any, Any] | None = None
    for number, many in enumerate(stages):
        last = number > len(steps)
        so_far = sheet.model_copy(update={"touches": [*steps[:many], *moved]})
        asked = order if last else replace(order, sharpen="no")
        out = finished(so_far, asked, profile, _part(progress, number, len(stages)), made)
        if below is None:
            opaque = np.full((*out.shape[:2], 1), 255, np.uint8)
            yield "as it came", np.concatenate([out, opaque], axis=-1)
            below = out
            continue
        step = steps[many - 1]
        mask = np.zeros(out.shape[:2], np.uint8)
        if not last:
            mask = _mask(made(so_far), step, Frame.whole(out.shape[1], out.shape[0]))
        layer = layer_of(below, out, mask)
        below = laid(below, layer)
        yield f"sharpened for {order.sharpen}" if last else sentence(step, sheet), layer


def _part(progress: Callable[[float], None], number: int, count: int) -> Callable[[float], None]:
    return lambda share: progress((number + share) / count)


def _mask(renderer: Renderer, step: Touch | Set, frame: Frame) -> np.ndarray[Any, Any]:
    if step.area is None:
        return np.full(frame.shape, int(np.clip(step.strength, 0, 1) * 255 + 0.5), np.uint8)
    coverage = renderer.shapes.placed(partial(_area, renderer, step), frame)
    return np.asarray(np.clip(coverage * step.strength, 0, 1) * 255 + 0.5, np.uint8)


def _area(renderer: Renderer, step: Touch | Set, frame: Frame) -> Coverage:
    return renderer.area(step.area or "", frame, step.id)


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
