"""Cells and regions: a picture in pieces that colour holds together."""

import heapq
from collections.abc import Set

import cv2
import numpy as np

from retouch.types import Bytes, Floats

CELLS = 960
PIECES = 90
"""How many parts a picture has; the classes' borders make more."""
LIGHTNESS, ALIKE = 0.3, 0.1
"""How much lightness counts where things are told apart, and how far colours of one thing may lie from each other."""
DARKEST = 0.16
"""Lightness below which chroma says little."""
SMALL = 0.001
"""Share of the picture under which nothing is a thing by itself."""


def cells(lab: Floats, count: int = CELLS) -> np.ndarray:
    """Numbers 0 … of small cells of like colour (h × w int32), of OKLab h × w × 3.

    M. Van den Bergh et al., "SEEDS: superpixels extracted via energy-driven sampling" (2012).
    """
    height, width = lab.shape[:2]
    if min(height, width) < 32:
        return np.arange(height * width, dtype=np.int32).reshape(height, width)
    seeds = cv2.ximgproc.createSuperpixelSEEDS(width, height, 3, count, 4, 2, 5)
    seeds.iterate(eight(lab), 4)
    labels = seeds.getLabels()
    # Labels without a pixel are left out.
    numbers = np.cumsum(np.bincount(labels.ravel()) > 0) - 1
    return np.asarray(numbers[labels], np.int32)


def eight(lab: Floats) -> Bytes:
    """OKLab as three 8-bit channels of like weight."""
    return np.asarray(np.clip(lab * np.array([255, 400, 400]) + np.array([0, 128, 128]), 0, 255).astype(np.uint8))


def means(lab: Floats, numbers: np.ndarray, *more: Floats) -> tuple[Floats, Floats]:
    """Mean colour (n, 3 and one for each of ``more``) and size (n,) of every cell; chroma counts twice."""
    flat, sizes = numbers.ravel(), np.bincount(numbers.ravel()).astype(np.float64)
    channels = [lab[..., 0], 2 * lab[..., 1], 2 * lab[..., 2], *more]
    sums = np.stack([np.bincount(flat, channel.ravel(), len(sizes)) for channel in channels], axis=-1)
    return sums / sizes[:, None], sizes


def borders(numbers: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Pairs of neighbouring cells (a < b) and the length of their border in pixels."""
    count, pairs = int(numbers.max()) + 1, []
    for one, other in ((numbers[:, :-1], numbers[:, 1:]), (numbers[:-1], numbers[1:])):
        differ = one != other
        a, b = one[differ], other[differ]
        pairs.append(np.minimum(a, b).astype(np.int64) * count + np.maximum(a, b))
    both, lengths = np.unique(np.concatenate(pairs), return_counts=True)
    return both // count, both % count, lengths


def regions(
    lab: Floats, classes: np.ndarray, one: Set[int] = frozenset(), holds: Set[int] = frozenset()
) -> tuple[np.ndarray, np.ndarray]:
    """Numbers of the regions of a picture at two levels, parts and wholes (h × w uint16, from 0).

    Parts: neighbouring cells of one class are joined, the two first whose joining adds least to the spread of colours
    within regions (J. Ward, 1963), until PIECES are left. Wholes: parts are joined in the same way by colour with
    little of its lightness, for as long as they are alike, so that light and shadow of one cloth become one thing.

    Parameters
    ----------
    lab
        OKLab, h × w × 3.
    classes
        Borders that no region crosses (h × w int): each person's face, skin, hair and the rest, and the backdrop.
    one, holds
        Classes that are one thing whatever their colours: wherever they lie, or where they touch.
    """
    numbers = cells(lab)
    # A cell that lies across a border is divided by it.
    _, numbers = np.unique(numbers * (classes.max() + 1) + classes, return_inverse=True)
    numbers = numbers.reshape(lab.shape[:2])
    parts = _parts(lab, numbers, _classes_of(numbers, classes))
    kind = _classes_of(parts, classes)
    wholes = _wholes(lab, parts, kind, np.isin(kind, list(one)), np.isin(kind, list(holds)))
    return parts.astype(np.uint16), wholes.astype(np.uint16)


def _classes_of(numbers: np.ndarray, classes: np.ndarray) -> np.ndarray:
    kind = np.zeros(numbers.max() + 1, int)
    kind[numbers.ravel()] = classes.ravel()
    return kind


def _parts(lab: Floats, numbers: np.ndarray, kind: np.ndarray) -> np.ndarray:
    count = len(kind)
    colours, sizes = means(lab, numbers)
    first, second, _ = borders(numbers)
    beside: list[set[int]] = [set() for _ in range(count)]
    for a, b in zip(first.tolist(), second.tolist(), strict=True):
        if kind[a] == kind[b]:
            beside[a].add(b)
            beside[b].add(a)
    parent = list(range(count))
    colour, size = [c for c in colours], sizes.tolist()
    stamp = [0] * count

    def cost(a: int, b: int) -> float:
        return float(size[a] * size[b] / (size[a] + size[b]) * ((colour[a] - colour[b]) ** 2).sum())

    waiting = [(cost(a, b), a, b, 0, 0) for a in range(count) for b in beside[a] if a < b]
    heapq.heapify(waiting)
    left, goal = count, max(PIECES, len(np.unique(kind)))
    while left > goal and waiting:
        _, a, b, then_a, then_b = heapq.heappop(waiting)
        if parent[a] != a or parent[b] != b or stamp[a] != then_a or stamp[b] != then_b:
            continue
        parent[b] = a
        colour[a] = (colour[a] * size[a] + colour[b] * size[b]) / (size[a] + size[b])
        size[a] += size[b]
        stamp[a] += 1
        beside[a] = {c for c in beside[a] | beside[b] if c not in (a, b)}
        for c in beside[a]:
            beside[c].discard(b)
            beside[c].add(a)
            heapq.heappush(waiting, (cost(a, c), *(min(a, c), max(a, c)), stamp[min(a, c)], stamp[max(a, c)]))
        left -= 1
    return np.asarray(_named(parent)[numbers])


def _wholes(lab: Floats, parts: np.ndarray, kind: np.ndarray, one: np.ndarray, holds: np.ndarray) -> np.ndarray:
    """Numbers of the wholes at each pixel; ``kind``, ``one``, ``holds``: of every part."""
    count, flat = len(kind), parts.ravel()
    size = np.bincount(flat).astype(np.float64)
    # Light and shadow change a colour's chroma with its lightness: their ratio stays.
    free = (LIGHTNESS * lab[..., 0], *np.moveaxis(lab[..., 1:] / (lab[..., :1] + DARKEST), -1, 0))
    colour = np.stack([np.bincount(flat, channel.ravel()) / size for channel in free], axis=-1)
    beside = np.zeros((count, count), bool)
    first, second, _ = borders(parts)
    beside[first, second] = beside[second, first] = True
    parent = np.arange(count)
    own = kind[:, None] == kind
    np.fill_diagonal(own, False)
    for near in (True, False):
        while True:
            away = ((colour[:, None] - colour) ** 2).sum(-1)
            alike = away < ALIKE**2
            small = np.minimum(size[:, None], size) < SMALL * flat.size
            if near:
                may = own & beside & (alike | small | (one | holds)[:, None])
            else:
                may = own & (one[:, None] | small | (alike & ~holds[:, None]))
            if not may.any():
                break
            cost = np.where(may, away * (size[:, None] * size / (size[:, None] + size)), np.inf)
            a, b = divmod(int(cost.argmin()), count)
            parent[parent == b] = a
            colour[a] = (colour[a] * size[a] + colour[b] * size[b]) / (size[a] + size[b])
            size[a] += size[b]
            beside[a] |= beside[b]
            beside[:, a] |= beside[:, b]
            own[b] = own[:, b] = False
    return np.asarray(np.unique(parent, return_inverse=True)[1][parts])


def _named(parent: list[int]) -> np.ndarray:
    """Numbers 0 … of the roots that cells belong to."""
    roots = []
    for at in range(len(parent)):
        while parent[at] != at:
            at = parent[at]
        roots.append(at)
    return np.unique(roots, return_inverse=True)[1]
