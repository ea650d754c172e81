"""What a person may be made of: told on a small map at a scale that the face gives, and laid on the picture."""

from typing import NamedTuple

import cv2
import numpy as np

from retouch.colour.tones import clipped_oklab
from retouch.faces import strands
from retouch.faces.found import Map
from retouch.faces.relative import unshaded
from retouch.faces.skin_hair import around, lined, settled, skin_and_hair, sure
from retouch.frame import Frame, resample
from retouch.segment.guided import Read, followed
from retouch.types import Encoded, Floats


class Look(NamedTuple):
    """On a small map of ``at``: how likely skin, hair and no part of a body are (h × w × 3), skin and hair as lines of
    colour (h × w × 4), and the colours that they have near by (h × w × 3); and whether they are clearly told."""

    at: Frame
    told: Floats
    lines: tuple[Floats, Floats]
    near: tuple[Floats, Floats]
    sure: tuple[bool, bool]


def looked(read: Read, width: int, height: int, marks: Floats, frame: Frame, own: Floats) -> Look:
    """What the person is made of whose face has the mesh ``marks`` (in long sides).

    ``own`` is the person's coverage on ``frame``, the whole picture; ``read`` gives its colours, ``width`` and
    ``height`` are its own.
    """
    at = around(marks, Map(frame, (255 * own).astype(np.uint8)), width, height)
    mine = resample(own.astype(np.float32), frame, at)
    colours = read(at)
    points = marks * at.unit - np.array([at.x, at.y])
    skin, hair, other = skin_and_hair(clipped_oklab(colours), points, mine)
    small = Encoded(np.asarray(cv2.resize(colours, skin.shape[::-1], interpolation=cv2.INTER_AREA), np.float32))
    points = points * (skin.shape[1] / at.w)
    plain = unshaded(clipped_oklab(small))
    return Look(
        at, np.dstack([skin, hair, other]), (lined(skin, small, points), lined(hair, small, points)),
        (strands.usual(plain, skin, points), strands.usual(plain, hair, points)), (sure(skin), sure(hair)),
    )  # fmt: skip


def laid(small: Floats, at: Frame, frame: Frame) -> Floats:
    """A small map of ``at`` (up to four values a pixel), drawn on ``frame``; 0 beside it."""
    sx, sy = at.w / small.shape[1] * frame.unit / at.unit, at.h / small.shape[0] * frame.unit / at.unit
    if sx < 1:
        small = np.asarray(cv2.GaussianBlur(small, (0, 0), 0.4 / sx), np.float32)
    x0, y0 = at.x * frame.unit / at.unit - frame.x, at.y * frame.unit / at.unit - frame.y
    # The middle of the first pixel is at 0.5 in pixels of the picture, and at 0 for the drawing.
    move = np.array([[sx, 0, x0 + 0.5 * sx - 0.5], [0, sy, y0 + 0.5 * sy - 0.5]])
    return np.asarray(cv2.warpAffine(small, move, (frame.w, frame.h), flags=cv2.INTER_LINEAR), np.float32)


def parts(
    look: Look, marks: Floats, frame: Frame, colours: Encoded, own: Floats, fine: bool
) -> tuple[Floats, Floats, Floats]:
    """Coverage of skin and hair on ``frame``, the whole picture, and how likely what is no part of a body is.

    ``colours`` and the person's coverage ``own`` are on the frame, ``marks`` in long sides. ``fine`` parts skin from
    hair strand by strand, which costs more.
    """
    told = laid(look.told, look.at, frame)
    along = np.dstack([followed(laid(line, look.at, frame), colours) for line in look.lines])
    if fine and (doubt := strands.doubtful(told, along, own)).any():
        x, y, w, h = cv2.boundingRect(doubt.astype(np.uint8))
        here = Frame(*frame.scale, x, y, w, h).grown(strands.room(marks * frame.unit))
        box = here.slices_in(frame)
        against, way = colours_near(look, here, Encoded(colours[box]))
        points = marks * frame.unit - np.array([here.x, here.y])
        along[box] = strands.parted(against, way, points, own[box], told[box], along[box], doubt[box])
    skin, hair = settled(along[..., 0], along[..., 1], marks * frame.unit, own)
    return skin, hair, told[..., 2]


def colours_near(look: Look, frame: Frame, colours: Encoded) -> tuple[Floats, Floats]:
    """How colours differ from those that skin has near by, and how hair's differ from those; both (h × w × 3)."""
    skin, hair = (laid(one, look.at, frame) for one in look.near)
    return unshaded(clipped_oklab(colours)) - skin, hair - skin
