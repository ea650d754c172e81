"""ICC profiles: read the matrix/TRC kind exactly, write it, hand the table kind to littleCMS in float.

Source: ICC.1:2022 (v4.4) — header 7.2, tag table 7.3, curves 10.6 and 10.18, XYZ 10.31.
"""

import io
import logging
import struct
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import imagecodecs
import numba
import numpy as np
from PIL import ImageCms

from retouch.colour.encoding import decode, encode
from retouch.colour.spaces import D50_XYZ, DISPLAY_P3, SRGB, WORKING, Space, to_pcs
from retouch.types import Bytes, Floats, PictureError, printable

log = logging.getLogger(__name__)

Curve = Callable[[Floats], Floats]
CURVE_STEPS = 1 << 14, 1 << 18
"""Of curves as tables, to light and back, where an 8-bit step more or less does no harm; back they begin steeply."""


@dataclass(frozen=True)
class Matrix:
    """A matrix/TRC (or grey TRC) profile: device value → curve → linear → matrix → XYZ D50.

    ``curves`` take device values 0…1 to linear 0…1; ``inverse`` go back; ``matrix`` is 3×3.
    """

    name: str
    curves: tuple[Curve, ...]
    inverse: tuple[Curve, ...]
    matrix: Floats

    def to_working(self, device: Floats) -> Floats:
        """Device colours ``(..., 3)`` or grey ``(..., 1)`` in 0…1 to encoded working colours ``(..., 3)``."""
        if device.shape[-1] < len(self.curves):
            device = np.repeat(device, len(self.curves), axis=-1)
        linear = np.stack([c(device[..., i]) for i, c in enumerate(self.curves)], axis=-1)
        if linear.shape[-1] == 1:
            linear = np.repeat(linear, 3, axis=-1)
        return encode(linear @ (np.linalg.inv(to_pcs(WORKING)) @ self.matrix).T.astype(linear.dtype))

    def numbers_to_working(self, raw: np.ndarray[Any, Any]) -> Floats:
        """A file's numbers (h × w × 1 or 3, uint8 or uint16) to encoded working colours, float32 h × w × 3.

        As :meth:`to_working`, with the curves as tables of every number that there is.
        """
        most = np.iinfo(raw.dtype).max
        levels = np.arange(most + 1, dtype=np.float32) / np.float32(most)
        table = np.stack([np.asarray(c(levels), np.float32) for c in self.curves], axis=1)
        matrix = np.linalg.inv(to_pcs(WORKING)) @ self.matrix
        out = np.empty((*raw.shape[:2], 3), np.float32)
        _numbers(np.ascontiguousarray(raw), table, matrix.astype(np.float32), out)
        return out

    def from_working(self, encoded: Floats) -> Floats:
        """Encoded working colours ``(..., 3)`` to device colours, clipped to 0…1."""
        linear = decode(encoded) @ (np.linalg.inv(self.matrix) @ to_pcs(WORKING)).T.astype(encoded.dtype)
        inverse = self.inverse if len(self.inverse) == 3 else self.inverse * 3
        linear = np.clip(linear, 0, 1)
        return np.clip(np.stack([c(linear[..., i]) for i, c in enumerate(inverse)], axis=-1), 0, 1)

    def eight_from_working(self, encoded: Floats) -> Bytes:
        """Encoded working colours (h × w × 3, float32) as 8-bit device numbers, right within one: for what only looks.

        As :meth:`from_working`, with the curves as tables.
        """
        light, steps = (np.linspace(0, 1, count, dtype=np.float32) for count in CURVE_STEPS)
        matrix = np.linalg.inv(self.matrix) @ to_pcs(WORKING)
        numbers = {c: (np.clip(c(steps), 0, 1) * 255 + 0.5).astype(np.uint8) for c in self.inverse}
        back = np.stack([numbers[c] for c in (self.inverse * 3)[:3]])
        out = np.empty(encoded.shape, np.uint8)
        _eight(encoded, decode(light), matrix.astype(np.float32), back, out)
        return out


@numba.njit(nogil=True, cache=True)
def _eight(encoded: Any, light: Any, matrix: Any, back: Any, out: Any) -> None:
    most, last, linear = len(light) - 1, back.shape[1] - 1, np.empty(3, np.float32)
    for y in range(encoded.shape[0]):
        for x in range(encoded.shape[1]):
            for k in range(3):
                v = min(max(encoded[y, x, k], np.float32(0)), np.float32(1))
                linear[k] = light[int(v * most + np.float32(0.5))]
            for k in range(3):
                v = matrix[k, 0] * linear[0] + matrix[k, 1] * linear[1] + matrix[k, 2] * linear[2]
                v = min(max(v, np.float32(0)), np.float32(1))
                out[y, x, k] = back[k, int(v * last + np.float32(0.5))]


@numba.njit(nogil=True, cache=True)
def _numbers(raw: Any, table: Any, matrix: Any, out: Any) -> None:
    """Every pixel through its curves, the matrix and the sRGB curve (:func:`retouch.colour.encoding.encode`)."""
    channels, curves = raw.shape[2], table.shape[1]
    linear = np.empty(3, np.float32)
    for y in range(raw.shape[0]):
        for x in range(raw.shape[1]):
            for k in range(3):
                linear[k] = table[raw[y, x, k if channels == 3 else 0], k if curves == 3 else 0]
            for k in range(3):
                v = matrix[k, 0] * linear[0] + matrix[k, 1] * linear[1] + matrix[k, 2] * linear[2]
                size = abs(v)
                if size <= np.float32(0.0031308):
                    size = np.float32(12.92) * size
                else:
                    size = np.float32(1.055) * size ** np.float32(1 / 2.4) - np.float32(0.055)
                out[y, x, k] = size if v >= 0 else -size


@dataclass(frozen=True)
class Table:
    """A profile that holds tables (A2B/B2A): littleCMS converts it in float32."""

    name: str
    data: bytes

    def to_working(self, device: Floats) -> Floats:
        """Device colours ``(..., 3)`` or grey ``(..., 1)`` in 0…1 to encoded working colours ``(..., 3)``."""
        if device.shape[-1] == 1:
            device = np.repeat(device, 3, axis=-1)
        return encode(self._convert(device, self.data, profile_bytes(WORKING, linear=True)))

    def from_working(self, encoded: Floats) -> Floats:
        """Encoded working colours ``(..., 3)`` to device colours, clipped to 0…1."""
        return np.clip(self._convert(decode(encoded), profile_bytes(WORKING, linear=True), self.data), 0, 1)

    @staticmethod
    def _convert(colours: Floats, source: bytes, target: bytes) -> Floats:
        flat = np.ascontiguousarray(colours, np.float32).reshape(1, -1, 3)
        out = imagecodecs.cms_transform(
            flat, source, target, colorspace="rgb", outcolorspace="rgb", outdtype="float32", intent=1
        )
        return out.reshape(colours.shape)


Profile = Matrix | Table


@lru_cache(maxsize=8)
def of_space(space: Space) -> Matrix:
    """The profile of one of our own spaces, with the sRGB curve."""
    return Matrix(space.name, (decode,) * 3, (encode,) * 3, to_pcs(space))


SRGB_PROFILE = of_space(SRGB)
P3_PROFILE = of_space(DISPLAY_P3)


def linear_working(white: float) -> Matrix:
    """Device values in linear light with the working primaries, of which 1 stands for ``white`` times white."""
    up, down = (lambda x: x * np.float32(white)), (lambda y: y / np.float32(white))
    return Matrix("linear Rec. 2020", (up,) * 3, (down,) * 3, to_pcs(WORKING))


@lru_cache(maxsize=32)
def read_profile(data: bytes) -> Profile:
    """Read an embedded ICC profile of an RGB or grey picture.

    Raises
    ------
    PictureError
        If the profile is damaged, or is for another kind of picture (CMYK, Lab).
    """
    if len(data) < 132 or data[36:40] != b"acsp":
        raise PictureError("The colour profile in this file is damaged. Export the picture again with a profile.")
    space = data[16:20]
    if space not in (b"RGB ", b"GRAY"):
        kind = printable(space.decode("ascii", "replace")).strip()
        raise PictureError(f"This file carries a {kind} colour profile; Needlepoint reads RGB and grey pictures.")
    try:
        tags = _tags(data)
        name = described(data)
        if space == b"GRAY":
            if b"kTRC" not in tags:
                raise ValueError("no kTRC")
            forward, back = _curve(tags[b"kTRC"])
            # A grey axis at the connection-space white, whichever white the profile was made for.
            return Matrix(name, (forward,), (back,), to_pcs(SRGB))
        if b"A2B0" in tags or not {b"rXYZ", b"gXYZ", b"bXYZ", b"rTRC", b"gTRC", b"bTRC"} <= tags.keys():
            imagecodecs.cms_profile_validate(data)
            return Table(name, data)
        pairs = [_curve(tags[t]) for t in (b"rTRC", b"gTRC", b"bTRC")]
        matrix = np.stack([_xyz(tags[t]) for t in (b"rXYZ", b"gXYZ", b"bXYZ")], axis=1)
        np.linalg.inv(matrix)
        return Matrix(name, tuple(p[0] for p in pairs), tuple(p[1] for p in pairs), matrix)
    except PictureError:
        raise
    except Exception as error:
        log.warning("a colour profile cannot be read", exc_info=True)
        raise PictureError(
            "The colour profile in this file cannot be read. Export the picture again with a standard profile."
        ) from error


def _tags(data: bytes) -> dict[bytes, bytes]:
    (count,) = struct.unpack_from(">I", data, 128)
    if count > 200:
        raise ValueError("too many tags")
    tags = {}
    for i in range(count):
        signature, offset, size = struct.unpack_from(">4sII", data, 132 + 12 * i)
        if offset + size > len(data):
            raise ValueError("tag beyond the end")
        tags[signature] = data[offset : offset + size]
    return tags


def described(data: bytes) -> str:
    """What a profile calls itself."""
    try:
        name = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(data)))
    except Exception:
        log.info("a colour profile has no name that can be read", exc_info=True)
        return "unnamed profile"
    return printable(name).strip()[:80] or "unnamed profile"


def _xyz(tag: bytes) -> Floats:
    return np.array(struct.unpack_from(">3i", tag, 8)) / 65536


def _curve(tag: bytes) -> tuple[Curve, Curve]:
    kind = tag[:4]
    if kind == b"curv":
        (count,) = struct.unpack_from(">I", tag, 8)
        if count == 0:
            return _gamma(1.0)
        values = np.frombuffer(tag, ">u2", count, 12)
        if count == 1:
            return _gamma(float(values[0]) / 256)
        return _sampled(values.astype(np.float64) / 65535)
    if kind == b"para":
        (function,) = struct.unpack_from(">H", tag, 8)
        count = (1, 3, 4, 5, 7)[function]
        return _parametric(function, np.array(struct.unpack_from(f">{count}i", tag, 12)) / 65536)
    raise ValueError(f"curve type {kind!r}")


def _gamma(power: float) -> tuple[Curve, Curve]:
    return (lambda x: np.clip(x, 0, 1) ** power), (lambda y: np.clip(y, 0, 1) ** (1 / power))


def _sampled(values: Floats) -> tuple[Curve, Curve]:
    grid = np.linspace(0, 1, len(values))
    # Flat ends have no inverse; the running maximum keeps it a function.
    rising = np.maximum.accumulate(values)

    def forward(x: Floats) -> Floats:
        return np.interp(x, grid, values).astype(x.dtype, copy=False)

    def back(y: Floats) -> Floats:
        return np.interp(y, rising, grid).astype(y.dtype, copy=False)

    return forward, back


def _parametric(function: int, p: Floats) -> tuple[Curve, Curve]:
    """Table 68 of ICC.1:2022: five forms, all special cases of (aX + b)^g + e above d, cX + f below."""
    g = p[0]
    a, b, c, d, e, f = 1.0, 0.0, 0.0, 0.0, 0.0, 0.0
    if function == 1:
        a, b = p[1], p[2]
        d = -b / a
    elif function == 2:
        a, b, e = p[1], p[2], p[3]
        d, f = -b / a, e
    elif function == 3:
        a, b, c, d = p[1:5]
    elif function == 4:
        a, b, c, d, e, f = p[1:7]
    knee = (max(a * d + b, 0.0)) ** g + e

    def forward(x: Floats) -> Floats:
        return np.where(x >= d, np.maximum(a * x + b, 0) ** g + e, c * x + f).astype(x.dtype, copy=False)

    def back(y: Floats) -> Floats:
        low = (y - f) / c if c else np.zeros_like(y)
        return np.where(y >= knee, (np.maximum(y - e, 0) ** (1 / g) - b) / a, low).astype(y.dtype, copy=False)

    return forward, back


def _s15(value: float) -> int:
    return round(float(value) * 65536)


def _text(text: str) -> bytes:
    return struct.pack(">4sIII2sHII", b"mluc", 0, 1, 12, b"en", 0x5553, 2 * len(text), 28) + text.encode("utf-16-be")


def _xyz_tag(xyz: Floats) -> bytes:
    return struct.pack(">4sI3i", b"XYZ ", 0, *map(_s15, xyz))


@lru_cache(maxsize=8)
def profile_bytes(space: Space, linear: bool = False) -> bytes:
    """A version 4 display profile of ``space`` with the sRGB curve (or none), as the bytes of an ICC file."""
    srgb = (2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)
    curve = struct.pack(">4sIH2x5i", b"para", 0, 3, *(_s15(x) for x in srgb))
    if linear:
        curve = struct.pack(">4sIH2xi", b"para", 0, 0, _s15(1))
    matrix = to_pcs(space)
    tags = [
        (b"desc", _text(space.name + (" linear" if linear else ""))),
        (b"cprt", _text("CC0")),
        (b"wtpt", _xyz_tag(D50_XYZ)),
        (b"rXYZ", _xyz_tag(matrix[:, 0])),
        (b"gXYZ", _xyz_tag(matrix[:, 1])),
        (b"bXYZ", _xyz_tag(matrix[:, 2])),
        (b"rTRC", curve),
        (b"gTRC", curve),
        (b"bTRC", curve),
    ]
    table, body = b"", b""
    start = 132 + 12 * len(tags)
    for signature, tag in tags:
        table += struct.pack(">4sII", signature, start + len(body), len(tag))
        body += tag + b"\0" * (-len(tag) % 4)
    size = start + len(body)
    header = struct.pack(
        ">I4x I 4s4s4s 6H 4s 4x I 4x4x 8x I 3i",
        size, 0x04400000, b"mntr", b"RGB ", b"XYZ ", 2026, 1, 1, 0, 0, 0, b"acsp", 0, 0,
        _s15(0.9642), _s15(1.0), _s15(0.8249),
    ).ljust(128, b"\0")  # fmt: skip
    return header + struct.pack(">I", len(tags)) + table + body
