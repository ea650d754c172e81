"""What lies behind a thing that moves: its surroundings, continued."""

from hashlib import sha256

import cv2
import numpy as np

from retouch.mend.fill import NONE, STRANGE, choose
from retouch.types import Coverage, Encoded, Floats, Lab, digest_of

SIDE = 1000
"""Pixels on the long side of the picture on which it is continued."""
HIDDEN = 0.02
"""Coverage from which on a place says nothing of what lies behind it."""
WORKING = 200
"""Pixels on the long side of the picture on which its sources are chosen."""
KEPT = 32
"""How many choices of sources a process keeps: an export has no other memory."""
_CHOSEN: dict[str, Floats] = {}
RIM = 3
"""Pixels round the thing that are a mixture already."""


def hidden(covered: Coverage) -> np.ndarray:
    """Where nothing is known of what lies behind (boolean, h × w)."""
    return cv2.dilate((covered > HIDDEN).astype(np.uint8), np.ones((2 * RIM + 1, 2 * RIM + 1), np.uint8)) > 0


def sources(original: Lab, covered: Coverage) -> Floats:
    """For each pixel that is hidden from where it is taken: float32 h × w × 2, in pixels; 0 elsewhere.

    ``original``: OKLab, h × w × 3, small. The labels of a filling (:func:`retouch.mend.fill.choose`) by one and the
    same chance, chosen on the original, so that nothing that is done to the picture chooses anew.
    """
    name = digest_of(str(covered.shape), sha256(original.tobytes()).hexdigest(), sha256(covered.tobytes()).hexdigest())
    if (known := _CHOSEN.get(name)) is not None:
        return known
    out = np.zeros((*covered.shape, 2), np.float32)
    hole = hidden(covered)
    chosen = choose(original, hole, ~hole, 0) if hole.any() and not hole.all() else None
    if chosen is not None:
        labels, offsets = chosen
        there = hole & (labels != NONE)
        out[there] = offsets[labels[there]]
    while len(_CHOSEN) >= KEPT:
        _CHOSEN.pop(next(iter(_CHOSEN)), None)
    _CHOSEN[name] = out
    return out


def continued(picture: Encoded, covered: Coverage, sources: Floats) -> Floats:
    """The picture (float32 h × w × 3) with what is covered made up from what surrounds it.

    It is read at ``sources``, which may be of a smaller map (:func:`sources`): the backdrop beside a backdrop, skin
    beside skin; what the rim differs from its own sources runs in smoothly, so that no edge is seen. Where there are
    no sources the picture itself runs in. Both by push and pull: means of what is known on coarser and coarser maps
    (S. J. Gortler et al., "The Lumigraph", 1996, § 3.4).
    """
    hole = hidden(covered)
    known = (~hole).astype(np.float32)
    smooth = np.where(hole[..., None], _pulled(picture * known[..., None], known), picture).astype(np.float32)
    if not hole.any() or hole.all():
        return smooth
    inside = cv2.dilate(hole.astype(np.uint8), np.ones((2 * RIM + 1, 2 * RIM + 1), np.uint8)) > 0
    rows, columns = np.nonzero(inside)
    # Beside the hole a pixel asks where the nearest one in it comes from.
    share = max(sources.shape[:2]) / max(hole.shape)
    _, label = cv2.distanceTransformWithLabels(known.astype(np.uint8), cv2.DIST_L2, 3, labelType=cv2.DIST_LABEL_PIXEL)
    there = np.zeros((int(label.max()) + 1, 2), int)
    there[label[hole]] = np.argwhere(hole)
    nearest = there[label[rows, columns]]
    small = np.minimum((nearest * share).astype(int), np.array(sources.shape[:2]) - 1)
    offset = np.rint(sources[small[:, 0], small[:, 1]] / share).astype(int)
    height, width = hole.shape
    from_x = np.clip(columns + offset[:, 0], 0, width - 1)
    from_y = np.clip(rows + offset[:, 1], 0, height - 1)
    taken = offset.any(axis=1) & ~hole[from_y, from_x]
    rows, columns, from_y, from_x = (v[taken] for v in (rows, columns, from_y, from_x))
    seam, weight = np.zeros_like(smooth), np.zeros(hole.shape, np.float32)
    apart = picture[rows, columns] - picture[from_y, from_x]
    beside = ~hole[rows, columns] & (np.abs(apart).max(axis=1) < STRANGE)
    seam[rows[beside], columns[beside]], weight[rows[beside], columns[beside]] = apart[beside], 1
    evened = _pulled(seam, weight)
    out, mine = smooth.copy(), hole[rows, columns]
    rows, columns = rows[mine], columns[mine]
    out[rows, columns] = picture[from_y[mine], from_x[mine]] + evened[rows, columns]
    return out


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
