"""Logs of light, straight from encoded colours: what ratios of light are differences of."""

from typing import Any

import numba
import numpy as np

from retouch.bands import in_bands
from retouch.colour.pigments import FORM
from retouch.kernels import kernel
from retouch.types import Floats

ROOT = 1 / 2.4
"""A gain of light to this power scales encoded values over their toe: ``v + TOE``."""
TOE = np.float32(0.055)
_LOW, _HIGH, _PARTS = -0.5, 4.5, 1024
LOGS = np.log(np.maximum(np.linspace(_LOW, _HIGH, round((_HIGH - _LOW) * _PARTS) + 1) + TOE, 0.02)).astype(np.float32)
"""For :func:`log_of`, of encoded values from −0.5 to 4.5."""


@numba.njit(nogil=True, cache=True, fastmath=True)
def log_of(v: Any, logs: Any) -> Any:
    """The log of one encoded value's light, by ROOT."""
    u = min(max((v - np.float32(_LOW)) * np.float32(_PARTS), np.float32(0)), np.float32(logs.shape[0] - 2))
    k = np.uint64(u)
    return logs[k] + (u - np.float32(k)) * (logs[k + np.uint64(1)] - logs[k])


@numba.njit(nogil=True, cache=True, fastmath=True)
def exp_of(v: Any) -> Any:
    """e to the power of ``v``, by its series at a quarter: right to 0.004 % where |v| < 0.9, to 0.2 % where |v| < 2."""
    h = np.float32(0.25) * v
    p = np.float32(1) + h * (1 + h * (np.float32(1 / 2) + h * (np.float32(1 / 6) + h * np.float32(1 / 24))))
    p *= p
    return p * p


def form_of(picture: Floats) -> Floats:
    """Log of light without pigment, by ROOT (h × w), of encoded colours (h × w × 3)."""
    out = np.empty(picture.shape[:2], np.float32)
    in_bands(lambda rows: _form(picture[rows], FORM, LOGS, out[rows]), len(out))
    return out


@kernel(fastmath=True)
def _form(picture, of_colour, logs, out):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            green = log_of(picture[y, x, 1], logs)
            red, blue = log_of(picture[y, x, 0], logs) - green, log_of(picture[y, x, 2], logs) - green
            out[y, x] = green + of_colour[0] * red + of_colour[1] * blue
