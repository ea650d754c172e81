"""What lies behind a thing that moves: its surroundings, continued."""

import cv2
import numpy as np

from retouch.types import Coverage, Encoded, Floats

SIDE = 1000
"""Pixels on the long side of the picture on which it is continued."""
HIDDEN = 0.02
"""Coverage from which on a place says nothing of what lies behind it."""
RIM = 3
"""Pixels round the thing that are a mixture already."""


def continued(picture: Encoded, covered: Coverage) -> Floats:
    """The picture (float32 h × w × 3) with what is covered made up smoothly from what surrounds it.

    Push and pull: means of what is known on coarser and coarser maps, brought back to where nothing is known
    (S. J. Gortler et al., "The Lumigraph", 1996, § 3.4).
    """
    hidden = cv2.dilate((covered > HIDDEN).astype(np.uint8), np.ones((2 * RIM + 1, 2 * RIM + 1), np.uint8))
    known = (hidden == 0).astype(np.float32)
    out = _pulled(picture * known[..., None], known)
    return np.asarray(np.where(hidden[..., None] > 0, out, picture), np.float32)


def _pulled(colours: Floats, weight: Floats) -> Floats:
    """Colours for every pixel, of colours times their weight (0…1)."""
    if min(weight.shape) <= 2 or weight.min() >= 1:
        total = max(float(weight.sum()), 1e-6)
        mean = colours.reshape(-1, 3).sum(0) / total
        return np.asarray(np.where(weight[..., None] > 0, colours / np.maximum(weight, 1e-6)[..., None], mean))
    size = (weight.shape[1] + 1) // 2, (weight.shape[0] + 1) // 2
    small, less = (cv2.resize(v, size, interpolation=cv2.INTER_AREA) for v in (colours, weight))
    # Little that is known counts as all of it: what is coarser is asked only where nothing is.
    more = np.minimum(1, 4 * less)
    coarse = _pulled(small * (more / np.maximum(less, 1e-6))[..., None], more)
    behind = cv2.resize(coarse, weight.shape[::-1], interpolation=cv2.INTER_CUBIC)
    return np.asarray(colours + (1 - weight)[..., None] * behind, np.float32)
