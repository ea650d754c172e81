"""A made-up printing press as an ICC profile, for trying: ``python -m demo.press`` writes demo/profiles/.

Four inks on a paper a little yellow and grey: each takes its part of the light, as filters lying on each other do,
and a full cover of all is a warm near-black. No real press, ink or paper was measured.
"""

import struct
from pathlib import Path

import numpy as np

from retouch.colour.spaces import D50_XYZ, SRGB, to_pcs
from retouch.types import Floats

PLACE = Path(__file__).parent / "profiles" / "Saltmarsh press.icc"
PAPER = np.array([0.86, 0.86, 0.82])
"""Light that the paper gives back, linear sRGB."""
INKS = np.array([[0.05, 0.42, 0.62], [0.62, 0.07, 0.25], [0.88, 0.72, 0.06], [0.06, 0.06, 0.065]])
"""Light that full cyan, magenta, yellow and black let through."""
DEVICE, LAB = 9, 17
"""Steps of the tables along each axis."""
GAIN = 1.35
"""Dots grow: half a cover prints as more."""


def printed(ink: Floats) -> Floats:
    """Linear sRGB of covers 0…1 of the four inks (…, 4)."""
    cover = 1 - (1 - np.clip(ink, 0, 1)) ** GAIN
    through = 1 - cover[..., None] * (1 - INKS)
    return np.asarray(PAPER * through.prod(axis=-2))


def separated(light: Floats) -> Floats:
    """Covers of the four inks (…, 4) that come near linear sRGB of at most the paper's (…, 3); grey is black's part."""
    wanted = np.clip(light / PAPER, 0, 1)
    black = np.clip((1 - wanted.max(axis=-1)) * 1.05 - 0.05, 0, 0.95) ** 1.5
    rest = np.clip(wanted / np.maximum(1 - black[..., None] * (1 - INKS[3]), 1e-3), 1e-4, 1)
    # What the three let through multiplies, so its logarithm is a sum; a few rounds take the dots' shape into account.
    cover = np.clip(np.linalg.solve(np.log(INKS[:3]).T, np.log(rest)[..., None])[..., 0], 0, 1)
    for _ in range(60):
        through = (1 - cover[..., None] * (1 - INKS[:3])).prod(axis=-2)
        step = np.linalg.solve(np.log(INKS[:3]).T, (np.log(rest) - np.log(np.maximum(through, 1e-4)))[..., None])[
            ..., 0
        ]
        cover = np.clip(cover + 0.4 * step, 0, 1)
    covers = np.concatenate([cover, black[..., None]], axis=-1)
    return np.asarray(1 - (1 - covers) ** (1 / GAIN))


def to_lab(light: Floats) -> Floats:
    """CIELAB (D50) of linear sRGB. Source: CIE 015:2018, 8.2.1."""
    ratio = light @ to_pcs(SRGB).T / D50_XYZ
    f = np.where(ratio > (6 / 29) ** 3, np.cbrt(ratio), ratio * (29 / 6) ** 2 / 3 + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def from_lab(lab: Floats) -> Floats:
    """Linear sRGB of CIELAB (D50)."""
    y = (lab[..., 0] + 16) / 116
    f = np.stack([y + lab[..., 1] / 500, y, y - lab[..., 2] / 200], axis=-1)
    ratio = np.where(f > 6 / 29, f**3, (f - 4 / 29) * 3 * (6 / 29) ** 2)
    return np.asarray((ratio * D50_XYZ) @ np.linalg.inv(to_pcs(SRGB)).T)


def _grid(axes: int, steps: int) -> Floats:
    line = np.linspace(0, 1, steps)
    return np.stack(np.meshgrid(*[line] * axes, indexing="ij"), axis=-1).reshape(-1, axes)


def _table(steps: int, into: int, out: int, values: Floats) -> bytes:
    """A lut16Type. Source: ICC.1:2022, 10.10; numbers of CIELAB as in ICC version 2."""
    head = struct.pack(">4s4xBBBx9i2H", b"mft2", into, out, steps, *(65536, 0, 0, 0, 65536, 0, 0, 0, 65536), 2, 2)
    ends = struct.pack(">2H", 0, 65535)
    return head + ends * into + np.clip(values * 65535 + 0.5, 0, 65535).astype(">u2").tobytes() + ends * out


def profile() -> bytes:
    """The profile: relative to its paper, as ICC profiles are."""
    white = to_lab(PAPER[None])[0]
    # Relative colorimetric: the paper is the connection space's white.
    light = printed(_grid(4, DEVICE)) / PAPER
    full = 65280 / 65535
    lab = to_lab(light) / [100, 255, 255] + [0, 128 / 255, 128 / 255]
    forward = _table(DEVICE, 4, 3, lab * full)
    wanted = (_grid(3, LAB) / full - [0, 128 / 255, 128 / 255]) * [100, 255, 255]
    back = _table(LAB, 3, 4, separated(np.clip(from_lab(wanted), 0, 1) * PAPER))
    paper = from_lab(white[None])[0] @ to_pcs(SRGB).T
    name = b"Saltmarsh press\0"
    desc = struct.pack(">4s4xI", b"desc", len(name)) + name + bytes(79)
    tags = {
        b"desc": desc, b"cprt": b"text\0\0\0\0Made up; free to use.\0",
        b"wtpt": struct.pack(">4s4x3i", b"XYZ ", *(int(v * 65536) for v in paper)),
        b"A2B0": forward, b"A2B1": forward, b"B2A0": back, b"B2A1": back,
    }  # fmt: skip
    body, table, at = b"", b"", 132 + 12 * len(tags)
    for tag, data in tags.items():
        data += bytes(-len(data) % 4)
        table += struct.pack(">4sII", tag, at + len(body), len(data))
        body += data
    size = at + len(body)
    head = struct.pack(
        ">I4sI4s4s4s6H4s4sI4s4s8sI3i", size, b"none", 0x02400000, b"prtr", b"CMYK", b"Lab ", 2026, 11, 27, 0, 0, 0,
        b"acsp", b"none", 0, b"none", b"none", bytes(8), 0, *(int(v * 65536) for v in D50_XYZ),
    )  # fmt: skip
    return head.ljust(128, b"\0") + struct.pack(">I", len(tags)) + table + body


if __name__ == "__main__":
    PLACE.parent.mkdir(exist_ok=True)
    PLACE.write_bytes(profile())
