"""A finished picture at the size of its use: reduced in linear light as its bands come, and sharpened there."""

from dataclasses import dataclass
from math import sqrt
from typing import Literal

import cv2
import numpy as np

from retouch.colour.encoding import decode, encode
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.plan import Renderer
from retouch.sheet import Sheet
from retouch.sheet.model import TOUCHES
from retouch.touches.sharpen import for_use
from retouch.types import Encoded, Floats, PictureError

INCH = 2.54
Sized = Literal["full", "long", "megapixels", "print"]
Medium = Literal["no", "screen", "glossy paper", "matt paper"]


@dataclass(frozen=True)
class Size:
    """How large: ``full``, or by ``amount``: ``long`` side in pixels, ``megapixels``, or a ``print``, in cm at ``dpi``.

    A picture never grows.
    """

    by: Sized = "full"
    amount: float = 0.0
    dpi: int = 300

    def __post_init__(self) -> None:
        """Refuse a size that is none."""
        if self.by != "full" and not 0 < self.amount < 1e6:
            raise PictureError("Say how large the file is to be: a number above 0.")

    def of(self, width: int, height: int) -> tuple[int, int]:
        """Width and height in pixels of a picture of which there are ``width`` × ``height``."""
        long = max(width, height)
        wanted = {
            "full": long,
            "long": self.amount,
            "megapixels": long * sqrt(self.amount * 1e6 / (width * height)),
            "print": self.amount / INCH * self.dpi,
        }[self.by]
        share = min(1.0, wanted / long)
        return max(1, round(width * share)), max(1, round(height * share))


class Reducing:
    """Takes a picture in bands from the top, and holds its mean over each pixel of a smaller one, in linear light."""

    def __init__(self, width: int, height: int, to: tuple[int, int]):
        self._from, self._to = (width, height), to
        self._sum = np.zeros((to[1], to[0], 3), np.float32)

    def add(self, band: Floats, top: int) -> None:
        """Encoded working colours of the rows from ``top``."""
        (_, height), (width, rows) = self._from, self._to
        across = cv2.resize(decode(band), (width, band.shape[0]), interpolation=cv2.INTER_AREA)
        share = height / rows
        first, last = int(top / share), min(rows, int(np.ceil((top + band.shape[0]) / share)))
        # How much of each row of the band lies in each row of the smaller picture.
        ends = np.arange(first, last + 1) * share
        mine = np.arange(top, top + band.shape[0])
        inside = np.minimum(mine + 1, ends[1:, None]) - np.maximum(mine, ends[:-1, None])
        weight = (np.clip(inside, 0, 1) / share).astype(np.float32)
        self._sum[first:last] += (weight @ across.reshape(len(mine), -1)).reshape(last - first, width, 3)

    def picture(self) -> Encoded:
        """Encoded working colours of the smaller picture, once all bands were added."""
        return Encoded(np.asarray(encode(self._sum), np.float32))


class Kept:
    """Encoded working colours in memory, as a picture that a renderer reads at its own size."""

    key = "kept"

    def __init__(self, colours: Encoded):
        self.colours = colours
        self.height, self.width = colours.shape[:2]

    def read(self, frame: Frame) -> Encoded:
        """See :class:`retouch.render.picture.Picture`."""
        if frame.scale != (self.width, self.height):
            whole = cv2.resize(self.colours, frame.scale, interpolation=cv2.INTER_AREA)
            return Encoded(np.ascontiguousarray(whole[frame.slices_in(Frame.whole(*frame.scale))]))
        return Encoded(self.colours[frame.slices_in(Frame.whole(self.width, self.height))].copy())


def for_medium(sheet: Sheet, pixels: int, medium: Medium, of: int | None = None) -> Sheet:
    """A sheet with the touch that sharpens ``pixels`` of the long side for what they are seen on, after all others.

    ``of``: the pixels of the original's long side at the same scale, where the picture is cut out of it.
    """
    if medium == "no":
        return sheet
    radius, amount = for_use(pixels, medium)
    settings = {"amount": amount, "radius": radius * pixels / (of or pixels)}
    last = TOUCHES["sharpen"].model_validate({"id": "for-its-use", "settings": settings})
    return sheet.model_copy(update={"touches": [*sheet.touches, last]})


def sharpened(picture: Encoded, medium: Medium) -> Encoded:
    """A picture at its final size, sharpened for what it is seen on."""
    height, width = picture.shape[:2]
    sheet = for_medium(Sheet(), max(height, width), medium)
    return Renderer(Kept(picture), sheet, Cache(0)).draw(Frame.whole(width, height))
