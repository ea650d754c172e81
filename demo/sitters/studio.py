"""The lamps, and what is behind the sitters: a wall, a window, or leaves out of focus."""

import cv2
import numpy as np
from numpy.typing import NDArray

from demo.sitters.cast import Sitter
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
    wall = {"type": "rectangle", "to_world": T().translate([0, 6, -7]) @ T().scale(WALL),
            "bsdf": {"type": "diffuse", "reflectance": flat(sitter.backdrop)}}  # fmt: skip
    if sitter.scene != "wall":
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
