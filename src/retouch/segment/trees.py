"""Boosted trees, evaluated plainly: a model that was taught elsewhere is a small file of numbers."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numba
import numpy as np

from retouch.types import Floats


@dataclass(frozen=True)
class Trees:
    """Trees for several classes; ``roots`` (classes × rounds) say where in the lists of nodes each begins.

    At a node whose ``feature`` is not negative one goes to ``below`` where the value is at most the ``limit``, else to
    ``over``; a leaf's ``limit`` is what it adds to the score of its class, which begins at ``start``.
    """

    start: Floats
    roots: np.ndarray[Any, Any]
    feature: np.ndarray[Any, Any]
    limit: Floats
    below: np.ndarray[Any, Any]
    over: np.ndarray[Any, Any]

    @classmethod
    def load(cls, path: Path) -> "Trees":
        """From the file that the training wrote."""
        with np.load(path) as stored:
            return cls(**{name: stored[name] for name in cls.__dataclass_fields__})

    def save(self, path: Path) -> None:
        """Into a small file."""
        np.savez_compressed(path, **{name: getattr(self, name) for name in self.__dataclass_fields__})

    def likely(self, values: Floats) -> Floats:
        """How likely each row of features (n × f, float32) is of each class (n × classes, summing to 1)."""
        scores = np.tile(self.start.astype(np.float32), (len(values), 1))
        _walk(values, self.roots, self.feature, self.limit, self.below, self.over, scores)
        scores = np.exp(scores - scores.max(axis=1, keepdims=True))
        return np.asarray(scores / scores.sum(axis=1, keepdims=True))


@numba.njit(nogil=True, cache=True)
def _walk(values: Any, roots: Any, feature: Any, limit: Any, below: Any, over: Any, scores: Any) -> None:
    for n in range(values.shape[0]):
        for c in range(roots.shape[0]):
            total = np.float32(0)
            for r in range(roots.shape[1]):
                node = roots[c, r]
                f = feature[node]
                while f >= 0:
                    node = below[node] if values[n, f] <= limit[node] else over[node]
                    f = feature[node]
                total += limit[node]
            scores[n, c] += total
