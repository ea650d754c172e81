"""Cells, regions and things: a picture in pieces that colour holds together, and what stands in a box."""

import heapq
from collections.abc import Sequence

import cv2
import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import maximum_flow

from retouch.types import Bytes, Floats

CELLS = 960
PARTS, WHOLES = 90, 18
"""How many regions a picture has at the two levels; the classes' borders make more."""
COLOURS = 5
"""Colours by which each side of a cut is known."""
UNIT_COST = 1000
"""Integers to one unit of cost: the flow is worked out in whole numbers."""
KNOWN = 0.25
"""How much a known person, skin or hair tells things apart, in lightness."""
FLOOR = 4e-4
"""Least variance of a colour in a mixture."""
SMOOTH = 6.0
"""What a border of two cells along their whole side costs where their colours are one."""


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
    return np.clip(lab * np.array([255, 400, 400]) + np.array([0, 128, 128]), 0, 255).astype(np.uint8)


def _means(lab: Floats, numbers: np.ndarray, *more: Floats) -> tuple[Floats, Floats]:
    """Mean colour (n, 3 and one for each of ``more``) and size (n,) of every cell; chroma counts twice."""
    flat, sizes = numbers.ravel(), np.bincount(numbers.ravel()).astype(np.float64)
    channels = [lab[..., 0], 2 * lab[..., 1], 2 * lab[..., 2], *more]
    sums = np.stack([np.bincount(flat, channel.ravel(), len(sizes)) for channel in channels], axis=-1)
    return sums / sizes[:, None], sizes


def _borders(numbers: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Pairs of neighbouring cells (a < b) and the length of their border in pixels."""
    count, pairs = int(numbers.max()) + 1, []
    for one, other in ((numbers[:, :-1], numbers[:, 1:]), (numbers[:-1], numbers[1:])):
        differ = one != other
        a, b = one[differ], other[differ]
        pairs.append(np.minimum(a, b).astype(np.int64) * count + np.maximum(a, b))
    both, lengths = np.unique(np.concatenate(pairs), return_counts=True)
    return both // count, both % count, lengths


def regions(lab: Floats, classes: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Numbers of the regions of a picture at two levels, parts and wholes (h × w uint16, from 0).

    Neighbouring cells of one class are joined, the two first whose joining adds least to the spread of colours within
    regions (J. Ward, 1963). ``classes`` (h × w int) are borders that no region crosses: person, skin, hair.
    """
    numbers = cells(lab)
    count = numbers.max() + 1
    # The class of most of a cell's pixels; a cell that lies across a border is divided by it.
    _, numbers = np.unique(numbers * (classes.max() + 1) + classes, return_inverse=True)
    numbers = numbers.reshape(lab.shape[:2])
    count = numbers.max() + 1
    kind = np.zeros(count, int)
    kind[numbers.ravel()] = classes.ravel()
    colours, sizes = _means(lab, numbers)
    first, second, _ = _borders(numbers)
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
    left, answer = count, {}
    floor = len(np.unique(kind))
    for goal in (max(PARTS, floor), max(WHOLES, floor)):
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
        answer[goal] = _named(parent)[numbers]
    parts, wholes = answer[max(PARTS, floor)], answer[max(WHOLES, floor)]
    return parts.astype(np.uint16), wholes.astype(np.uint16)


def _named(parent: list[int]) -> np.ndarray:
    """Numbers 0 … of the roots that cells belong to."""
    roots = []
    for at in range(len(parent)):
        while parent[at] != at:
            at = parent[at]
        roots.append(at)
    return np.unique(roots, return_inverse=True)[1]


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
    colours, sizes = _means(lab, numbers, *(KNOWN * kind for kind in kinds))
    share = np.bincount(numbers.ravel(), inside.ravel()) / sizes
    may = share > 0.5
    if not may.any() or may.all():
        return inside.copy()
    first, second, length = _borders(numbers)
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
    return front[numbers]


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
