"""A multilayer perceptron, evaluated plainly: a model that was taught elsewhere is a small file of numbers."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any, Self

import numpy as np
from scipy.special import softmax

from retouch.segment.net import OUTLIER, Layer
from retouch.types import Floats


@dataclass(frozen=True)
class Perceptron:
    """Layers (in × out, and what is added), after each of which but the last only what is positive counts.

    ``mean`` and ``spread`` (f) are those of each feature where it was taught.
    """

    mean: Floats
    spread: Floats
    layers: list[Layer]

    @classmethod
    def load(cls, path: Path) -> Self:
        """From the file that the training wrote."""
        with np.load(path) as stored:
            of = {name: stored[name].astype(np.float32) for name in stored}
        count = sum(name.endswith("added") for name in of)
        return cls(of["mean"], of["spread"], [(of[f"layer {n}"], of[f"layer {n} added"]) for n in range(count)])

    def save(self, path: Path) -> None:
        """Into a small file, weights in half precision."""
        of: dict[str, Any] = {"mean": self.mean, "spread": self.spread}
        for n, (weights, added) in enumerate(self.layers):
            of |= {f"layer {n}": weights.astype(np.float16), f"layer {n} added": added}
        np.savez_compressed(path, **of)

    def likely(self, values: Floats) -> Floats:
        """How likely each row of features (n × f, float32) is of each class (n × classes, summing to 1)."""
        out = np.clip((values - self.mean) / self.spread, -OUTLIER, OUTLIER)
        for weights, added in self.layers[:-1]:
            out = np.maximum(out @ weights + added, 0)
        weights, added = self.layers[-1]
        return np.asarray(softmax(out @ weights + added, axis=-1))
