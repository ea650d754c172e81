"""A small convolutional network, evaluated plainly: a model that was taught elsewhere is a small file of numbers.

Its layers go down to ever smaller maps and up again, and see on every size what was seen there on the way down.
Source: O. Ronneberger, P. Fischer, T. Brox, "U-Net: convolutional networks for biomedical image segmentation", MICCAI
2015.
"""

from dataclasses import dataclass
from pathlib import Path
from typing import Any, Self

import numpy as np
from scipy.special import softmax

from retouch.types import Floats

OUTLIER = 4.0
"""Standard deviations beyond which a feature says no more."""

Layer = tuple[Floats, Floats]
"""Weights, and what is added."""


@dataclass(frozen=True)
class Net:
    """Layers: ``first`` and ``last`` at every pixel (in × out), ``down`` and ``up`` over 3 × 3 of them (3 × 3 × in ×
    out).

    ``mean`` and ``spread`` (f) are those of each feature where it was taught. ``down`` has one layer for the first map
    and two for each smaller one; ``up`` one for each map but the smallest, the largest first.
    """

    mean: Floats
    spread: Floats
    first: Layer
    down: list[Layer]
    up: list[Layer]
    last: Layer

    @classmethod
    def load(cls, path: Path) -> Self:
        """From the file that the training wrote."""
        with np.load(path) as stored:
            of = {name: stored[name].astype(np.float32) for name in stored}

        def layers(name: str) -> list[Layer]:
            count = sum(key.startswith(name) for key in of) // 2
            return [(of[f"{name} {n}"], of[f"{name} {n} added"]) for n in range(count)]

        (first,), (last,) = layers("first"), layers("last")
        return cls(of["mean"], of["spread"], first, layers("down"), layers("up"), last)

    def save(self, path: Path) -> None:
        """Into a small file, weights in half precision."""
        of: dict[str, Any] = {"mean": self.mean, "spread": self.spread}
        named = ("first", [self.first]), ("down", self.down), ("up", self.up), ("last", [self.last])
        for name, layers in named:
            for n, (weights, added) in enumerate(layers):
                of |= {f"{name} {n}": weights.astype(np.float16), f"{name} {n} added": added}
        np.savez_compressed(path, **of)

    def likely(self, maps: Floats, there: np.ndarray[Any, Any]) -> Floats:
        """How likely each pixel is of each class (h × w × classes, float32, summing to 1).

        ``maps``: features (h × w × f), of which those count that are ``there`` (h × w, boolean).
        """
        height, width = there.shape
        most = 2 ** len(self.up)
        known = np.zeros((-(-height // most) * most, -(-width // most) * most, maps.shape[-1] + 1), np.float32)
        inside = known[:height, :width]
        inside[..., :-1] = np.clip((maps - self.mean) / self.spread, -OUTLIER, OUTLIER)
        inside[..., -1] = 1
        inside *= there[..., None]
        weights, added = self.first
        sizes = [_over(np.maximum(known @ weights + added, 0), self.down[0])]
        for one, two in zip(self.down[1::2], self.down[2::2], strict=True):
            sizes.append(_over(_over(_halved(sizes[-1]), one), two))
        out = sizes.pop()
        for layer in reversed(self.up):
            out = _over(np.concatenate([sizes.pop(), out.repeat(2, 0).repeat(2, 1)], axis=-1), layer)
        weights, added = self.last
        return np.asarray(softmax(out[:height, :width] @ weights + added, axis=-1))


def _over(maps: Floats, layer: Layer) -> Floats:
    """Sums over 3 × 3 pixels, nothing being beyond the map, kept where they are positive."""
    height, width = maps.shape[:2]
    wide = np.pad(maps, ((1, 1), (1, 1), (0, 0)))
    out = np.broadcast_to(layer[1], (height, width, len(layer[1]))).copy()
    for y in range(3):
        for x in range(3):
            out += wide[y : y + height, x : x + width] @ layer[0][y, x]
    return np.maximum(out, 0)


def _halved(maps: Floats) -> Floats:
    height, width, count = maps.shape
    return np.asarray(maps.reshape(height // 2, 2, width // 2, 2, count).mean(axis=(1, 3)))
