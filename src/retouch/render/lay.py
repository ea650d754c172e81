"""Laying a source that is not a table over the picture: blended in bands, or a gradient in one masked pass."""

from functools import lru_cache

import numpy as np

from retouch.bands import in_bands
from retouch.kernels import kernel
from retouch.render.table import mix
from retouch.touches.blend import NON_SEPARABLE, Blend, blend
from retouch.types import Coverage, Encoded, Floats

STEPS = 255
"""Steps of a blend table on either axis: a source from 0 to 1, a value below from 0 to 1."""


def blended(below: Encoded, source: Encoded, mode: Blend) -> Encoded:
    """``source`` over ``below`` (float32, h × w × 3) by a blend mode, a new float32 array."""
    out = np.empty_like(below)

    def work(rows: slice) -> None:
        out[rows] = blend(Encoded(below[rows]), Encoded(source[rows]), mode)

    in_bands(work, below.shape[0])
    return out


def lay(picture: Encoded, ramp: Floats, way: Floats, mode: Blend, mask: Coverage | None, strength: float) -> None:
    """Lay ``ramp`` (n × 3) over ``picture`` (float32, h × w × 3) in place, at each place its colour at ``way`` 0…1."""
    if mode in NON_SEPARABLE or mode in ("color-burn", "color-dodge"):
        # Burning and dodging jump at their ends, which a table would smooth.
        at = way * np.float32(len(ramp) - 1)
        low = np.minimum(at.astype(np.int64), len(ramp) - 2)
        share = (at - low)[..., None].astype(np.float32)
        source = ramp[low] * (1 - share) + ramp[low + 1] * share
        mix(picture, blended(picture, source, mode), mask, strength)
        return
    table = _changes(mode)
    covered = np.zeros((1, 1), np.float32) if mask is None else mask

    def work(rows: slice) -> None:
        part = covered if mask is None else covered[rows]
        _lay(picture[rows], ramp, way[rows], table, mode == "normal", part, mask is not None, np.float32(strength))

    in_bands(work, picture.shape[0])


@lru_cache(maxsize=16)
def _changes(mode: Blend) -> Floats:
    """What a separable mode changes (source steps × below steps), both from 0 to 1."""
    axis = np.linspace(0, 1, STEPS + 1)
    source, below = np.meshgrid(axis, axis, indexing="ij")
    return (blend(Encoded(below), Encoded(source), mode) - below).astype(np.float32)


@kernel(fastmath=True)
def _lay(picture, ramp, way, table, plain, mask, masked, strength):  # type: ignore[no-untyped-def]
    most = np.float32(ramp.shape[0] - 1)
    last = np.uint64(ramp.shape[0] - 2)
    edge = np.uint64(STEPS - 1)
    one = np.uint64(1)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            m = strength
            if masked:
                m *= mask[y, x]
            if m == 0:
                continue
            u = way[y, x] * most
            k = min(np.uint64(u), last)
            f = u - np.float32(k)
            for c in range(3):
                source = ramp[k, c] + f * (ramp[k + one, c] - ramp[k, c])
                v = picture[y, x, c]
                if plain:
                    picture[y, x, c] = v + m * (source - v)
                    continue
                s = min(max(source, np.float32(0)), np.float32(1)) * np.float32(STEPS)
                b = min(max(v, np.float32(0)), np.float32(1)) * np.float32(STEPS)
                i, j = min(np.uint64(s), edge), min(np.uint64(b), edge)
                fs, fb = s - np.float32(i), b - np.float32(j)
                near = table[i, j] + fb * (table[i, j + one] - table[i, j])
                far = table[i + one, j] + fb * (table[i + one, j + one] - table[i + one, j])
                picture[y, x, c] = v + m * (near + fs * (far - near))
