"""Helper views: a finished view shown in a way that brings something out, or as it will be seen at last."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from math import radians, tan
from typing import Literal

import cv2
import numba
import numpy as np

from retouch.bands import in_bands
from retouch.colour.encoding import decode, encode
from retouch.colour.press import Press
from retouch.colour.spaces import DISPLAY_P3, SRGB, WORKING, Space, between
from retouch.colour.tones import clipped_oklab, lightness, linear
from retouch.frame import Frame, resample
from retouch.render.plan import FINE, Renderer
from retouch.render.table import apply_table, table_of
from retouch.touches.exposure import Exposure
from retouch.types import Encoded, Floats

CheckName = Literal[
    "plain", "brighter", "darker", "clipping", "grey", "unevenness", "shading", "texture", "saturation", "halo",
    "proof", "final", "layer",
]  # fmt: skip
HARD = 3.0
"""EV by which the view is brightened or darkened to see how far the picture goes."""
FULL = 254.5 / 255
EMPTY = 0.5 / 255
HIGH_MARK, LOW_MARK = (0.36, 0.20, 0.62), (0.05, 0.66, 0.62)
"""Encoded working colours for what is full in a channel (violet), and for what is empty (blue-green)."""

CHECK_UNIT = 1000
"""Pixels on the long side of the map on which wide structure is worked out, whatever the zoom."""
MIDDLE = (0.004, 0.025)
"""Standard deviations, in long sides, between which structure counts as unevenness: blotches, not pores or features."""
GREY = 0.6
"""OKLab lightness about which structure is shown."""
DARKER = 1.2
"""EV by which the grey view is darker."""
UNEVEN, TEXTURE, LAYER = 2.5, 3.0, 4.0
"""How much structure is amplified."""
MOST_CHROMA = 0.25
"""OKLab chroma that the view of saturation shows white."""
OUT = 0.002
"""Linear light by which a colour may leave a profile's range before it is marked."""
STEEP, FLAT = 0.006, 0.008
"""Change of lightness from one pixel of the map to the next: by the touches, that is marked wholly; of the picture
itself, that hides it."""
_GREYS = encode(np.linspace(0, 1, 65536) ** 3).astype(np.float32)
"""Encoded greys of 65536 steps of lightness."""
ACUITY = 1 / 60
"""Degrees that an eye of normal acuity tells apart: one minute of arc (ISO 8596)."""


@dataclass(frozen=True)
class Check:
    """How the view is looked at.

    ``size``: standard deviation, in long sides, that parts shading from texture. ``into``: the output profile of the
    soft proof, or the ``press`` on whose paper it is seen. ``pixels``: the long side of the final picture. ``layer``: a
    touch, and which of its layers is shown.
    """

    look: CheckName = "plain"
    size: float = 0.008
    into: Literal["srgb", "display-p3"] = "srgb"
    press: Press | None = None
    pixels: int = 1600
    layer: tuple[str, str] | None = None


def looked(renderer: Renderer, frame: Frame, check: Check) -> Encoded:
    """The finished picture on ``frame`` (encoded working colours, h × w × 3) as ``check`` shows it."""
    match check.look:
        case "plain":
            return renderer.draw(frame)
        case "brighter" | "darker":
            return harder(renderer.draw(frame), HARD if check.look == "brighter" else -HARD)
        case "clipping":
            return clipping(renderer.draw(frame))
        case "grey":
            return grey(renderer.draw(frame))
        case "saturation":
            return saturation(renderer.draw(frame))
        case "proof" if check.press is not None:
            return Encoded(check.press.proofed(renderer.draw(frame)))
        case "proof":
            return proof(renderer.draw(frame), DISPLAY_P3 if check.into == "display-p3" else SRGB)
        case "final":
            return final(renderer, frame, check.pixels)
        case "layer":
            try:
                draw = partial(renderer.layer, *(check.layer or ("", "")))
                return of_lightness(GREY + LAYER * renderer.shapes.placed(draw, frame))
            except KeyError:
                # What one compares with has no such touch: it is shown as it is.
                return renderer.draw(frame)
    small, at = whole(renderer)

    def wide(make: Callable[[], Floats]) -> Floats:
        """What is worked out on the map, once for the sheet, on the frame."""
        name = f"{check.look} {check.size} {renderer.key}"
        return resample(renderer.once(name, make), at, frame)

    match check.look:
        case "unevenness":
            return of_lightness(wide(lambda: GREY + UNEVEN * unevenness(lightness(small))))
        case "shading":
            return Encoded(wide(lambda: blurred(small, check.size)))
        case "texture":
            below = wide(lambda: blurred(lightness(small), check.size))
            return of_lightness(GREY + TEXTURE * (lightness(renderer.draw(frame)) - below))
        case "halo":
            seams = wide(lambda: halo(lightness(_original(renderer, at)), lightness(small)))
            return marked(renderer.draw(frame), seams)


def _original(renderer: Renderer, frame: Frame) -> Encoded:
    return Encoded(renderer.shapes.placed(renderer.original, frame))


def whole(renderer: Renderer) -> tuple[Encoded, Frame]:
    """The finished picture at CHECK_UNIT, and its frame; kept, and not to be changed."""
    at = renderer.finished(CHECK_UNIT)
    return Encoded(renderer.once(f"result {renderer.key}", lambda: renderer.draw(at))), at


def harder(picture: Encoded, ev: float) -> Encoded:
    """The view brightened, or darkened, by ``ev`` stops of linear light."""
    out = picture.copy()
    apply_table(out, table_of(Exposure(ev=ev), "normal", FINE), None, 1.0)
    return out


def clipping(picture: Encoded) -> Encoded:
    """The view with its pixels marked of which a channel leaves no step in 8-bit sRGB: full, or empty."""
    empty, full = decode(np.array([EMPTY, FULL]))
    return _outside(picture, SRGB, float(empty), float(full), LOW_MARK)


def proof(picture: Encoded, space: Space) -> Encoded:
    """The view with what lies outside an output profile's range marked; the rest comes through it as it is."""
    return _outside(picture, space, -OUT, 1 + OUT, HIGH_MARK)


def _outside(picture: Encoded, space: Space, low: float, high: float, low_mark: tuple[float, float, float]) -> Encoded:
    """HIGH_MARK where a channel of ``space``, linear, reaches ``high``; else ``low_mark`` where one is at ``low``."""
    out, matrix = picture.copy(), between(WORKING, space).astype(np.float32)
    marks = np.array([low_mark, HIGH_MARK], np.float32)

    def work(rows: slice) -> None:
        _mark_outside(out[rows], cv2.transform(linear(Encoded(picture[rows])), matrix), low, high, marks)

    in_bands(work, picture.shape[0])
    return out


@numba.njit(nogil=True, cache=True)
def _mark_outside(out, device, low, high, marks):  # type: ignore[no-untyped-def]
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            least = min(device[y, x, 0], device[y, x, 1], device[y, x, 2])
            most = max(device[y, x, 0], device[y, x, 1], device[y, x, 2])
            if most >= high:
                out[y, x] = marks[1]
            elif least <= low:
                out[y, x] = marks[0]


def of_lightness(light: Floats) -> Encoded:
    """Encoded greys of OKLab lightness: a grey's linear light is its cube (Ottosson 2020)."""
    out = np.empty((*light.shape, 3), np.float32)

    def work(rows: slice) -> None:
        value = _GREYS[(np.clip(light[rows], 0, 1) * 65535 + 0.5).astype(np.uint16)]
        out[rows] = cv2.merge((value, value, value))

    in_bands(work, light.shape[0])
    return Encoded(out)


def grey(picture: Encoded) -> Encoded:
    """Lightness alone, darker: what is uneven in skin stands out without its colour."""
    return of_lightness(lightness(picture) * np.float32(2.0 ** (-DARKER / 3)))


def saturation(picture: Encoded) -> Encoded:
    """OKLab chroma as grey, from black (none) to white (MOST_CHROMA)."""
    out = np.empty_like(picture)

    def work(rows: slice) -> None:
        _, a, b = cv2.split(clipped_oklab(Encoded(picture[rows])))
        chroma = np.minimum(cv2.magnitude(a, b) / np.float32(MOST_CHROMA), 1)
        out[rows] = cv2.merge((chroma, chroma, chroma))

    in_bands(work, picture.shape[0])
    return out


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
    return np.asarray(np.clip(change / STEEP, 0, 1) * np.exp(-((own / FLAT) ** 2)))


def _slope(light: Floats) -> Floats:
    """The length of the gradient, per pixel (Scharr's kernel, weights summing to one)."""
    x, y = (cv2.Scharr(light, cv2.CV_32F, i, 1 - i, scale=1 / 32) for i in (1, 0))
    return np.asarray(np.hypot(x, y))


def marked(picture: Encoded, share: Floats) -> Encoded:
    """The view with a mark laid on by ``share`` 0…1."""
    out, mark = picture.copy(), np.array(HIGH_MARK, np.float32)

    def work(rows: slice) -> None:
        three = cv2.merge((share[rows],) * 3)
        out[rows] += three * (mark - picture[rows])

    in_bands(work, picture.shape[0])
    return out


def final(renderer: Renderer, frame: Frame, pixels: int) -> Encoded:
    """The view with no more detail than the final picture holds, ``pixels`` on its long side."""
    if pixels >= frame.unit:
        return renderer.draw(frame)
    at = frame.at_unit(pixels, 2)
    return Encoded(resample(renderer.draw(at), at, frame))


def pixels_seen(centimetres: float, distance: float) -> int:
    """Pixels on the long side of a print that an eye of normal acuity tells apart at ``distance`` (both in cm)."""
    return max(1, round(centimetres / (distance * tan(radians(ACUITY)))))
