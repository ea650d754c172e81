"""Draw the simple made-up sitters of the demo: ``uv run python -m demo.mannequin``.

Nobody sat for these: a head and shoulders of smoothly joined ellipsoids, traced by sphere marching and lit by one soft
lamp. The same numbers give the same pictures again.

Source of the smooth join: I. Quilez, "Smooth minimum" (2013).
"""

from dataclasses import dataclass
from pathlib import Path

import cv2
import numba
import numpy as np

from retouch.colour.encoding import encode
from retouch.colour.icc import profile_bytes
from retouch.colour.spaces import SRGB
from retouch.files.writing import Format, write

PICTURES = Path(__file__).parent / "pictures"
SKIN, HAIR, CLOTH, LIPS, EYE = 0, 1, 2, 3, 4


@dataclass(frozen=True)
class Sitter:
    """A made-up sitter: linear sRGB albedos, where the lamp stands, and how the file is made."""

    name: str
    skin: tuple[float, float, float]
    hair: tuple[float, float, float]
    cloth: tuple[float, float, float]
    lamp: tuple[float, float, float]
    light: float
    turn: float
    size: tuple[int, int]
    form: Format
    bits: int
    seed: int


SITTERS = (
    Sitter("Tenor 1", (0.52, 0.30, 0.21), (0.035, 0.022, 0.015), (0.10, 0.11, 0.12), (-0.75, 0.35, 0.55), 2.5, 0.12,
           (2400, 3000), "jpeg", 8, 1),
    Sitter("Alto 2", (0.16, 0.080, 0.050), (0.012, 0.010, 0.010), (0.30, 0.07, 0.06), (0.45, 0.60, 0.66), 3.0, -0.22,
           (2400, 3000), "jpeg", 8, 2),
    Sitter("Soprano 3", (0.66, 0.46, 0.37), (0.30, 0.17, 0.07), (0.55, 0.55, 0.52), (0.15, 0.30, 0.94), 1.6, 0.20,
           (800, 1000), "tiff", 16, 3),
)  # fmt: skip


@numba.njit(cache=True, fastmath=True)
def _ball(x, y, z, cx, cy, cz, rx, ry, rz):  # type: ignore[no-untyped-def]
    px, py, pz = (x - cx) / rx, (y - cy) / ry, (z - cz) / rz
    k0 = np.sqrt(px * px + py * py + pz * pz)
    k1 = np.sqrt((px / rx) ** 2 + (py / ry) ** 2 + (pz / rz) ** 2)
    return k0 * (k0 - 1) / max(k1, 1e-6)


@numba.njit(cache=True, fastmath=True)
def _join(a, b, k):  # type: ignore[no-untyped-def]
    h = max(k - abs(a - b), 0.0) / k
    return min(a, b) - h * h * k * 0.25


@numba.njit(cache=True, fastmath=True)
def _scene(x, y, z, turn):  # type: ignore[no-untyped-def]
    """Distance to the sitter and the material there; y points up, the head is about 1 high."""
    c, s = np.cos(turn), np.sin(turn)
    hx, hz = c * x - s * z, s * x + c * z
    ax = abs(hx)
    d = _ball(hx, y, hz, 0.0, 0.12, -0.05, 0.375, 0.47, 0.42)
    d = _join(d, _ball(hx, y, hz, 0.0, -0.17, 0.05, 0.27, 0.30, 0.30), 0.18)
    d = _join(d, _ball(hx, y, hz, 0.0, -0.37, 0.20, 0.10, 0.075, 0.10), 0.14)
    d = _join(d, _ball(ax, y, hz, 0.19, -0.08, 0.21, 0.10, 0.075, 0.10), 0.12)
    d = _join(d, _ball(ax, y, hz, 0.15, 0.135, 0.315, 0.12, 0.025, 0.05), 0.06)
    d = -_join(-d, _ball(ax, y, hz, 0.145, 0.055, 0.385, 0.085, 0.042, 0.055), 0.05)
    d = _join(d, _ball(hx, y, hz, 0.0, 0.00, 0.385, 0.040, 0.14, 0.05), 0.06)
    d = _join(d, _ball(hx, y, hz, 0.0, -0.105, 0.415, 0.052, 0.042, 0.075), 0.04)
    d = _join(d, _ball(ax, y, hz, 0.052, -0.115, 0.37, 0.032, 0.028, 0.045), 0.03)
    d = -_join(-d, _ball(ax, y, hz, 0.026, -0.142, 0.43, 0.013, 0.012, 0.025), 0.012)
    d = _join(d, _ball(ax, y, hz, 0.37, 0.00, -0.03, 0.04, 0.10, 0.07), 0.05)
    neck = _ball(x, y, z, 0.0, -0.62, -0.08, 0.215, 0.50, 0.215)
    d = _join(d, neck, 0.10)
    material = SKIN
    upper = _ball(ax, y, hz, 0.030, -0.222, 0.345, 0.066, 0.017, 0.046)
    lower = _ball(hx, y, hz, 0.0, -0.262, 0.342, 0.070, 0.026, 0.050)
    lips = _join(upper, lower, 0.010)
    if lips < d:
        material = LIPS
    d = _join(d, lips, 0.022)
    eye = _ball(ax, y, hz, 0.145, 0.050, 0.290, 0.062, 0.058, 0.062)
    lid = _ball(ax, y, hz, 0.145, 0.062, 0.285, 0.074, 0.062, 0.071)
    lid = max(lid, 0.068 - y - 0.10 * (ax - 0.145) ** 2 / 0.01)
    bag = max(_ball(ax, y, hz, 0.145, 0.045, 0.285, 0.072, 0.062, 0.070), y - 0.026)
    if min(lid, bag) < d:
        material = SKIN
    d = min(d, _join(lid, bag, 0.004))
    if eye < d:
        d, material = eye, EYE
    hair = _ball(hx, y, hz, 0.0, 0.20, -0.11, 0.425, 0.45, 0.44)
    edge = 0.27 + 0.05 * np.cos(5 * hx + 1.0) - 1.35 * max(ax - 0.17, 0.0)
    hair = max(hair, 0.5 * (edge - y + 0.85 * (hz - 0.20)))
    if hair < d:
        d, material = hair, HAIR
    cloth = _ball(x, y, z, 0.0, -1.24, -0.10, 0.98, 0.56, 0.42)
    cloth = _join(cloth, _ball(x, y, z, 0.0, -0.80, -0.08, 0.30, 0.15, 0.29), 0.25)
    if cloth < d:
        d, material = cloth, CLOTH
    return d, material


@numba.njit(cache=True, fastmath=True, nogil=True)
def _trace(width, height, turn, lamp, albedo, noise):  # type: ignore[no-untyped-def]
    """Linear picture (height × width × 3) without its backdrop, and how much of each pixel the sitter covers."""
    out, cover = np.zeros((height, width, 3), np.float32), np.zeros((height, width), np.float32)
    scale = 2.15 / height
    for py in range(height):
        for px in range(width):
            x, y, z = (px + 0.5 - width / 2) * scale, 0.86 - (py + 0.5) * scale, 2.0
            hit, material, nearest = False, SKIN, 1e3
            for _ in range(110):
                d, material = _scene(x, y, z, turn)
                nearest = min(nearest, d)
                if d < 0.0006:
                    hit = True
                    break
                z -= d * 0.8
                if z < -1.2:
                    break
            cover[py, px] = 1.0 if hit else max(0.0, 1 - nearest / scale)
            if not hit:
                continue
            e = 0.0012
            n = np.array([
                _scene(x + e, y, z, turn)[0] - _scene(x - e, y, z, turn)[0],
                _scene(x, y + e, z, turn)[0] - _scene(x, y - e, z, turn)[0],
                _scene(x, y, z + e, turn)[0] - _scene(x, y, z - e, turn)[0],
            ])  # fmt: skip
            grain = noise[py, px]
            if material in (SKIN, LIPS):
                n += 0.00012 * np.array([noise[py, px - 1] - grain, noise[py - 1, px] - grain, 0.0])
            n /= np.sqrt((n * n).sum())
            # A soft lamp: shadow by how near the way to it passes anything.
            shade, t = 1.0, 0.02
            for _ in range(40):
                d, _m = _scene(x + lamp[0] * t, y + lamp[1] * t, z + lamp[2] * t, turn)
                shade = min(shade, 0.5 + 0.5 * d / (0.10 * t))
                t += max(d, 0.012)
                if shade < 0 or t > 1.8:
                    break
            shade = max(shade, 0.0)
            shade = shade * shade * (3 - 2 * shade)
            facing = (n * lamp).sum()
            wrap = 0.22 if material in (SKIN, LIPS) else 0.05
            direct = max((facing + wrap) / (1 + wrap), 0.0) * shade
            ambient = 0.055 + 0.035 * n[1] + 0.02 * n[2]
            half = lamp + np.array([0.0, 0.0, 1.0])
            half /= np.sqrt((half * half).sum())
            gloss = max((n * half).sum(), 0.0)
            shine = 0.10 * gloss**28 if material == SKIN else 0.16 * gloss**60 if material == LIPS else 0.0
            c, s = np.cos(turn), np.sin(turn)
            hx = c * x - s * z
            for k in range(3):
                a = albedo[material, k]
                if material == EYE:
                    r = np.hypot(abs(hx) - 0.145, y - 0.045)
                    if r < 0.033:
                        a = (0.10, 0.13, 0.12)[k]
                    if r < 0.014:
                        a = 0.008
                    shine = 1.2 * gloss**400
                elif material == HAIR:
                    strands = np.sin(hx * 260 + 9 * noise[py // 3, px] + y * 30)
                    a *= 0.75 + 0.35 * strands
                    shine = 0.05 * gloss**12 * (0.6 + 0.4 * strands)
                elif material == CLOTH:
                    a *= 0.9 + 0.08 * np.sin(px * 0.9) * np.sin(py * 0.9) + 0.05 * grain
                else:
                    a *= 1 + (0.015, 0.03, 0.035)[k] * grain
                    brow = abs(abs(hx) - 0.150) < 0.095 and abs(y - 0.158 + 0.9 * (abs(hx) - 0.13) ** 2) < 0.013
                    if brow and z > 0.1:
                        a = 0.35 * a + 0.65 * albedo[HAIR, k]
                # Light that has wandered under the skin comes back redder at the shadow's edge.
                red = (1.0 + 0.10 * (1 - direct), 1.0, 1.0 - 0.03 * (1 - direct))[k] if material != EYE else 1.0
                out[py, px, k] = a * (direct * red + ambient) + shine * shade
    return out, cover


def draw(sitter: Sitter) -> None:
    """Trace one sitter and write the file."""
    width, height = sitter.size
    rng = np.random.default_rng(sitter.seed)
    noise = sum(
        cv2.GaussianBlur(rng.standard_normal((height, width)).astype(np.float32), (0, 0), s) * s * a
        for s, a in ((1.2, 1.2), (5.0, 0.9), (22.0, 1.3))
    )
    lamp = np.array(sitter.lamp) / np.linalg.norm(sitter.lamp)
    lips = np.array(sitter.skin) * (0.86, 0.52, 0.56)
    albedo = np.array([sitter.skin, sitter.hair, sitter.cloth, lips, (0.62, 0.58, 0.55)])
    person, cover = _trace(width, height, sitter.turn, lamp, albedo, noise)
    y, x = np.mgrid[0:height, 0:width] / height
    glow = np.exp(-(((x - 0.30) ** 2 + (y - 0.45) ** 2) / 0.22))
    backdrop = (0.035 + 0.05 * glow)[..., None] * (1.0, 0.98, 0.95)
    cover = cv2.GaussianBlur(cover, (0, 0), 0.7)[..., None]
    linear = sitter.light * (person * cover + backdrop * (1 - cover)) * 0.42
    linear = 1 - np.exp(-1.35 * linear)
    linear = np.maximum(linear + 0.0016 * rng.standard_normal(linear.shape), 0)
    icc = profile_bytes(SRGB)
    most = 255 if sitter.bits == 8 else 65535
    pixels = (np.clip(encode(linear), 0, 1) * most + 0.5).astype(np.uint8 if sitter.bits == 8 else np.uint16)
    suffix = {"jpeg": "jpg", "png": "png", "tiff": "tif"}[sitter.form]
    write(PICTURES / f"{sitter.name}.{suffix}", pixels, sitter.form, icc, b"", 90)


if __name__ == "__main__":
    PICTURES.mkdir(exist_ok=True)
    for sitter in SITTERS:
        draw(sitter)
