"""Where a patch can take its pixels from: like skin in like focus for a spot, and the best fit of a pattern."""

import cv2
import numpy as np

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
    target, grain = lab[here][rim], float(fine[here][rim].std()) + 1e-3
    half = max(mask.sum() ** 0.5 / 2, 3.0)
    height, width = mask.shape

    def cost(dx: int, dy: int) -> float:
        y, x = top + dy, left + dx
        if y < 0 or x < 0 or y + height > lab.shape[0] or x + width > lab.shape[1]:
            return np.inf
        there = np.s_[y : y + height, x : x + width]
        if not good[there][near].all() or (inside[there] & near).any():
            return np.inf
        if any(abs(dx - ax) + abs(dy - ay) < half for ax, ay in avoid):
            return np.inf
        source = lab[there]
        off = source[rim] - target
        mean = off.mean(0)
        fits = float(np.sqrt(((off - mean) ** 2).sum(1).mean()))
        own = float(np.abs(source[mask].mean(0) - source[rim].mean(0)).sum())
        # A single dark or light place within it is a spot as well.
        stands = float(np.abs(source[mask][:, 0] - np.median(source[mask][:, 0])).max())
        texture = abs(float(np.log((float(fine[there][near].std()) + 1e-3) / grain)))
        far = np.hypot(dx, dy) / half
        return fits + 0.3 * float(np.abs(mean).sum()) + own + 0.5 * stands + 0.08 * texture + 0.002 * float(far)

    reach = round(FARTHEST * half + max(height, width) / 2)
    least = NEAREST * half
    tried = [
        (cost(dx, dy), dx, dy)
        for dy in range(-reach, reach + 1, COARSE)
        for dx in range(-reach, reach + 1, COARSE)
        if least <= np.hypot(dx, dy) <= reach
    ]
    best = min(tried, default=(np.inf, 0, 0))
    if not np.isfinite(best[0]):
        return None
    _, x, y = best
    best = min((cost(x + dx, y + dy), x + dx, y + dy) for dx in (-1, 0, 1) for dy in (-1, 0, 1))
    return best[1], best[2]


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
