"""Where a patch can take its pixels from: like skin in like focus for a spot, and the best fit of a pattern."""

from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from retouch.types import Coverage, Floats, Lab

NEAREST, FARTHEST = 1.5, 7.0
"""How far a source may lie, in half widths of the patch."""
COARSE = 2
"""Pixels between the first candidates."""
BLOWN = 0.985
"""Lightness from which a place is blown, and no source."""


def search(lab: Lab, covered: Coverage, allowed: Coverage, avoid: list[tuple[int, int]]) -> tuple[int, int] | None:
    """The offset in pixels (x, y) to the best source for a patch; None if there is none.

    A source lies clear of the patch, wholly within what is ``allowed``, holds no spot of its own, has the rim's
    texture (so the same focus), and fits along the rim once its mean is taken off; a healing takes light and colour
    from round about anyway. It costs a little to be far.

    Parameters
    ----------
    lab
        OKLab of the surroundings, h × w × 3, so coarse that the brush is about ten pixels wide.
    covered, allowed
        Where the patch lies and where a source may lie, 0…1, h × w.
    avoid
        Offsets that were chosen before and are not wanted.
    """
    inside = covered > 0.02
    rows, columns = np.flatnonzero(inside.any(1)), np.flatnonzero(inside.any(0))
    if not len(rows):
        return None
    margin = 3
    top, bottom = max(0, rows[0] - margin), min(lab.shape[0], rows[-1] + margin + 1)
    left, right = max(0, columns[0] - margin), min(lab.shape[1], columns[-1] + margin + 1)
    here = np.s_[top:bottom, left:right]
    mask = inside[here]
    near = cv2.dilate(mask.astype(np.uint8), np.ones((2 * margin + 1, 2 * margin + 1), np.uint8)) > 0
    rim = near & ~mask
    if not rim.any():
        return None
    good = (allowed > 0.5) & (lab[..., 0] < BLOWN)
    fine = lab[..., 0] - cv2.GaussianBlur(np.ascontiguousarray(lab[..., 0]), (0, 0), 1.5)
    half = max(mask.sum() ** 0.5 / 2, 3.0)
    height, width = mask.shape
    reach, least = round(FARTHEST * half + max(height, width) / 2), NEAREST * half
    blocked = np.array(avoid, np.int64).reshape(-1, 2)

    def best(steps: NDArray[np.int64]) -> tuple[float, int, int]:
        costs = _costs(np.ascontiguousarray(lab, np.float32), fine, good, inside, mask, rim, top, left, steps, blocked,
                       half)  # fmt: skip
        at = int(np.argmin(costs))
        return float(costs[at]), int(steps[at, 0]), int(steps[at, 1])

    steps = _steps(range(-reach, reach + 1, COARSE))
    far = np.hypot(*steps.T)
    cost, x, y = best(steps[(far >= least) & (far <= reach)])
    if not np.isfinite(cost):
        return None
    return best(_steps(range(-1, 2)) + np.array([x, y]))[1:]


def _steps(along: range) -> NDArray[np.int64]:
    """Offsets (x, y) in a square, row by row (n × 2)."""
    y, x = np.meshgrid(along, along, indexing="ij")
    return np.stack([x.ravel(), y.ravel()], axis=1)


@numba.njit(nogil=True, cache=True)
def _costs(
    lab: Any, fine: Any, good: Any, inside: Any, mask: Any, rim: Any, top: int, left: int, steps: Any, avoid: Any,
    half: float,
) -> Any:  # fmt: skip
    """What each offset costs: unlike at the rim, another level, a spot of its own, other texture, and far."""
    height, width = mask.shape
    out = np.full(len(steps), np.inf)
    rims, masks = max(rim.sum(), 1), max(mask.sum(), 1)
    grain = _deviation(fine, rim, rim, top, left)
    for k in range(len(steps)):
        dx, dy = steps[k, 0], steps[k, 1]
        y0, x0 = top + dy, left + dx
        if y0 < 0 or x0 < 0 or y0 + height > lab.shape[0] or x0 + width > lab.shape[1]:
            continue
        fits = True
        for n in range(len(avoid)):
            if abs(dx - avoid[n, 0]) + abs(dy - avoid[n, 1]) < half:
                fits = False
        mean, own, around = np.zeros(3), np.zeros(3), np.zeros(3)
        for j in range(height):
            for i in range(width):
                if not (rim[j, i] or mask[j, i]):
                    continue
                if not good[y0 + j, x0 + i] or inside[y0 + j, x0 + i]:
                    fits = False
                for c in range(3):
                    value = lab[y0 + j, x0 + i, c]
                    if rim[j, i]:
                        mean[c] += (value - lab[top + j, left + i, c]) / rims
                        around[c] += value / rims
                    else:
                        own[c] += value / masks
            if not fits:
                break
        if not fits:
            continue
        off, stands = 0.0, 0.0
        for j in range(height):
            for i in range(width):
                if rim[j, i]:
                    for c in range(3):
                        d = lab[y0 + j, x0 + i, c] - lab[top + j, left + i, c] - mean[c]
                        off += d * d / rims
                elif mask[j, i]:
                    # A single dark or light place within it is a spot as well.
                    stands = max(stands, abs(lab[y0 + j, x0 + i, 0] - own[0]))
        texture = abs(np.log(_deviation(fine, rim, mask, y0, x0) / grain))
        out[k] = (
            np.sqrt(off) + 0.3 * np.abs(mean).sum() + np.abs(own - around).sum() + 2.0 * stands
            + 0.08 * texture + 0.002 * np.hypot(dx, dy) / half
        )  # fmt: skip
    return out


@numba.njit(nogil=True, cache=True)
def _deviation(fine: Any, one: Any, two: Any, y0: int, x0: int) -> float:
    """The standard deviation of fine structure over two masks of a window, a little above 0."""
    count, total, squares = 0, 0.0, 0.0
    for j in range(one.shape[0]):
        for i in range(one.shape[1]):
            if one[j, i] or two[j, i]:
                v = fine[y0 + j, x0 + i]
                count, total, squares = count + 1, total + v, squares + v * v
    return float(np.sqrt(max(squares / count - (total / count) ** 2, 0.0))) + 1e-3


def snap(picture: Floats, covered: Coverage, offset: tuple[int, int], reach: int) -> tuple[int, int]:
    """The offset within ``reach`` pixels of ``offset`` at which a pattern fits best round the patch.

    By normalised correlation of the rim with all places near (h × w × 3): a knit or petals are met to the pixel. The
    same offset if nothing near fits at all.
    """
    inside = covered > 0.02
    rows, columns = np.flatnonzero(inside.any(1)), np.flatnonzero(inside.any(0))
    if not len(rows):
        return offset
    margin = max(6, (rows[-1] - rows[0]) // 3)
    top, bottom = max(0, rows[0] - margin), min(picture.shape[0], rows[-1] + margin + 1)
    left, right = max(0, columns[0] - margin), min(picture.shape[1], columns[-1] + margin + 1)
    rim = (~inside[top:bottom, left:right]).astype(np.float32)
    grey = np.ascontiguousarray(picture.mean(2), np.float32)
    grey -= cv2.GaussianBlur(grey, (0, 0), max(2.0, margin / 2))
    y0, x0 = top + offset[1] - reach, left + offset[0] - reach
    y1, x1 = bottom + offset[1] + reach, right + offset[0] + reach
    if y0 < 0 or x0 < 0 or y1 > grey.shape[0] or x1 > grey.shape[1]:
        return offset
    template = grey[top:bottom, left:right]
    fit = cv2.matchTemplate(grey[y0:y1, x0:x1], template, cv2.TM_CCORR_NORMED, mask=rim)
    fit = np.where(np.isfinite(fit), fit, 0)
    y, x = np.unravel_index(int(np.argmax(fit)), fit.shape)
    if fit[y, x] <= fit[reach, reach] + 0.02:
        return offset
    return offset[0] + int(x) - reach, offset[1] + int(y) - reach
