"""Strokes that give a face form: light where it stands out, shade where it turns away."""

from collections.abc import Sequence

import numpy as np

from retouch.faces.drawn import height

Points = list[tuple[float, float, float]]
LIGHT = {
    "forehead": ((109, 10, 338), (108, 151, 337), (107, 9, 336)),
    "nose ridge": ((168, 6, 197, 195, 5),),
    "right cheekbone": ((117, 118, 101),),
    "left cheekbone": ((346, 347, 330),),
    "chin": ((200, 199, 175),),
}
"""Ways along the mesh's landmarks (of the canonical face model) where light is laid, by what they follow."""
SHADE = {
    "right side of the face": ((127, 234, 93, 132, 58),),
    "left side of the face": ((356, 454, 323, 361, 288),),
    "right hollow of the cheek": ((123, 147, 213),),
    "left hollow of the cheek": ((352, 376, 433),),
    "right side of the nose": ((193, 122, 196, 236, 198),),
    "left side of the nose": ((417, 351, 419, 456, 420),),
}
SIZES = {"nose": 0.05, "chin": 0.10, "cheekbone": 0.13, "hollow": 0.13, "forehead": 0.20, "face": 0.20}
"""Diameters of the brush, in heights of the face, by a word of the way's name."""
STEPS = 8
"""Points between two landmarks."""


def form_strokes(landmarks: Sequence[tuple[float, float]]) -> list[dict[str, object]]:
    """Strokes of dodge and burn, soft and of a few per cent, as they stand in a sheet; places in long sides."""
    unit, places = height(landmarks), np.array(landmarks, np.float64)
    out: list[dict[str, object]] = []
    for ways, darker in ((LIGHT, False), (SHADE, True)):
        for name, lines in ways.items():
            size = next(share for word, share in SIZES.items() if word in name)
            for line in lines:
                out.append({
                    "size": round(size * unit, 4), "softness": 1.0, "flow": 0.06, "darker": darker,
                    "points": _points(places[list(line)]),
                })  # fmt: skip
    return out


def _points(corners: np.ndarray) -> Points:
    at = np.linspace(0, len(corners) - 1, STEPS * (len(corners) - 1) + 1)
    x, y = (np.interp(at, np.arange(len(corners)), corners[:, i]) for i in range(2))
    return [(round(float(a), 5), round(float(b), 5), 1.0) for a, b in zip(x, y, strict=True)]
