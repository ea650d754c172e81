"""Light and colour from round a patch, laid over texture from elsewhere: a plane and a membrane on a coarse grid."""

from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from retouch.types import Coverage, Floats

CELLS, MOST_CELLS = 28, 64
"""Cells of the membrane on the patch's long side: of a compact one, and at most, of a long thin one."""
RIM = 1.5
"""How wide the rim is that is looked at round a patch, in cells."""
ROUNDS, CUT, LEAST_SCALE = 6, 3.0, 0.010
"""Rounds of reweighting; what lies beyond CUT times the middle error is another thing; errors below are grain."""
STIFF = 4.0
"""How strongly the membrane holds to the rim against its own smoothness."""
SWEEPS = 160


def cell_of(extent: float, thickness: float) -> float:
    """The membrane's cell for a patch of an extent and a brush of a thickness, in the unit of both."""
    return max(extent / MOST_CELLS, min(extent / CELLS, thickness / 3))


def difference(target: Floats, source: Floats, covered: Coverage, origin: tuple[float, float], cell: float) -> Floats:
    """What is added to ``source`` so that it lies in the light and colour that ``target`` has round the patch.

    The rim's differences give a plane (by reweighted least squares with Tukey's biweight: what lies across a lip, a
    hair or a collar does not count) and, over what the plane leaves, a membrane. Its grid lies in the picture, not on
    pixels, so that a view and the export agree. Sources: P. Pérez, M. Gangnet, A. Blake, "Poisson image editing",
    SIGGRAPH 2003; A. Beaton, J. Tukey, Technometrics 16 (1974), for the weights.

    Parameters
    ----------
    target, source
        float32 h × w × k on the patch's rectangle.
    covered
        h × w, above 0 where the patch lies; outside, the target is free.
    origin
        Where the grid begins: column and row of ``target``, in pixels.
    cell
        Pixels to a cell.

    Returns
    -------
    float32 h × w × k; 0 if the patch leaves nothing free.
    """
    rim = _rim(covered, cell)
    ys, xs = np.nonzero(rim)
    if len(ys) == 0:
        return np.zeros_like(target)
    height, width = covered.shape
    across = int((width - origin[0]) / cell) + 2
    down = int((height - origin[1]) / cell) + 2
    gx = ((xs + 0.5 - origin[0]) / cell).clip(0, across - 1)
    gy = ((ys + 0.5 - origin[1]) / cell).clip(0, down - 1)
    cells = gy.astype(np.int64) * across + gx.astype(np.int64)
    count = np.bincount(cells, minlength=across * down).astype(np.float64)
    there = np.flatnonzero(count)

    def mean(values: Floats) -> Floats:
        return np.bincount(cells, values, across * down)[there] / count[there]

    off = target[ys, xs].astype(np.float64) - source[ys, xs]
    values = np.stack([mean(off[:, c]) for c in range(off.shape[1])], axis=1)
    places = np.stack([np.ones(len(there)), mean(gx), mean(gy)], axis=1)
    plane, weights = _plane(places, values, count[there])
    held = np.zeros((down * across, 1 + off.shape[1]))
    held[there, 0] = STIFF * weights * np.minimum(count[there], 8)
    held[there, 1:] = values - places @ plane
    grid = _membrane(held.reshape(down, across, -1).astype(np.float32), SWEEPS)
    x = ((np.arange(width) + 0.5 - origin[0]) / cell).astype(np.float32)
    y = ((np.arange(height) + 0.5 - origin[1]) / cell).astype(np.float32)
    at = (
        np.broadcast_to(x - np.float32(0.5), (height, width)),
        np.broadcast_to(y[:, None] - np.float32(0.5), (height, width)),
    )
    out = np.empty_like(target, np.float32)
    for c in range(out.shape[2]):
        layer = np.ascontiguousarray(grid[..., c])
        bent = cv2.remap(layer, np.ascontiguousarray(at[0]), np.ascontiguousarray(at[1]), cv2.INTER_LINEAR,
                         borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
        out[..., c] = (
            bent + np.float32(plane[0, c]) + np.float32(plane[1, c]) * x + np.float32(plane[2, c]) * y[:, None]
        )
    return out


def _rim(covered: Coverage, cell: float) -> NDArray[np.bool_]:
    """Where it is free next to a patch."""
    inside = (covered > 0).astype(np.uint8)
    far = cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5)
    return np.asarray((far <= max(2, round(RIM * cell))) & (inside == 0))


def _plane(places: Floats, values: Floats, count: Floats) -> tuple[Floats, Floats]:
    """The plane (3 × k) through values at places (1, x, y), and how far each counts, 0…1."""
    weights = np.ones(len(values))
    plane = np.zeros((3, values.shape[1]))
    for _ in range(ROUNDS):
        by = (weights * count)[:, None]
        # A little against turning: few places, or places in a line, give a level and no slope.
        ridge = np.diag([1e-9, 1e-3, 1e-3]) * by.sum()
        plane = np.linalg.solve(places.T @ (by * places) + ridge, places.T @ (by * values))
        error = np.abs(values - places @ plane).max(1)
        scale = CUT * max(LEAST_SCALE, float(np.median(error)))
        weights = np.clip(1 - (error / scale) ** 2, 0, 1) ** 2
        if weights.sum() < 3:
            weights = np.full(len(values), 0.1)
    return plane, weights


@numba.njit(nogil=True, cache=True)
def _membrane(held: Any, sweeps: int) -> Any:
    """A smooth sheet over a grid that holds to what is held: ``held`` has how strongly, and then the values.

    Successive over-relaxation of (hold + neighbours) u = hold × value + Σ neighbours.
    """
    down, across, layers = held.shape[0], held.shape[1], held.shape[2] - 1
    out = np.zeros((down, across, layers), np.float32)
    for _ in range(sweeps):
        for y in range(down):
            for x in range(across):
                hold, count = held[y, x, 0], np.float32(0)
                if y > 0:
                    count += 1
                if y + 1 < down:
                    count += 1
                if x > 0:
                    count += 1
                if x + 1 < across:
                    count += 1
                for c in range(layers):
                    total = hold * held[y, x, c + 1]
                    if y > 0:
                        total += out[y - 1, x, c]
                    if y + 1 < down:
                        total += out[y + 1, x, c]
                    if x > 0:
                        total += out[y, x - 1, c]
                    if x + 1 < across:
                        total += out[y, x + 1, c]
                    out[y, x, c] += np.float32(1.7) * (total / (hold + count) - out[y, x, c])
    return out
