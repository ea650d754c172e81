"""Strokes that give a face form: light where it stands out, shade where it turns away."""

from collections.abc import Sequence

import numpy as np

from retouch.faces.drawn import height
from retouch.faces.mesh import CHIN, IRISES, TOP, upright

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


RIGHT_JAW, LEFT_JAW, WINGS, CORNERS = (172, 136, 150), (397, 365, 379), (129, 358), (61, 291)
"""Landmarks along the jaw, at the nose's wings and the mouth's corners; the sitter's right first."""
DOWN, ASIDE = 0.62, 0.85
"""Where shoulders lie: below the chin and beside the face's axis, in heights of the face."""


def form_of(landmarks: Sequence[tuple[float, float]]) -> dict[str, object]:
    """Where the parts of a face lie, as settings of a shape: see :class:`retouch.shape.forms.FaceForm`."""
    places = np.array(landmarks, np.float64)
    up, length = upright(places)
    right = np.array([up[1], -up[0]])
    if (places[RIGHT_JAW[0]] - places[LEFT_JAW[0]]) @ right < 0:
        right = -right
    shoulder = places[CHIN] - DOWN * length * up
    rims = [np.ptp(places[list(ring)], axis=0).max() / 2 for ring in IRISES]
    return {
        "chin": _place(places[CHIN]), "top": _place(places[TOP]),
        "eyes": [_place(places[ring[0]]) for ring in IRISES], "iris": round(float(max(rims)), 5),
        "mouth": [_place(places[i]) for i in CORNERS], "jaw": [_place(places[i]) for i in RIGHT_JAW + LEFT_JAW],
        "nose": [_place(places[i]) for i in WINGS],
        "shoulders": [_place(shoulder + side * ASIDE * length * right) for side in (1, -1)],
    }  # fmt: skip


def _place(at: np.ndarray) -> tuple[float, float]:
    return round(float(at[0]), 5), round(float(at[1]), 5)


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
