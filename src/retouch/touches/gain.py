"""Gains of linear light, laid on encoded colours: what touches that work on light do at every pixel."""

from typing import Any

import numba
import numpy as np

from retouch.bands import in_bands
from retouch.colour.encoding import decode, encode
from retouch.colour.logs import ROOT, TOE
from retouch.colour.oklab import LAB_TO_LMS, LMS_TO_LAB, LMS_TO_RGB, RGB_TO_LMS
from retouch.colour.spaces import WORKING, to_xyz
from retouch.kernels import kernel
from retouch.types import Coverage, Encoded, Floats, Lab

LUMA = to_xyz(WORKING)[1].astype(np.float32)
"""Of working colours in linear light: their luminance."""
LOW, HIGH, PARTS = -0.5, 4.5, 1024
DECODED = decode(np.linspace(LOW, HIGH, round((HIGH - LOW) * PARTS) + 1)).astype(np.float32)
"""Linear light at encoded values from LOW to HIGH."""
ROOTS = 2048
"""Steps to one unit of the root of light, by which curves of light are looked up: nearly straight lines then."""
_ROOT_OF_LIGHT = np.linspace(0, 5, 5 * ROOTS + 1)
ENCODED = encode(_ROOT_OF_LIGHT**2).astype(np.float32)
"""Encoded values of light from 0 to 25, by its root."""
CUBE_ROOT = np.cbrt(_ROOT_OF_LIGHT**2).astype(np.float32)
"""Cube roots of light from 0 to 25, by its root."""
GAIN_ROOT = (_ROOT_OF_LIGHT ** (2 * ROOT)).astype(np.float32)
"""Gains ** ROOT of gains from 0 to 25, by the gain's root."""
NO_MASK = np.zeros((1, 1), np.float32)


def lab_of(light: Floats) -> Lab:
    """OKLab (float32 h × w × 3) of linear working light from 0 to 25."""
    out = np.empty(light.shape, np.float32)
    in_bands(lambda rows: _lab(light[rows], _FROM_RGB, _FROM_LMS, CUBE_ROOT, out[rows]), light.shape[0])
    return Lab(out)


def roots_between(before: Lab, after: Lab, shares: tuple[float, float], most: float) -> Floats:
    """Gains ** ROOT that bring light from ``before`` towards ``after`` (OKLab, h × w × 3), at most ``most`` up or down.

    By ``shares`` of the way, of lightness and of colour; 1 where there is no light to scale.
    """
    out = np.empty(before.shape, np.float32)
    limit, way = np.float32(most**ROOT), np.array(shares, np.float32)

    def work(rows: slice) -> None:
        _roots(before[rows], after[rows], way, limit, _TO_LMS, _TO_RGB, GAIN_ROOT, out[rows])

    in_bands(work, before.shape[0])
    return out


def apply_roots(picture: Encoded, roots: Floats, mask: Coverage | None, strength: float) -> None:
    """Scale the light of ``picture`` (float32 h × w × 3) in place by ``roots`` (h × w × 3): gains ** ROOT, above 0."""

    def work(rows: slice) -> None:
        covered = NO_MASK if mask is None else mask[rows]
        _apply(picture[rows], roots[rows], covered, mask is not None, np.float32(strength))

    in_bands(work, picture.shape[0])


@numba.njit(nogil=True, cache=True, fastmath=True)
def of_light(light: Any, curve: Any) -> Any:
    """What a curve (ENCODED or CUBE_ROOT) gives for ``light``, at least 0."""
    u = min(np.sqrt(max(light, np.float32(0))) * np.float32(ROOTS), np.float32(curve.shape[0] - 2))
    k = np.uint64(u)
    return curve[k] + (u - np.float32(k)) * (curve[k + np.uint64(1)] - curve[k])


@numba.njit(nogil=True, cache=True, fastmath=True)
def luminance(colour: Any, decoded: Any, luma: Any) -> Any:
    """Of one encoded working colour (3,), 1 = white; below 0 if its channels say so."""
    last = np.float32(decoded.shape[0] - 2)
    light = np.float32(0)
    for c in range(3):
        u = min(max((colour[c] - np.float32(LOW)) * np.float32(PARTS), np.float32(0)), last)
        k = np.uint64(u)
        d = decoded[k]
        light += luma[c] * (d + (u - np.float32(k)) * (decoded[k + np.uint64(1)] - d))
    return light


@numba.njit(nogil=True, cache=True, fastmath=True)
def scaled(v: Any, root: Any) -> Any:
    """The encoded value whose light is that of ``v`` times ``root ** 2.4``."""
    size = abs(v)
    out = (size + TOE) * root - TOE
    if size <= np.float32(0.04045) or out <= np.float32(0.04045):
        linear = size / np.float32(12.92)
        if size > np.float32(0.04045):
            linear = ((size + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4)
        linear *= root ** np.float32(2.4)
        if linear <= np.float32(0.0031308):
            out = np.float32(12.92) * linear
        else:
            out = np.float32(1.055) * linear ** np.float32(ROOT) - np.float32(0.055)
    return np.copysign(out, v)


_FROM_RGB, _FROM_LMS = RGB_TO_LMS.astype(np.float32), LMS_TO_LAB.astype(np.float32)


@kernel(fastmath=True)
def _lab(light, to_lms, to_lab, curve, out):  # type: ignore[no-untyped-def]
    lms = np.empty(3, np.float32)
    for y in range(light.shape[0]):
        for x in range(light.shape[1]):
            r, g, b = light[y, x, 0], light[y, x, 1], light[y, x, 2]
            for i in range(3):
                lms[i] = of_light(to_lms[i, 0] * r + to_lms[i, 1] * g + to_lms[i, 2] * b, curve)
            for i in range(3):
                out[y, x, i] = to_lab[i, 0] * lms[0] + to_lab[i, 1] * lms[1] + to_lab[i, 2] * lms[2]


_TO_LMS, _TO_RGB = LAB_TO_LMS.astype(np.float32), LMS_TO_RGB.astype(np.float32)


@kernel(fastmath=True)
def _roots(before, after, way, limit, to_lms, to_rgb, curve, out):  # type: ignore[no-untyped-def]
    was, now = np.empty(3, np.float32), np.empty(3, np.float32)
    one, least = np.float32(1), np.float32(1e-5)
    for y in range(before.shape[0]):
        for x in range(before.shape[1]):
            light, red, blue = before[y, x, 0], before[y, x, 1], before[y, x, 2]
            lighter = light + way[0] * (after[y, x, 0] - light)
            redder, bluer = red + way[1] * (after[y, x, 1] - red), blue + way[1] * (after[y, x, 2] - blue)
            for i in range(3):
                a = to_lms[i, 0] * light + to_lms[i, 1] * red + to_lms[i, 2] * blue
                b = to_lms[i, 0] * lighter + to_lms[i, 1] * redder + to_lms[i, 2] * bluer
                was[i], now[i] = a * a * a, b * b * b
            for c in range(3):
                a = to_rgb[c, 0] * was[0] + to_rgb[c, 1] * was[1] + to_rgb[c, 2] * was[2]
                b = to_rgb[c, 0] * now[0] + to_rgb[c, 1] * now[1] + to_rgb[c, 2] * now[2]
                if a <= least or light <= np.float32(0.02):
                    out[y, x, c] = one
                else:
                    root = of_light(b / a, curve)
                    out[y, x, c] = min(max(root, one / limit), limit)


@kernel(fastmath=True)
def _apply(picture, roots, mask, masked, strength):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            m = strength
            if masked:
                m *= mask[y, x]
            if m == 0:
                continue
            for c in range(3):
                g = roots[y, x, c]
                if g != 1:
                    v = picture[y, x, c]
                    picture[y, x, c] = v + m * (scaled(v, g) - v)
