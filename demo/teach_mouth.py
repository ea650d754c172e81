"""Teach the finder what lips, teeth and the inside of a mouth are: ``python -m demo.teach_mouth --small DIR …``.

Its pictures are those of :mod:`demo.teach_eyes`: by their exact labels lips, teeth and skin change their colours, and
the light, the camera, the file and the mesh are changed by chance. The guests are never looked at. The seed is fixed.
"""

import zlib
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from demo.teach_eyes import View, jittered, some, taken, teach, views
from retouch.colour.encoding import encode
from retouch.colour.tones import clipped_oklab
from retouch.faces import mesh
from retouch.faces import mouth_parts as parts
from retouch.faces.finding import MOUTH_SIDE
from retouch.faces.mouth import guessed
from retouch.faces.upright import moved
from retouch.types import Encoded, Floats

KINDS = ("lips", "teeth", "mouth")
PIXELS = 900
"""Of one version of a mouth."""
ROUNDS = 70
SEED = 20261128


def changed(view: View, rng: np.random.Generator) -> tuple[Encoded, Floats]:
    """Another picture of the same mouth, whose truth is as exact, and a mesh as it might lie on it."""
    out, truth = view.linear.copy(), view.truth
    corners = view.points[list(parts.CORNERS)]
    wide = float(np.hypot(*(corners[0] - corners[1])))

    def by(mask: Floats, gain: Floats) -> None:
        nonlocal out
        out = out * (1 + mask[..., None] * (gain - 1)).astype(np.float32)

    if rng.random() < 0.6:
        # Redder or paler than they are, or painted.
        strong = rng.random() < 0.3
        by(truth["lips"], np.exp(rng.normal(0, 0.35 if strong else 0.12) + rng.normal(0, [0.1, 0.35, 0.3], 3)
                                 * (1.0 if strong else 0.3)))  # fmt: skip
    if rng.random() < 0.6:
        by(truth["skin"] + truth["face-skin"], np.exp(rng.normal(0, 0.15) + rng.normal(0, [0.03, 0.05, 0.07])))
    if rng.random() < 0.4:
        by(truth["teeth"], np.exp(rng.normal(-0.1, 0.3) + rng.normal(0, [0.02, 0.05, 0.15])))
    if rng.random() < 0.3:
        by(truth["mouth"], np.exp(rng.normal(0, 0.6) + rng.normal(0, [0.1, 0.1, 0.1])))
    points = jittered(view.points, wide, rng)
    points[list(mesh.LIPS + mesh.MOUTH)] += rng.normal(0, 0.015 * wide, 2)
    return taken(out, [corners.mean(0)], wide, rng), points


def samples(
    view: View, colours: Encoded, points: Floats, rng: np.random.Generator
) -> Iterator[tuple[Floats, np.ndarray]]:
    """Features and classes of some pixels of a mouth, more of them near borders."""
    way = parts.upright(points)
    there, own = parts.MAP.onto(clipped_oklab(colours), way), moved(points, way)
    values = parts.measured(there, own, *guessed(there, own))
    yield from some(values, [parts.MAP.onto(view.truth[kind], way) for kind in KINDS], PIXELS, rng)


def lesson(label: Path, versions: int) -> list[tuple[Floats, np.ndarray]]:
    """Samples of everybody on a picture: as it is, and changed; by chance of its own."""
    rng = np.random.default_rng([SEED, zlib.crc32(label.stem.encode())])
    out: list[tuple[Floats, np.ndarray]] = []
    for view in views(label, (*KINDS, "skin", "face-skin"), mesh.LIPS, MOUTH_SIDE):
        out += samples(view, Encoded(np.clip(encode(view.linear.astype(np.float64)), 0, 1)), view.points, rng)
        for _ in range(1, versions):
            out += samples(view, *changed(view, rng), rng)
    return out


if __name__ == "__main__":
    teach(parts.MODEL, 1 + len(KINDS), lesson, "demo.teach_mouth", ROUNDS)
