"""What a face brings by itself to a picture: how large it is there, and how light and of which colour."""

from dataclasses import dataclass

import numpy as np

from retouch.colour.tones import clipped_oklab
from retouch.faces.found import Found
from retouch.frame import Frame
from retouch.segment.guided import Read
from retouch.types import Encoded

SIDE = 400
"""Pixels on the long side of the picture on which its colour is measured."""
LEAST = 40
"""Pixels of skin that say anything."""
BARE = 0.7
"""Coverage from which a pixel is skin alone."""


@dataclass(frozen=True)
class Own:
    """The face's height in long sides, and the median colour of its skin in OKLab (L, a, b); None: not known."""

    height: float | None = None
    colour: tuple[float, float, float] | None = None

    @property
    def light(self) -> float | None:
        """OKLab lightness of the skin."""
        return None if self.colour is None else self.colour[0]


UNKNOWN = Own()


def own(found: Found | None, whole: Frame, read: Read, of: int = 0) -> Own:
    """What the face with number ``of`` (0: all of them together) brings to a picture.

    Parameters
    ----------
    whole
        The whole picture at its own size.
    read
        Gives the original's encoded working colours on a frame.
    """
    if found is None:
        return UNKNOWN
    height = found.face_height(of)
    if not found.has("skin", of):
        return Own(height)
    share = min(1.0, SIDE / whole.unit)
    at = Frame.whole(max(1, round(whole.w * share)), max(1, round(whole.h * share)))
    bare = (found.coverage("skin", of, at, read) * found.coverage("face", of, at, read)) > BARE
    if bare.sum() < LEAST:
        return Own(height)
    lightness, a, b = np.median(clipped_oklab(Encoded(read(at)[bare][:, None])), axis=(0, 1))
    return Own(height, (float(lightness), float(a), float(b)))
