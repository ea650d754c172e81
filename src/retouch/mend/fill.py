"""A whole patch made up from what is round it: where each pixel comes from, chosen once at a working size.

A guide is grown into the hole by patch voting on a pyramid; the offsets that occur most often in it become labels; the
labels are laid so that their seams show least. Sources: Y. Wexler, E. Shechtman, M. Irani, "Space-time completion of
video", IEEE TPAMI 29 (2007); C. Barnes et al., "PatchMatch", SIGGRAPH 2009; K. He, J. Sun, "Image completion
approaches using the statistics of similar patches", IEEE TPAMI 36 (2014), for labels out of frequent offsets.
"""

from collections.abc import Callable
from functools import partial
from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from retouch.bands import in_bands
from retouch.types import Floats

Mask = NDArray[np.bool_]
Tell = Callable[[float], None]
GROWN = 0.6
"""Share of the work until the guide is there."""
HALF = 3
"""Half of a patch: 7 × 7 pixels."""
BEHIND = 0.5
"""How far beside the hole the guide goes on behind what is no source, in the hole's widths."""
COARSEST = 10
"""Pixels across the hole at the coarsest level."""
ROUNDS, SEARCHES = 4, 2
LABELS, MESSAGES = 24, 5
"""Offsets that are tried at every pixel, and rounds in which neighbours agree on them."""
FAR = 1e3
STRANGE = 0.15
"""Steps at the rim beyond which it is another thing that lies beside, whose colour does not run in."""
MIXED = 1
"""Pixels beside such a thing that hold some of it."""
NONE = 255
"""The label of what is not filled."""


def quiet(share: float) -> None:
    """Nobody wants to know how far it is."""


def choose(
    picture: Floats, hole: Mask, allowed: Mask, seed: int, tell: Tell = quiet
) -> tuple[NDArray[np.uint8], NDArray[np.int64]] | None:
    """Labels for a hole and the offsets that they stand for; None if nothing round about could fill it.

    Parameters
    ----------
    picture
        float32 h × w × 3, values of one space (OKLab or encoded colours); what lies in the hole is not looked at.
    hole, allowed
        What is filled, and from where.
    seed
        Another one, another try.
    tell
        Hears from time to time which share is done, 0…1; what it raises ends the work.

    Returns
    -------
    uint8 h × w, :data:`NONE` outside the hole; and n × 2 whole pixels (x, y) from a pixel to its source.
    """
    known = allowed & ~hole
    if not _sources(known).any():
        return None
    rng = np.random.default_rng(seed)
    picture = picture.astype(np.float32)
    # What lies beside and is no source is another thing: the guide goes on behind it, and does not look like it.
    size = np.sqrt(hole.sum())
    far = cv2.distanceTransform((~hole).astype(np.uint8), cv2.DIST_L2, 5)
    behind = hole | (~allowed & (far < max(4 * HALF, BEHIND * size)))
    guide, field = _grow(picture, behind, known, rng, lambda share: tell(share * GROWN))
    offsets = _frequent(field, hole, rng)
    # Labels are laid in the hole, and look as far round it as the costs at its rim do.
    rows, columns = np.flatnonzero(hole.any(1)), np.flatnonzero(hole.any(0))
    part = np.s_[max(0, rows[0] - 3) : rows[-1] + 4, max(0, columns[0] - 3) : columns[-1] + 4]
    shifted, possible = _shifted(picture, known, part, offsets)
    data = _data(picture[part], guide[part], hole[part], known[part], shifted, possible)
    labels = np.full(hole.shape, NONE, np.uint8)
    laid = _agree(shifted, data, hole[part], lambda share: tell(GROWN + share * (1 - GROWN)))
    labels[part] = np.where(hole[part], laid, NONE)
    return labels, offsets


def _sources(known: Mask) -> Mask:
    """Middles of patches that are known whole."""
    size = 2 * HALF + 1
    kernel = np.ones((size, size), np.uint8)
    return np.asarray(cv2.erode(known.astype(np.uint8), kernel, borderType=cv2.BORDER_CONSTANT, borderValue=0) > 0)


def _grow(
    picture: Floats, hole: Mask, known: Mask, rng: np.random.Generator, tell: Tell
) -> tuple[Floats, NDArray[np.int64]]:
    """The guide, and for each pixel the middle of the patch that is most like it (h × w × 2: row, column)."""
    levels = [(picture, hole, known)]
    while np.sqrt(levels[-1][1].sum()) > COARSEST and min(levels[-1][0].shape[:2]) > 8 * HALF:
        above, inside, good = levels[-1]
        half = above.shape[1] // 2, above.shape[0] // 2
        weight = (~inside).astype(np.float32)
        smaller = cv2.resize(above * weight[..., None], half, interpolation=cv2.INTER_AREA)
        share = cv2.resize(weight, half, interpolation=cv2.INTER_AREA)
        values = np.asarray(smaller / np.maximum(share, 1e-3)[..., None], np.float32)
        there = cv2.resize(good.astype(np.float32), half, interpolation=cv2.INTER_AREA) > 0.99
        if not _sources(there).any():
            break
        levels.append((values, np.asarray(share < 0.5), there))
    field: NDArray[np.int64] | None = None
    guide = picture
    done, all_of_it = 0, ROUNDS * sum(inside.size for _, inside, _ in levels)
    for values, inside, good in reversed(levels):
        height, width = inside.shape
        sources = np.argwhere(_sources(good))
        if field is None:
            guide = _softly(values, inside)
            field = sources[rng.integers(len(sources), size=(height, width))]
        else:
            rows = np.minimum(np.arange(height) // 2, field.shape[0] - 1)
            columns = np.minimum(np.arange(width) // 2, field.shape[1] - 1)
            odd = np.stack(np.meshgrid(np.arange(height) % 2, np.arange(width) % 2, indexing="ij"), axis=-1)
            field = 2 * field[rows[:, None], columns] + odd
            field = np.clip(field, HALF, np.array([height, width]) - HALF - 1)
            larger = cv2.resize(guide, (width, height), interpolation=cv2.INTER_LINEAR)
            guide = np.where(inside[..., None], larger, values).astype(np.float32)
        usable = _sources(good)
        depth = cv2.distanceTransform(inside.astype(np.uint8), cv2.DIST_L2, 5)
        loud = np.power(1.3, -depth).astype(np.float32)
        for _ in range(ROUNDS):
            _match(guide.reshape(height, 3 * width), inside, usable, field, sources, int(rng.integers(2**31)), SEARCHES)
            _vote(guide, inside, field, loud)
            done += inside.size
            tell(done / all_of_it)
    assert field is not None
    return guide, field


def _softly(values: Floats, hole: Mask) -> Floats:
    """The hole as the colours round it run into it."""
    out, weight = values * ~hole[..., None], (~hole).astype(np.float32)
    sigma = max(hole.shape) / 6
    spread = cv2.GaussianBlur(out.astype(np.float32), (0, 0), sigma)
    share = cv2.GaussianBlur(weight, (0, 0), sigma)
    return np.where(hole[..., None], spread / np.maximum(share, 1e-6)[..., None], values).astype(np.float32)


# Sums in any order; ``most`` may be infinite, which the rest of fastmath forbids.
@numba.njit(nogil=True, cache=True, fastmath={"reassoc", "contract"})
def _off(guide: Any, y: int, x: int, sy: int, sx: int, most: float) -> float:
    """The squared difference of two patches, as far as the first lies in the picture; at least ``most`` if more.

    ``guide``: h × 3 w, its channels side by side.
    """
    height, width = guide.shape[0], guide.shape[1] // 3
    total, enough = np.float32(0), np.float32(most * (2 * HALF + 1) ** 2)
    if HALF <= y < height - HALF and HALF <= x < width - HALF:
        # Of a length that is known the sum is taken at once.
        for dy in range(-HALF, HALF + 1):
            here, there = 3 * (x - HALF), 3 * (sx - HALF)
            for i in range(3 * (2 * HALF + 1)):
                d = guide[y + dy, here + i] - guide[sy + dy, there + i]
                total += d * d
            if total > enough:
                break
        return float(total / np.float32((2 * HALF + 1) ** 2))
    top, bottom = max(-HALF, -y), min(HALF, height - 1 - y)
    left, right = max(-HALF, -x), min(HALF, width - 1 - x)
    count = (bottom - top + 1) * (right - left + 1)
    for dy in range(top, bottom + 1):
        here, there = 3 * (x + left), 3 * (sx + left)
        for i in range(3 * (right - left + 1)):
            d = guide[y + dy, here + i] - guide[sy + dy, there + i]
            total += d * d
        if total > enough:
            break
    return float(total / np.float32(count))


@numba.njit(nogil=True, cache=True)
def _match(guide: Any, hole: Any, usable: Any, field: Any, sources: Any, seed: int, rounds: int) -> None:
    """PatchMatch over the patches that reach into the hole: propagation, then a random search that narrows."""
    np.random.seed(seed)
    height, width = hole.shape
    near = np.zeros((height, width), np.bool_)
    best = np.full((height, width), np.inf)
    for y in range(height):
        for x in range(width):
            for dy in range(-HALF, HALF + 1):
                for dx in range(-HALF, HALF + 1):
                    if 0 <= y + dy < height and 0 <= x + dx < width and hole[y + dy, x + dx]:
                        near[y, x] = True
            if near[y, x]:
                if not usable[field[y, x, 0], field[y, x, 1]]:
                    k = np.random.randint(len(sources))
                    field[y, x, 0], field[y, x, 1] = sources[k, 0], sources[k, 1]
                best[y, x] = _off(guide, y, x, field[y, x, 0], field[y, x, 1], np.inf)
    for turn in range(rounds):
        step = 1 if turn % 2 == 0 else -1
        for j in range(height):
            y = j if step == 1 else height - 1 - j
            for i in range(width):
                x = i if step == 1 else width - 1 - i
                if not near[y, x]:
                    continue
                for way in range(2):
                    ny, nx = (y - step, x) if way == 0 else (y, x - step)
                    if not (0 <= ny < height and 0 <= nx < width and near[ny, nx]):
                        continue
                    sy, sx = field[ny, nx, 0] + y - ny, field[ny, nx, 1] + x - nx
                    if 0 <= sy < height and 0 <= sx < width and usable[sy, sx]:
                        d = _off(guide, y, x, sy, sx, best[y, x])
                        if d < best[y, x]:
                            best[y, x] = d
                            field[y, x, 0], field[y, x, 1] = sy, sx
                reach = max(height, width)
                while reach >= 1:
                    sy = field[y, x, 0] + np.random.randint(-reach, reach + 1)
                    sx = field[y, x, 1] + np.random.randint(-reach, reach + 1)
                    if 0 <= sy < height and 0 <= sx < width and usable[sy, sx]:
                        d = _off(guide, y, x, sy, sx, best[y, x])
                        if d < best[y, x]:
                            best[y, x] = d
                            field[y, x, 0], field[y, x, 1] = sy, sx
                    reach //= 2


@numba.njit(nogil=True, cache=True)
def _vote(guide: Any, hole: Any, field: Any, loud: Any) -> None:
    """Every pixel of the hole becomes what the patches over it say, those from nearer to the rim more loudly."""
    height, width = hole.shape
    out = guide.copy()
    for y in range(height):
        for x in range(width):
            if not hole[y, x]:
                continue
            total, r, g, b = 0.0, 0.0, 0.0, 0.0
            for dy in range(-HALF, HALF + 1):
                for dx in range(-HALF, HALF + 1):
                    py, px = y + dy, x + dx
                    if not (0 <= py < height and 0 <= px < width):
                        continue
                    sy, sx = field[py, px, 0], field[py, px, 1]
                    if not (HALF <= sy < height - HALF and HALF <= sx < width - HALF):
                        continue
                    w = loud[py, px]
                    total += w
                    r += w * guide[sy - dy, sx - dx, 0]
                    g += w * guide[sy - dy, sx - dx, 1]
                    b += w * guide[sy - dy, sx - dx, 2]
            if total > 0:
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = r / total, g / total, b / total
    guide[:] = out


def _frequent(field: NDArray[np.int64], hole: Mask, rng: np.random.Generator) -> NDArray[np.int64]:
    """The offsets (x, y) that occur most often in a field, no two of them the same."""
    places = np.argwhere(hole)
    found = field[hole] - places
    kinds, counts = np.unique(found, axis=0, return_counts=True)
    order = np.lexsort((rng.random(len(kinds)), -counts))
    return np.ascontiguousarray(kinds[order[:LABELS], ::-1])


def _shifted(
    picture: Floats, known: Mask, part: tuple[slice, slice], offsets: NDArray[np.int64]
) -> tuple[Floats, Mask]:
    """A part of the picture by each offset (n × h × w × 3), and where that is known (n × h × w)."""
    height, width = known.shape
    down, across = np.arange(height)[part[0]], np.arange(width)[part[1]]
    shifted = np.empty((len(offsets), len(down), len(across), 3), np.float32)
    possible = np.empty((len(offsets), len(down), len(across)), bool)
    for n, (dx, dy) in enumerate(offsets):
        rows, columns = down + dy, across + dx
        inside = ((rows >= 0) & (rows < height))[:, None] & ((columns >= 0) & (columns < width))
        cut = np.ix_(rows.clip(0, height - 1), columns.clip(0, width - 1))
        shifted[n] = picture[cut]
        possible[n] = inside & known[cut]
    return shifted, possible


def _data(picture: Floats, guide: Floats, hole: Mask, known: Mask, shifted: Floats, possible: Mask) -> Floats:
    """What each label costs at each pixel (n × h × w): how unlike the guide it is, and at the rim the picture."""
    rim = cv2.dilate(hole.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    rim &= known
    data = np.empty(possible.shape, np.float32)
    for n in range(len(shifted)):
        like = _squared(cv2.blur(shifted[n] - guide, (3, 3)))
        edge = np.where(rim, _squared(shifted[n] - picture), 0)
        beside = cv2.dilate(edge, np.ones((3, 3), np.uint8))
        data[n] = np.where(possible[n], 0.5 * np.sqrt(like) + 2.0 * np.sqrt(beside), FAR)
    return data


def _squared(values: Floats) -> Floats:
    return np.asarray(np.einsum("yxc,yxc->yx", values, values), np.float32)


@numba.njit(nogil=True, cache=True)
def _seam(shifted: Any, a: int, b: int, y: int, x: int, ny: int, nx: int) -> float:
    """What a seam between two labels costs: how unlike they are on both its sides."""
    one, two = 0.0, 0.0
    for c in range(3):
        d = shifted[y, x, a, c] - shifted[y, x, b, c]
        one += d * d
        d = shifted[ny, nx, a, c] - shifted[ny, nx, b, c]
        two += d * d
    return float(np.sqrt(one) + np.sqrt(two))


def _agree(shifted: Floats, data: Floats, hole: Mask, tell: Tell) -> NDArray[np.int64]:
    """The labels that cost least together, by messages between neighbours (min-sum belief propagation)."""
    count, height, width = data.shape
    messages = np.zeros((4, height, width, count), np.float32)
    # What is compared at a pixel lies side by side.
    pixels, costs = np.ascontiguousarray(shifted.transpose(1, 2, 0, 3)), np.ascontiguousarray(data.transpose(1, 2, 0))
    for number in range(MESSAGES):
        tell(number / MESSAGES)
        for colour in range(2):
            # Squares of one colour of a chessboard write only what those of the other read.
            in_bands(partial(_tell, pixels, costs, hole, messages, colour), height)
    cost = data + messages.sum(0).transpose(2, 0, 1)
    return np.asarray(np.where(hole, cost.argmin(0), 0))


@numba.njit(nogil=True, cache=True)
def _tell(shifted: Any, data: Any, hole: Any, messages: Any, colour: int, rows: Any) -> None:
    """The messages of the pixels of one colour of a chessboard, in some rows, to their neighbours."""
    height, width, count = data.shape
    steps = ((-1, 0), (1, 0), (0, -1), (0, 1))
    belief, order = np.empty(count, np.float32), np.arange(count)
    for y in range(rows.start, rows.stop):
        for x in range(width):
            if (y + x) % 2 != colour or not hole[y, x]:
                continue
            for way in range(4):
                ny, nx = y + steps[way][0], x + steps[way][1]
                if not (0 <= ny < height and 0 <= nx < width and hole[ny, nx]):
                    continue
                for a in range(count):
                    belief[a] = data[y, x, a]
                    for other in range(4):
                        if other != way:
                            belief[a] += messages[other, y, x, a]
                # The likeliest first: nearly in order already, and once one costs more than the least, all others do.
                for i in range(1, count):
                    a, j = order[i], i
                    while j > 0 and belief[order[j - 1]] > belief[a]:
                        order[j] = order[j - 1]
                        j -= 1
                    order[j] = a
                low = np.inf
                for b in range(count):
                    # No seam to the same label.
                    least = float(belief[b])
                    for i in range(count):
                        a = order[i]
                        if belief[a] >= least:
                            break
                        least = min(least, belief[a] + _seam(shifted, a, b, y, x, ny, nx))
                    # To the neighbour it comes from the other side.
                    messages[way ^ 1, ny, nx, b] = least
                    low = min(low, least)
                for b in range(count):
                    messages[way ^ 1, ny, nx, b] -= low


def evened(around: Floats, margin: int, labels: NDArray[np.uint8], offsets: NDArray[np.int64]) -> Floats:
    """What is added to a filling at its working size (h × w × 3) so that its seams and its rim hold no step of light.

    ``around`` is the picture, with ``margin`` pixels on every side beyond the labels: as far as the offsets reach.

    Within a label the source's own gradients stay; across a seam the mean of both; at the rim the picture's values,
    but where another thing lies beside: there nothing runs in.
    Source: P. Pérez, M. Gangnet, A. Blake, "Poisson image editing", SIGGRAPH 2003.
    """
    height, width = labels.shape
    hole = np.pad(labels != NONE, margin)

    def at(values: NDArray[Any], dx: int, dy: int) -> NDArray[Any]:
        return values[margin + dy : margin + dy + height, margin + dx : margin + dx + width]

    shifted = np.stack([at(around, dx, dy) for dx, dy in offsets])
    # What lies in the hole itself is to go: its steps are nobody's.
    known = np.stack([~at(hole, dx, dy) for dx, dy in offsets])
    picture = np.ascontiguousarray(at(around, 0, 0))
    own = labels.astype(np.int64)
    strange = _strange(picture, shifted, own, labels != NONE).astype(np.uint8)
    # Beside another thing lie pixels that are half of it.
    strange = cv2.dilate(strange, np.ones((2 * MIXED + 1, 2 * MIXED + 1), np.uint8))
    return np.asarray(_even(picture, shifted, known, own, labels != NONE, strange > 0))


@numba.njit(nogil=True, cache=True)
def _strange(picture: Any, shifted: Any, labels: Any, hole: Any) -> Any:
    """Where at the rim or next to it another thing lies (h × w)."""
    height, width = hole.shape
    out = np.zeros(hole.shape, np.bool_)
    for y in range(height):
        for x in range(width):
            if not hole[y, x]:
                continue
            for dy, dx in ((-1, 0), (1, 0), (0, -1), (0, 1)):
                for far in range(1, MIXED + 2):
                    ny, nx = y + far * dy, x + far * dx
                    if not (0 <= ny < height and 0 <= nx < width) or hole[ny, nx]:
                        break
                    for c in range(3):
                        if abs(picture[ny, nx, c] - shifted[labels[y, x], ny, nx, c]) > STRANGE:
                            out[ny, nx] = True
    return out


@numba.njit(nogil=True, cache=True)
def _even(picture: Any, shifted: Any, known: Any, labels: Any, hole: Any, strange: Any) -> Any:
    height, width = hole.shape
    out = np.zeros((height, width, 3), np.float32)
    steps = ((-1, 0), (1, 0), (0, -1), (0, 1))
    reach = 0
    for y in range(height):
        run = 0
        for x in range(width):
            run = run + 1 if hole[y, x] else 0
            reach = max(reach, run)
    turns = 30 + 3 * reach // 2
    over = np.float32(2 / (1 + np.sin(np.pi / max(reach, 3))))
    for _ in range(turns):
        for y in range(height):
            for x in range(width):
                if not hole[y, x]:
                    continue
                own = labels[y, x]
                count = 0
                total = np.zeros(3, np.float32)
                for way in range(4):
                    ny, nx = y + steps[way][0], x + steps[way][1]
                    if not (0 <= ny < height and 0 <= nx < width):
                        continue
                    if hole[ny, nx]:
                        count += 1
                        other = labels[ny, nx]
                        for c in range(3):
                            # Wanted: the mean of both sources' steps; there: the step from one into the other.
                            one = shifted[own, y, x, c] - shifted[own, ny, nx, c]
                            two = shifted[other, y, x, c] - shifted[other, ny, nx, c]
                            if not known[own, ny, nx]:
                                one = two if known[other, y, x] else np.float32(0)
                            if not known[other, y, x]:
                                two = one
                            step = 0.5 * (one + two) - (shifted[own, y, x, c] - shifted[other, ny, nx, c])
                            total[c] += out[ny, nx, c] + step
                    elif not strange[ny, nx]:
                        count += 1
                        for c in range(3):
                            total[c] += picture[ny, nx, c] - shifted[own, ny, nx, c]
                if count:
                    for c in range(3):
                        out[y, x, c] += over * (total[c] / count - out[y, x, c])
    return out
