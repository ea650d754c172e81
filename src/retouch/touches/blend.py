"""Blend modes: how a touch's result is laid on the picture below it.

Source: W3C Compositing and Blending Level 1 (2015), sections 10.1 (separable) and 10.2 (non-separable).
"""

from typing import Literal, get_args

import numpy as np

from retouch.types import Encoded, Floats

Blend = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn",
    "hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity",
]  # fmt: skip
MODES: tuple[Blend, ...] = get_args(Blend)
NON_SEPARABLE = frozenset({"hue", "saturation", "color", "luminosity"})

LUMA = np.array([0.3, 0.59, 0.11])


def blend(below: Encoded, source: Encoded, mode: Blend) -> Encoded:
    """Blend encoded colours ``(..., 3)`` of ``source`` over ``below``.

    *normal* is ``source`` unchanged. The other formulas are defined on 0…1: they see both colours clipped to it, and
    what the picture below holds beyond (highlights above white) is kept on top of their result.
    """
    if mode == "normal":
        return source
    b, s = np.clip(below, 0, 1), np.clip(source, 0, 1)
    return Encoded(_formula(b, s, mode) + (below - b))


def _formula(b: Floats, s: Floats, mode: Blend) -> Floats:
    if mode == "multiply":
        return b * s
    if mode == "screen":
        return b + s - b * s
    if mode == "overlay":
        return _hard_light(s, b)
    if mode == "darken":
        return np.minimum(b, s)
    if mode == "lighten":
        return np.maximum(b, s)
    if mode == "color-dodge":
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(b == 0, 0.0, np.where(s == 1, 1.0, np.minimum(1, b / (1 - s))))
    if mode == "color-burn":
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(b == 1, 1.0, np.where(s == 0, 0.0, 1 - np.minimum(1, (1 - b) / s)))
    if mode == "hard-light":
        return _hard_light(b, s)
    if mode == "soft-light":
        d = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(b))
        return np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (d - b))
    if mode == "difference":
        return np.abs(b - s)
    if mode == "exclusion":
        return b + s - 2 * b * s
    if mode == "hue":
        return _set_lum(_set_sat(s, _sat(b)), _lum(b))
    if mode == "saturation":
        return _set_lum(_set_sat(b, _sat(s)), _lum(b))
    if mode == "color":
        return _set_lum(s, _lum(b))
    return _set_lum(b, _lum(s))


def _hard_light(b: Floats, s: Floats) -> Floats:
    return np.where(s <= 0.5, b * 2 * s, b + (2 * s - 1) - b * (2 * s - 1))


def _lum(c: Floats) -> Floats:
    return np.asarray((c @ LUMA)[..., None])


def _sat(c: Floats) -> Floats:
    return np.asarray(c.max(-1, keepdims=True) - c.min(-1, keepdims=True))


def _set_lum(c: Floats, lum: Floats) -> Floats:
    c = c + (lum - _lum(c))
    light, low, high = _lum(c), c.min(-1, keepdims=True), c.max(-1, keepdims=True)
    with np.errstate(divide="ignore", invalid="ignore"):
        c = np.where(low < 0, light + (c - light) * light / (light - low), c)
        return np.where(high > 1, light + (c - light) * (1 - light) / (high - light), c)


def _set_sat(c: Floats, sat: Floats) -> Floats:
    low, span = c.min(-1, keepdims=True), _sat(c)
    return np.where(span > 0, (c - low) * sat / np.where(span > 0, span, 1), 0.0)
