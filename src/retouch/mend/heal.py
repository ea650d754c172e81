"""Light and colour from round a patch, laid over texture from elsewhere: a plane and a membrane on a coarse grid."""

from math import ceil, inf, isfinite
from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from retouch.bands import in_bands
from retouch.kernels import kernel
from retouch.types import Coverage, Floats

CELLS, MOST_CELLS = 28, 64
"""Cells of the membrane on the patch's long side: of a compact one, and at most, of a long thin one."""
RIM = 1.5
"""How wide the rim is that is looked at round a patch, in cells."""
ROUNDS, CUT, LEAST_SCALE = 6, 3.0, 0.010
"""Rounds of reweighting; what lies beyond CUT times the middle error is another thing; errors below are grain."""
SETTLED = 1e-3
"""Weights that change by less than this from one round to the next are the last."""
APART, UNEVEN = 0.12, 0.3
"""Steps of encoded colour from which two sides of an edge are two, and how uneven each may be, as a share of it."""
LEAST_SIDE, ALIKE, CLEAR = 0.12, 0.85, 0.2
"""Share of the patch that either side has at least; of the rim that is the same side in source and patch; and how far
from either colour a place of the rim still belongs to it."""
STIFF = 4.0
"""How strongly the membrane holds to the rim against its own smoothness."""
SWEEPS, MORE_SWEEPS = 3, 16
"""Sweeps for every cell on the grid's long side, and beyond, at most."""
STILL = np.float32(2e-5)
"""A sweep that moves nothing by more is the last: what is then left is below 0.02 of an 8-bit step."""


def cell_of(extent: float, thickness: float) -> float:
    """The membrane's cell for a patch of an extent and a brush of a thickness, in the unit of both."""
    return max(extent / MOST_CELLS, min(extent / CELLS, thickness / 3))


def difference(
    target: Floats, source: Floats, covered: Coverage, origin: tuple[float, float], cell: float, texture: float = inf
) -> Floats:
    """What is added to ``source`` so that it lies in the light and colour that ``target`` has round the patch.

    Where the patch lies on an edge and its source along it, the two sides are worked out apart, and nothing crosses.
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
    texture
        Standard deviation, in pixels, below which structure of the source is texture: on no edge, what is larger is
        its own light and colour, and does not come along.

    Returns
    -------
    float32 h × w × k; 0 if the patch leaves nothing free.
    """
    out = np.zeros_like(target, np.float32)
    rows, columns = np.flatnonzero(covered.any(1)), np.flatnonzero(covered.any(0))
    if not len(rows):
        return out
    # What lies farther away than the rim says nothing: the grid need not reach there.
    margin = 2 + ceil((RIM + 1) * cell)
    top, left = max(0, int(rows[0]) - margin), max(0, int(columns[0]) - margin)
    part = np.s_[top : int(rows[-1]) + margin + 1, left : int(columns[-1]) + margin + 1]
    rim = _rim(Coverage(covered[part]), cell)
    if not rim.any():
        return out
    here = target[part], source[part]
    start = _cell_before(origin[0] - left, cell), _cell_before(origin[1] - top, cell)
    far = _across(*here, Coverage(covered[part]), rim, cell)
    if far is None:
        if isfinite(texture):
            smooth = cv2.GaussianBlur(here[1], (0, 0), max(texture, 0.3), borderType=cv2.BORDER_REFLECT)
            out[part] = _laid(here[0], here[1] - smooth, rim, start, cell) - smooth
        else:
            out[part] = _laid(*here, rim, start, cell)
        return out
    near = _laid(*here, rim & (far < CLEAR), start, cell)
    beyond = _laid(*here, rim & (far > 1 - CLEAR), start, cell)
    out[part] = near + far[..., None] * (beyond - near)
    return out


def _cell_before(origin: float, cell: float) -> float:
    """The last of the grid's lines at or before 0, of a grid that has one at ``origin``."""
    return origin - ceil(origin / cell) * cell


def _laid(target: Floats, source: Floats, rim: NDArray[np.bool_], origin: tuple[float, float], cell: float) -> Floats:
    """The plane and the membrane through the differences at a rim that is not empty."""
    height, width = rim.shape
    across = int((width - origin[0]) / cell) + 2
    down = int((height - origin[1]) / cell) + 2
    sums = np.zeros((down, across, 3 + target.shape[2]))
    _gather(target, source, rim, origin, cell, sums)
    level, held = _plane(sums.reshape(down * across, -1))
    grid = _membrane(held.reshape(down, across, -1), SWEEPS * max(across, down) + MORE_SWEEPS)
    x = ((np.arange(width) + 0.5 - origin[0]) / cell).astype(np.float32)
    y = ((np.arange(height) + 0.5 - origin[1]) / cell).astype(np.float32)
    out = np.empty_like(target, np.float32)
    in_bands(lambda rows: _spread(grid, level, x, y[rows], out[rows]), height)
    return out


def _across(target: Floats, source: Floats, covered: Coverage, rim: NDArray[np.bool_], cell: float) -> Floats | None:
    """How far each pixel lies beyond an edge that the patch lies on, 0…1 (h × w); None if it lies on none.

    The source has two colours, each within the patch and at its rim, and the patch's own rim has the same two at the
    same places: then it was taken from along the edge, and either side is a picture of its own.
    """
    share = min(1.0, 1 / cell)
    size = max(1, round(rim.shape[1] * share)), max(1, round(rim.shape[0] * share))

    def cells(values: Floats | NDArray[np.uint8]) -> Any:
        return cv2.resize(values, size, interpolation=cv2.INTER_AREA)

    # More than half of a cell.
    inside, beside = (cells(np.uint8(255) * v.astype(np.uint8)) > 128 for v in (covered > 0.5, rim))
    if not inside.any() or not beside.any():
        return None
    small = cells(source)
    two, way, low, high = _two_colours(small, inside | beside)
    if not two:
        return None
    here, mine = (v @ way > (low + high) / 2 for v in (small, cells(target)))
    shares = [float(here[inside].mean()), float(here[beside].mean())]
    if min(*shares, *(1 - s for s in shares)) < LEAST_SIDE or (here == mine)[beside].mean() < ALIKE:
        return None
    step = np.float32(1 / (high - low))
    return np.asarray(np.clip((source @ way.astype(np.float32) - np.float32(low)) * step, 0, 1), np.float32)


@numba.njit(nogil=True, cache=True)
def _two_colours(small: Any, seen: Any) -> Any:
    """Whether cells (h × w × k) that are seen have two colours, the way between these, and where they lie on it.

    Two means along the line of greatest variance.
    """
    count, layers = seen.sum(), small.shape[2]
    colours = np.empty((count, layers))
    n = 0
    for y in range(small.shape[0]):
        for x in range(small.shape[1]):
            if seen[y, x]:
                colours[n] = small[y, x]
                n += 1
    off = colours - colours.sum(0) / max(count, 1)
    way = np.ascontiguousarray(np.linalg.eigh(off.T @ off)[1][:, layers - 1])
    if count < 8:
        return False, way, 0.0, 1.0
    along = colours @ way
    low, high = along.min(), along.max()
    upper = along > low
    for _ in range(ROUNDS):
        upper = along > (low + high) / 2
        if upper.all() or not upper.any():
            return False, way, low, high
        low, high = along[~upper].mean(), along[upper].mean()
    wide = max(along[upper].std(), along[~upper].std())
    return high - low >= APART and wide <= UNEVEN * (high - low), way, low, high


def _rim(covered: Coverage, cell: float) -> NDArray[np.bool_]:
    """Where it is free next to a patch."""
    inside = (covered > 0).astype(np.uint8)
    far = cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5)
    return np.asarray((far <= max(2, round(RIM * cell))) & (inside == 0))


@kernel(fastmath=True)
def _gather(target: Any, source: Any, rim: Any, origin: Any, cell: Any, sums: Any) -> None:
    """Add up for every cell (down × across): how many of the rim's pixels, their x and y in cells, and differences."""
    down, across, layers = sums.shape
    for row in range(rim.shape[0]):
        y = min(max((row + 0.5 - origin[1]) / cell, 0.0), down - 1.0)
        i = int(y)
        for column in range(rim.shape[1]):
            if rim[row, column]:
                x = min(max((column + 0.5 - origin[0]) / cell, 0.0), across - 1.0)
                k = int(x)
                sums[i, k, 0] += 1
                sums[i, k, 1] += x
                sums[i, k, 2] += y
                for c in range(layers - 3):
                    sums[i, k, 3 + c] += target[row, column, c] - source[row, column, c]


@numba.njit(nogil=True, cache=True)
def _plane(sums: Any) -> Any:
    """The plane (3 × k) through the means of cells at places (1, x, y), by what :func:`_gather` has added up.

    Beside it, for every cell, how strongly the membrane is held there, and by what the values lie off the plane.
    """
    there = np.flatnonzero(sums[:, 0])
    count, layers = sums[there, 0], sums.shape[1] - 3
    means = sums[there, 1:] / count.reshape(-1, 1)
    places, values = np.ones((len(there), 3)), np.ascontiguousarray(means[:, 2:])
    places[:, 1:] = means[:, :2]
    weights, plane = np.ones(len(there)), np.zeros((3, layers))
    for _ in range(ROUNDS):
        by = (weights * count).reshape(-1, 1)
        # A little against turning: few places, or places in a line, give a level and no slope.
        ridge = np.diag(np.array([1e-9, 1e-3, 1e-3])) * by.sum()
        plane = np.linalg.solve(places.T @ (by * places) + ridge, places.T @ (by * values))
        off = np.abs(values - places @ plane)
        error = np.array([off[i].max() for i in range(len(off))])
        scale = CUT * max(LEAST_SCALE, np.median(error))
        before = weights
        weights = np.minimum(np.maximum(1 - (error / scale) ** 2, 0), 1) ** 2
        if weights.sum() < 3:
            weights = np.full(len(there), 0.1)
        if np.abs(weights - before).max() < SETTLED:
            break
    held = np.zeros((len(sums), 1 + layers), np.float32)
    over = values - places @ np.ascontiguousarray(plane)
    for n, at in enumerate(there):
        held[at, 0] = STIFF * weights[n] * min(count[n], 8)
        held[at, 1:] = over[n]
    return plane.astype(np.float32), held


@numba.njit(nogil=True, cache=True, fastmath=True)
def _membrane(held: Any, sweeps: int) -> Any:
    """A smooth sheet over a grid that holds to what is held: ``held`` has how strongly, and then the values.

    Successive over-relaxation of (hold + neighbours) u = hold × value + Σ neighbours, with the factor that is best
    for a grid of that size (D. Young, "Iterative solution of large linear systems", 1971).
    """
    down, across, layers = held.shape[0], held.shape[1], held.shape[2] - 1
    pulls, share = np.empty((down, across, layers), np.float32), np.empty((down, across), np.float32)
    for y in range(down):
        for x in range(across):
            hold = held[y, x, 0]
            share[y, x] = 1 / (hold + np.float32((y > 0) + (y + 1 < down) + (x > 0) + (x + 1 < across)))
            for c in range(layers):
                pulls[y, x, c] = hold * held[y, x, c + 1]
    # With a border of nothing round it.
    out = np.zeros((down + 2, across + 2, layers), np.float32)
    over = np.float32(2 / (1 + np.sin(np.pi / (max(down, across) + 1))))
    for _ in range(sweeps):
        most = np.float32(0)
        for y in range(1, down + 1):
            for x in range(1, across + 1):
                for c in range(layers):
                    beside = out[y, x - 1, c] + out[y, x + 1, c] + out[y - 1, x, c] + out[y + 1, x, c]
                    move = over * (share[y - 1, x - 1] * (pulls[y - 1, x - 1, c] + beside) - out[y, x, c])
                    out[y, x, c] += move
                    most = max(most, abs(move))
        if most < STILL:
            break
    return out[1:-1, 1:-1]


@kernel(fastmath=True)
def _spread(grid: Any, plane: Any, x: Any, y: Any, out: Any) -> None:
    """A sheet over a grid, bilinearly between its cells' middles, and a plane (1, x, y), at places in cells."""
    down, across, layers = grid.shape
    half = np.float32(0.5)
    # What lies between two of the grid's lines is the same for a whole row.
    line = np.empty((across, layers), np.float32)
    for row in range(y.shape[0]):
        v = min(max(y[row] - half, np.float32(0)), np.float32(down - 1))
        i = min(np.int64(v), down - 2)
        dv = v - np.float32(i)
        for k in range(across):
            for c in range(layers):
                level = plane[0, c] + plane[2, c] * y[row]
                line[k, c] = level + grid[i, k, c] + dv * (grid[i + 1, k, c] - grid[i, k, c])
        for column in range(x.shape[0]):
            u = min(max(x[column] - half, np.float32(0)), np.float32(across - 1))
            k = min(np.int64(u), across - 2)
            du = u - np.float32(k)
            for c in range(layers):
                out[row, column, c] = line[k, c] + du * (line[k + 1, c] - line[k, c]) + plane[1, c] * x[column]
