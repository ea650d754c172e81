"""The lamps, and what is behind the sitters: a wall, a window, or leaves out of focus."""

import cv2
import numpy as np
from numpy.typing import NDArray

from demo.sitters.cast import Colour, Sitter
from demo.sitters.solid import Stage, T, flat, mi

WALL = 18.0
"""Half the side of the backdrop, in decimetres."""


def light(stage: Stage, sitter: Sitter) -> None:
    """Set the lamps round the eyes, and the backdrop."""
    eyes = stage.eyes
    for number, lamp in enumerate(sitter.lights):
        place = T().look_at(origin=(eyes + lamp.at).tolist(), target=(eyes - [0, 0.4, 0]).tolist(), up=[0, 1, 0])
        radiance = flat(tuple(lamp.power * c for c in lamp.colour))
        stage.shapes[f"light-{number}"] = {
            "type": "rectangle",
            "to_world": place @ T().scale(lamp.size),
            "emitter": {"type": "area", "radiance": radiance},
        }
    stage.shapes["ambient"] = {"type": "constant", "radiance": flat((sitter.ambient,) * 3)}
    far = WALL * max(1.0, sitter.distance / 14.5)
    wall = {"type": "rectangle", "to_world": T().translate([0, 6, -7]) @ T().scale(far),
            "bsdf": {"type": "diffuse", "reflectance": flat(sitter.backdrop)}}  # fmt: skip
    if sitter.scene in SURFACES:
        picture = SURFACES[sitter.scene](sitter.backdrop, sitter.seed)
        image = {"type": "bitmap", "bitmap": mi.Bitmap(picture), "raw": True, "wrap_mode": "clamp"}
        wall["bsdf"] = {"type": "principled", "base_color": image, "roughness": 0.6, "specular": 0.3}
    elif sitter.scene != "wall":
        picture = window() if sitter.scene == "window" else foliage(sitter.seed)
        image = {"type": "bitmap", "bitmap": mi.Bitmap(picture), "raw": True, "wrap_mode": "clamp"}
        wall["emitter"] = {"type": "area", "radiance": image}
    stage.shapes["backdrop"] = wall


def window(side: int = 2048) -> NDArray[np.float32]:
    """Radiance (side × side × 3) of a tall window with bars in a room, out of focus."""
    out = np.full((side, side, 3), 0.05, np.float32)
    unit = side / (2 * WALL)
    middle = side / 2

    def pane(left: float, right: float, low: float, high: float, value: tuple[float, float, float]) -> None:
        rows = slice(int(middle - high * unit), int(middle - low * unit))
        out[rows, int(middle + left * unit) : int(middle + right * unit)] = value

    pane(-4.6, 4.6, -6.0, 6.0, (1.6, 1.7, 1.9))
    pane(-4.6, 4.6, -6.0, -0.6, (0.42, 0.52, 0.46))
    for bar in (-1.75, 1.65):
        pane(bar - 0.25, bar + 0.25, -6.0, 6.0, (0.16, 0.155, 0.15))
    pane(-4.6, 4.6, 1.4, 1.8, (0.16, 0.155, 0.15))
    return np.flipud(cv2.GaussianBlur(out, (0, 0), 0.12 * unit)).copy()


def foliage(seed: int, side: int = 2048) -> NDArray[np.float32]:
    """Radiance (side × side × 3) of leaves with light between them, as discs of confusion."""
    rng = np.random.default_rng(seed)
    out = np.zeros((side, side, 3), np.float32)
    out[:] = np.linspace(1.0, 0.5, side, dtype=np.float32)[:, None, None] * np.array([0.050, 0.075, 0.030], np.float32)
    unit = side / (2 * WALL)
    for size, count, bright in ((0.9, 900, 0.10), (0.55, 2600, 0.14), (0.32, 5200, 0.20), (0.26, 500, 0.85)):
        for x, y in rng.random((count, 2)) * side:
            tint = np.array([0.55 + 0.5 * rng.random(), 1.0, 0.18 + 0.35 * rng.random()])
            if bright > 0.5:
                tint = 0.5 * tint + np.array([0.5, 0.5, 0.38])
            value = bright * float(np.exp(0.55 * rng.standard_normal())) * tint
            radius = size * unit * (0.75 + 0.5 * rng.random())
            box = tuple(slice(max(0, int(v - radius) - 2), min(side, int(v + radius) + 3)) for v in (y, x))
            rows, columns = np.ogrid[box]
            disc = np.clip(radius - np.hypot(rows - y, columns - x) + 0.5, 0, 1)[..., None] * 0.55
            out[box] += (disc * (value - out[box])).astype(np.float32)
    return cv2.GaussianBlur(out, (0, 0), 0.05 * unit)


def _panels(colour: Colour, seed: int, side: int = 2048) -> NDArray[np.float32]:
    """Boards of wood, upright, with their grain and the grooves between them."""
    rng = np.random.default_rng(seed)
    x = np.arange(side) * (2 * WALL / side)
    board = (x / 1.6).astype(int)
    grain = cv2.resize(rng.standard_normal((64, side)).astype(np.float32), (side, side), interpolation=cv2.INTER_CUBIC)
    bend = cv2.resize(rng.standard_normal((12, 24)).astype(np.float32), (side, side), interpolation=cv2.INTER_CUBIC)
    rings = np.sin(26 * x[None] / 1.6 + 5 * bend)
    tone = (1 + 0.18 * rng.standard_normal(board.max() + 1))[board][None] + 0.10 * grain + 0.10 * rings
    tone = tone * (1 - 0.75 * (np.abs((x % 1.6) - 0.8) > 0.76))[None]
    return np.clip(tone[..., None] * np.array(colour), 0.01, 0.9).astype(np.float32)


def _leather(colour: Colour, seed: int, side: int = 2048) -> NDArray[np.float32]:
    """Leather that is buttoned down in rows."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[:side, :side] * (2 * WALL / side)
    tufts = np.abs(np.sin(np.pi * (x + y) / 3.2) * np.sin(np.pi * (x - y) / 3.2)) ** 0.4
    fine = cv2.GaussianBlur(rng.standard_normal((side, side)).astype(np.float32), (0, 0), 1.5)
    tone = 0.35 + 0.75 * tufts + 0.35 * fine
    return np.clip(tone[..., None] * np.array(colour), 0.01, 0.9).astype(np.float32)


def _linen(colour: Colour, seed: int, side: int = 2048) -> NDArray[np.float32]:
    """A curtain that hangs in folds."""
    rng = np.random.default_rng(seed)
    x = np.arange(side)[None] * (2 * WALL / side)
    bend = cv2.resize(rng.standard_normal((4, 14)).astype(np.float32), (side, side), interpolation=cv2.INTER_CUBIC)
    thread = cv2.GaussianBlur(rng.standard_normal((side, side)).astype(np.float32), (0, 0), 0.8)
    tone = 0.82 + 0.2 * np.sin(4.2 * x + 1.6 * bend) + 0.12 * thread
    return np.clip(tone[..., None] * np.array(colour), 0.01, 0.9).astype(np.float32)


SURFACES = {"panels": _panels, "leather": _leather, "linen": _linen}
