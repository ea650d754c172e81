"""Helper views: a finished view shown in a way that brings something out, or as it will be seen at last."""

from dataclasses import dataclass
from math import radians, tan
from typing import Literal

import cv2
import numpy as np

from retouch.colour.encoding import decode, encode
from retouch.colour.spaces import DISPLAY_P3, SRGB, WORKING, Space, between
from retouch.colour.tones import lightness, oklab
from retouch.frame import Frame, resample
from retouch.render.plan import Renderer
from retouch.types import Floats

Look = Literal[
    "plain", "brighter", "darker", "clipping", "grey", "unevenness", "shading", "texture", "saturation", "halo",
    "proof", "final",
]  # fmt: skip
HARD = 3.0
"""EV by which the view is brightened or darkened to see how far the picture goes."""
FULL = 254.5 / 255
EMPTY = 0.5 / 255
HIGH_MARK, LOW_MARK = (0.36, 0.20, 0.62), (0.05, 0.66, 0.62)
"""Encoded working colours for what is full in a channel (violet), and for what is empty (blue-green)."""

MAP_UNIT = 1000
"""Pixels on the long side of the map on which wide structure is worked out, whatever the zoom."""
MIDDLE = (0.004, 0.025)
"""Standard deviations, in long sides, between which structure counts as unevenness: blotches, not pores or features."""
GREY = 0.6
"""OKLab lightness about which structure is shown."""
DARKER = 1.2
"""EV by which the grey view is darker."""
UNEVEN, TEXTURE = 2.5, 3.0
"""How much structure is amplified."""
MOST_CHROMA = 0.25
"""OKLab chroma that the view of saturation shows white."""
OUT = 0.002
"""Linear light by which a colour may leave a profile's range before it is marked."""
STEEP, FLAT = 0.006, 0.008
"""Change of lightness from one pixel of the map to the next: by the touches, that is marked wholly; of the picture
itself, that hides it."""
ACUITY = 1 / 60
"""Degrees that an eye of normal acuity tells apart: one minute of arc (ISO 8596)."""


@dataclass(frozen=True)
class Check:
    """How the view is looked at.

    ``size``: standard deviation, in long sides, that parts shading from texture. ``into``: the output profile of the
    soft proof. ``pixels``: the long side of the final picture.
    """

    look: Look = "plain"
    size: float = 0.008
    into: Literal["srgb", "display-p3"] = "srgb"
    pixels: int = 1600


def looked(renderer: Renderer, frame: Frame, check: Check) -> Floats:
    """The finished picture on ``frame`` (encoded working colours, h × w × 3) as ``check`` shows it."""
    match check.look:
        case "plain":
            return renderer.draw(frame)
        case "brighter" | "darker":
            ev = HARD if check.look == "brighter" else -HARD
            return encode(decode(renderer.draw(frame)) * np.float32(2.0**ev))
        case "clipping":
            return clipping(renderer.draw(frame))
        case "grey":
            return grey(renderer.draw(frame))
        case "saturation":
            return saturation(renderer.draw(frame))
        case "proof":
            return proof(renderer.draw(frame), DISPLAY_P3 if check.into == "display-p3" else SRGB)
        case "final":
            return final(renderer, frame, check.pixels)
        case "unevenness":
            small, at = whole(renderer)
            return of_lightness(GREY + UNEVEN * resample(unevenness(lightness(small)), at, frame))
        case "shading":
            small, at = whole(renderer)
            return resample(blurred(small, check.size), at, frame)
        case "texture":
            small, at = whole(renderer)
            below = resample(blurred(lightness(small), check.size), at, frame)
            return of_lightness(GREY + TEXTURE * (lightness(renderer.draw(frame)) - below))
        case "halo":
            small, at = whole(renderer)
            seams = halo(lightness(renderer.original(at)), lightness(small))
            return marked(grey(renderer.draw(frame)), resample(seams, at, frame))


def whole(renderer: Renderer) -> tuple[Floats, Frame]:
    """The finished picture at MAP_UNIT, and its frame; kept, and not to be changed."""
    at = renderer.scaled(MAP_UNIT)
    return renderer.once(f"result {renderer.key}", lambda: renderer.draw(at)), at


def clipping(picture: Floats) -> Floats:
    """The view with its pixels marked of which a channel leaves no step in 8-bit sRGB: full, or empty."""
    srgb = encode(decode(picture) @ between(WORKING, SRGB).T.astype(np.float32))
    out = picture.copy()
    out[(srgb <= EMPTY).any(-1)] = LOW_MARK
    out[(srgb >= FULL).any(-1)] = HIGH_MARK
    return out


def of_lightness(light: Floats) -> Floats:
    """Encoded greys of OKLab lightness: a grey's linear light is its cube (Ottosson 2020)."""
    value = encode(np.clip(light, 0, 1).astype(np.float32) ** 3)
    return np.repeat(value[..., None], 3, axis=2)


def grey(picture: Floats) -> Floats:
    """Lightness alone, darker: what is uneven in skin stands out without its colour."""
    return of_lightness(lightness(picture) * np.float32(2.0 ** (-DARKER / 3)))


def saturation(picture: Floats) -> Floats:
    """OKLab chroma as grey, from black (none) to white (MOST_CHROMA)."""
    lab = oklab(picture)
    value = np.clip(np.hypot(lab[..., 1], lab[..., 2]) / MOST_CHROMA, 0, 1)
    return np.repeat(value[..., None], 3, axis=2).astype(np.float32)


def blurred(values: Floats, size: float) -> Floats:
    """A Gaussian of standard deviation ``size`` long sides; borders are mirrored."""
    return np.asarray(cv2.GaussianBlur(values, (0, 0), size * max(values.shape[:2]), borderType=cv2.BORDER_REFLECT))


def unevenness(light: Floats) -> Floats:
    """The mid-size structure of lightness: the difference of two Gaussians, MIDDLE long sides wide."""
    fine, coarse = (blurred(light, size) for size in MIDDLE)
    return np.asarray(fine - coarse)


def halo(before: Floats, after: Floats) -> Floats:
    """Where the touches change lightness steeply although the picture itself has no edge there, 0…1.

    ``before`` and ``after`` are OKLab lightness on one map. A change that begins at an edge of the picture is hidden by
    it; one that begins elsewhere is seen as a seam or a halo.
    """
    change, own = (_slope(v) for v in (after - before, before))
    return np.clip(change / STEEP, 0, 1) * np.exp(-((own / FLAT) ** 2))


def _slope(light: Floats) -> Floats:
    """The length of the gradient, per pixel (Scharr's kernel, weights summing to one)."""
    x, y = (cv2.Scharr(light, cv2.CV_32F, i, 1 - i, scale=1 / 32) for i in (1, 0))
    return np.asarray(np.hypot(x, y))


def marked(picture: Floats, share: Floats) -> Floats:
    """The view with a mark laid on by ``share`` 0…1."""
    return picture + share[..., None] * (np.array(HIGH_MARK, np.float32) - picture)


def proof(picture: Floats, space: Space) -> Floats:
    """The view as an output profile will hold it; what lies outside its range is marked."""
    device = decode(picture) @ between(WORKING, space).T.astype(np.float32)
    out = encode(np.clip(device, 0, 1) @ between(space, WORKING).T.astype(np.float32))
    out[((device < -OUT) | (device > 1 + OUT)).any(-1)] = HIGH_MARK
    return out


def final(renderer: Renderer, frame: Frame, pixels: int) -> Floats:
    """The view with no more detail than the final picture holds, ``pixels`` on its long side."""
    if pixels >= frame.unit:
        return renderer.draw(frame)
    at = frame.at_unit(pixels, 2)
    return resample(renderer.draw(at), at, frame)


def pixels_seen(centimetres: float, distance: float) -> int:
    """Pixels on the long side of a print that an eye of normal acuity tells apart at ``distance`` (both in cm)."""
    return max(1, round(centimetres / (distance * tan(radians(ACUITY)))))
