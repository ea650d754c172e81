"""What stands in a box, and what is in front: graph cuts by colour, on cells and on pixels."""

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import maximum_flow

from retouch.segment.cells import borders, cells, eight, means
from retouch.types import Bytes, Floats

COLOURS = 5
"""Colours by which each side of a cut is known."""
UNIT_COST = 1000
"""Integers to one unit of cost: the flow is worked out in whole numbers."""
KNOWN = 0.25
"""How much a known person, skin or hair tells things apart, in lightness: chosen by the boxes of ``bench.finding``."""
FLOOR = 4e-4
"""Least variance of a colour in a mixture."""
SMOOTH = 6.0
"""What a border of two cells along their whole side costs where their colours are one."""


def boxed(lab: Floats, inside: np.ndarray, kinds: Sequence[Floats] = (), rounds: int = 6) -> np.ndarray:
    """What stands out in a box: a boolean map.

    GrabCut (C. Rother, V. Kolmogorov, A. Blake, 2004) on cells instead of pixels: each side is known by a mixture of
    COLOURS colours, a minimum cut divides the cells, and the colours are learnt again.

    Parameters
    ----------
    lab
        OKLab, h × w × 3.
    inside
        h × w boolean: the box; the rest is surely not the thing.
    kinds
        Coverages (h × w, 0…1) of what is known to be on the picture, such as a person: things differ in them too.
    """
    numbers = cells(lab)
    colours, sizes = means(lab, numbers, *(KNOWN * kind for kind in kinds))
    share = np.bincount(numbers.ravel(), inside.ravel()) / sizes
    may = share > 0.5
    if not may.any() or may.all():
        return inside.copy()
    first, second, length = borders(numbers)
    away = ((colours[first] - colours[second]) ** 2).sum(1)
    smooth = SMOOTH * length / np.sqrt(sizes.mean()) * np.exp(-away / (2 * max(float(np.mean(away)), 1e-6)))
    front = may.copy()
    for _ in range(rounds):
        if not front.any():
            break
        near, far = _palette(colours[front], sizes[front]), _palette(colours[~front], sizes[~front])
        to_front, to_back = (_unlikely(colours, *mixture) for mixture in (near, far))
        now = _least_cut(to_front, to_back, ~may, first, second, smooth)
        if (now == front).all():
            break
        front = now
    return np.asarray(front[numbers])


def cut(lab: Floats, labels: Bytes, rounds: int) -> np.ndarray:
    """As :func:`cut8`, of OKLab colours."""
    return cut8(eight(lab), labels, rounds)


def cut8(picture: Bytes, labels: Bytes, rounds: int) -> np.ndarray:
    """A graph cut by colour from OpenCV's four labels: a boolean map of what is in front (h × w)."""
    return _grabbed(picture, labels, rounds, _Mixtures(), cv2.GC_INIT_WITH_MASK)


def cut8_from_half(picture: Bytes, labels: Bytes, rounds: int) -> np.ndarray:
    """As :func:`cut8`, the colours of both sides learnt at half the size, which takes half as long."""
    few, mixtures = (max(1, labels.shape[1] // 2), max(1, labels.shape[0] // 2)), _Mixtures()
    small = np.asarray(cv2.resize(picture, few, interpolation=cv2.INTER_AREA), np.uint8)
    coarse = np.asarray(cv2.resize(labels, few, interpolation=cv2.INTER_NEAREST), np.uint8)
    if not _two_sided(coarse):
        return cut8(picture, labels, rounds)
    _grabbed(small, coarse, rounds, mixtures, cv2.GC_INIT_WITH_MASK)
    return _grabbed(picture, labels, 1, mixtures, cv2.GC_EVAL_FREEZE_MODEL)


class _Mixtures:
    """The colours of both sides, as OpenCV learns them."""

    def __init__(self) -> None:
        self.back, self.front = np.zeros((1, 65)), np.zeros((1, 65))


def _two_sided(labels: Bytes) -> bool:
    return bool((labels == cv2.GC_FGD).any() and (labels == cv2.GC_BGD).any())


def _grabbed(picture: Bytes, labels: Bytes, rounds: int, mixtures: _Mixtures, way: int) -> np.ndarray:
    if not _two_sided(labels):
        return (labels & 1) > 0
    cv2.setRNGSeed(1)
    labels = labels.copy()
    nowhere: Any = None  # the rectangle, which labels replace
    cv2.grabCut(picture, labels, nowhere, mixtures.back, mixtures.front, rounds, way)
    return np.asarray((labels == cv2.GC_FGD) | (labels == cv2.GC_PR_FGD))


def _palette(colours: Floats, sizes: Floats) -> tuple[Floats, Floats, Floats]:
    """A few colours that stand for many: middles (k, c), variances (k, c), shares (k,), by k-means along lightness."""
    order = np.argsort(colours[:, 0])
    middle = colours[order[np.linspace(0, len(order) - 1, min(COLOURS, len(order))).round().astype(int)]].copy()
    for _ in range(8):
        own = ((colours[:, None] - middle) ** 2).sum(-1).argmin(1)
        weight = (own == np.arange(len(middle))[:, None]) * sizes
        share = weight.sum(1)
        some = share > 0
        middle[some] = weight[some] @ colours / share[some, None]
    variance = np.full(middle.shape, FLOOR)
    variance[some] += np.einsum("kn,knc->kc", weight[some], (colours - middle[some, None]) ** 2) / share[some, None]
    return middle, variance, share / sizes.sum()


def _unlikely(colours: Floats, middle: Floats, variance: Floats, share: Floats) -> Floats:
    """Minus the logarithm of how likely colours are under a mixture, of its likeliest part."""
    off = ((colours[:, None] - middle) ** 2 / (2 * variance) + 0.5 * np.log(variance)).sum(-1)
    return np.asarray((off - np.log(share + 1e-9)).min(1))


def _least_cut(
    to_front: Floats, to_back: Floats, never: np.ndarray, first: np.ndarray, second: np.ndarray, smooth: Floats
) -> np.ndarray:
    """Which cells are in front, at least cost: each pays for its side, neighbours on two sides for their border."""
    count = len(to_front)
    source, sink = count, count + 1
    every = np.arange(count)
    # Only the difference of the two matters; a flow knows no negative costs.
    least = np.minimum(to_front, to_back)
    to_front, to_back = to_front - least, np.where(never, 0, to_back - least)
    pay_front = np.where(never, 1e6, to_front)
    rows = np.concatenate([np.full(count, source), every, first, second])
    columns = np.concatenate([every, np.full(count, sink), second, first])
    costs = np.concatenate([to_back, pay_front, smooth, smooth])
    graph = coo_matrix(
        ((np.minimum(costs, 1e5) * UNIT_COST).astype(np.int32), (rows, columns)), shape=(count + 2, count + 2)
    ).tocsr()
    flow = maximum_flow(graph, source, sink)
    left = graph - flow.flow
    left.data = (left.data > 0).astype(np.int8)
    left.eliminate_zeros()
    reached = np.zeros(count + 2, bool)
    edge = np.array([source])
    reached[source] = True
    while len(edge):
        nxt = np.unique(left[edge].indices)
        edge = nxt[~reached[nxt]]
        reached[edge] = True
    return reached[:count]
