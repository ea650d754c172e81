"""Strands: where hair ends and skin or cloth begins, pixel by pixel.

What is told on a small map (:mod:`retouch.faces.skin_hair`) and then follows the picture's colours cannot part a
beard's strands from the skin between them, which has their colour: not even the truth could. So where hair is in doubt,
each of the picture's own pixels is told anew: by what was told there, by its colours against those that skin and hair
have near by, and by how it stands out from what lies round it; and once more, when it is known what that is. The
models were taught on made-up sitters by ``demo/teach_strands.py``.
"""

from collections.abc import Sequence
from functools import cache
from pathlib import Path

import cv2
import numpy as np

from retouch.faces import mesh
from retouch.segment.perceptron import Perceptron
from retouch.types import Floats

FIRST, *SECOND = (Path(__file__).with_name(f"strands_{name}.npz") for name in ("first", "second", "third"))
SKIN, HAIR = 0, 1
"""Places of these among the classes of the model; the third is all else."""
LENGTH = 256.0
"""Of a face, in pixels, against which sizes are measured."""
NEAR, FAR, LITTLE = 0.06, 0.3, 0.02
"""How far round about skin and hair have their colours from, in lengths of the face; and how little what is further
counts, where there is nothing nearer."""
CALM, AGAINST, RIDGES = (0.01, 0.03), (0.003, 0.006, 0.015, 0.04, 0.1), (0.003, 0.006, 0.012)
"""Blurs, in lengths of the face: of where hair is; of colours, against which a pixel stands out; and of lightness, on
which strands are ridges and valleys."""
ROUGH, COUNTED = 0.015, (0.006, 0.02)
"""Blurs of lightness, what is finer being rough; and of how rough it is."""
AROUND, LINES, CLOSE = (0.003, 0.006, 0.012, 0.025), (0.004, 0.008), 0.012
"""Blurs of what was told at first: of hair and skin; of hair, on which strands are ridges; and of the colours that hair
and what is none have close by."""
REACH = 3, 2
"""How many of the picture's pixels to each side are looked at one by one: at what was told of them, and at their
colours."""
WEIGHT = np.array([1, 4, 4], np.float32)
"""How much lightness, hue and chroma count in the difference of two colours."""
DOUBT, NONE = 0.1, 0.02
"""How likely hair is at least, and how likely not to be, where it is in doubt; and what is none at all."""
ROOM = 0.15
"""How much round about a pixel counts, in lengths of the face; the widest blur hardly sees further."""


@cache
def first() -> Perceptron:
    """The model that tells each pixel, read once in a process."""
    return Perceptron.load(FIRST)


@cache
def second() -> tuple[Perceptron, ...]:
    """The models that tell it again, knowing what those round about it are; their mean counts."""
    return tuple(map(Perceptron.load, SECOND))


def usual(colours: Floats, likely: Floats, points: Floats) -> Floats:
    """The colours (h × w × 3) that something has near by, on a small map.

    ``colours`` are :func:`retouch.faces.relative.unshaded`, ``likely`` says where it is (h × w, 0 … 1), ``points`` is
    the mesh in pixels.
    """
    _, length = mesh.upright(points)
    weight = likely**3 + 1e-6
    seeds = np.dstack([colours * weight[..., None], weight]).astype(np.float32)
    sums = cv2.GaussianBlur(seeds, (0, 0), NEAR * length) + LITTLE * cv2.GaussianBlur(seeds, (0, 0), FAR * length)
    return np.asarray(sums[..., :3] / sums[..., 3:], np.float32)


def seen(
    against: Floats, way: Floats, points: Floats, own: Floats, told: Floats, followed: Floats, where: np.ndarray
) -> Floats:
    """What pixels are told by (n × 40); all but ``where`` on one frame.

    ``against`` is how colours differ from those that skin has near by, ``way`` how hair's differ from those (h × w × 3;
    see :func:`usual`); ``points`` the mesh in pixels, ``own`` the person's coverage, ``told`` how likely skin, hair and
    no part of a body are (h × w × 3), ``followed`` skin and hair as they follow the colours (h × w × 2), all 0 … 1;
    ``where`` the numbers of the pixels, row by row.
    """
    _, length = mesh.upright(points)

    def there(values: Floats) -> Floats:
        return _there(values, where)

    hair = np.ascontiguousarray(followed[..., HAIR])
    out = [there(told), there(followed), there(own), *(there(_blurred(hair, size * length)) for size in CALM)]
    skin, to = there(against), there(way)
    out += [skin, skin - to, *_on_the_way(skin, to)]
    out += [skin - there(_blurred(against, size * length)) for size in AGAINST]
    light = np.ascontiguousarray(against[..., 0])
    for size in RIDGES:
        out += _ridges(*(there(one) for one in _curved(light, size * length)))
    high = light - _blurred(light, ROUGH * length)
    out += [np.log(there(_blurred(high * high, size * length)) + 1e-5) for size in COUNTED]
    out.append(np.full((len(where), 1), np.log(length / LENGTH)))
    return np.concatenate(out, axis=1, dtype=np.float32)


def seen_again(against: Floats, way: Floats, points: Floats, first: Floats, where: np.ndarray) -> Floats:
    """What pixels are told by besides when all have been told once (n × 115): what those round about them are.

    ``first`` is how likely skin and hair are by then (h × w × 2, 0 … 1); for the others see :func:`seen`.
    Source: Z. Tu, X. Bai, "Auto-context and its application to high-level vision tasks", IEEE TPAMI 32 (2010).
    """
    _, length = mesh.upright(points)

    def there(values: Floats) -> Floats:
        return _there(values, where)

    skin, hair = (np.ascontiguousarray(first[..., n]) for n in (SKIN, HAIR))
    out = [there(skin), *(there(_blurred(hair, size * length)) for size in AROUND)]
    out.append(there(_blurred(skin, AROUND[1] * length)))
    for size in LINES:
        out += _ridges(*(there(one) for one in _curved(hair, size * length)))
    for weight in (hair**2, (1 - hair) ** 2):
        sums = there(_blurred(np.dstack([against * weight[..., None], weight]), CLOSE * length))
        out.append(there(against) - sums[:, :3] / np.maximum(sums[:, 3:], 1e-4))
    light = np.ascontiguousarray(against[..., 0])
    share, _ = _on_the_way(against, way)
    out += [
        _patches(hair, REACH[0], where),
        _patches(light - _blurred(light, ROUGH * length), REACH[1], where),
        # Where skin and hair have nearly one colour it may be anything.
        _patches(np.clip(share[..., 0], -2, 3), REACH[1], where),
    ]
    return np.concatenate(out, axis=1, dtype=np.float32)


def _on_the_way(skin: Floats, to: Floats) -> tuple[Floats, Floats]:
    """Where colours lie on the way from skin's to hair's (0 … 1 between them), and how long that is; … × 1."""
    along, long = (np.einsum("...c,...c,c->...", of, to, WEIGHT**2)[..., None] for of in (skin, to))
    return along / (long + 0.01), np.sqrt(long)


def _patches(values: Floats, reach: int, where: np.ndarray) -> Floats:
    """The values (n × (2 reach + 1)²) of a map (h × w) at and round about some pixels, row by row."""
    wide = cv2.copyMakeBorder(values, reach, reach, reach, reach, cv2.BORDER_REPLICATE)
    rows, columns = np.divmod(where, values.shape[1])
    steps = np.arange(2 * reach + 1)
    around = (steps[:, None] * wide.shape[1] + steps).ravel()
    return np.asarray(wide.take((rows * wide.shape[1] + columns)[:, None] + around))


def _there(values: Floats, where: np.ndarray) -> Floats:
    """The values (n × k) of some pixels of a map (h × w, or h × w × k)."""
    height, width = values.shape[:2]
    return np.asarray(values.reshape(height * width, -1).take(where, axis=0))


def room(points: Floats) -> int:
    """How many pixels round about a pixel are looked at; ``points`` is the mesh in pixels."""
    _, length = mesh.upright(points)
    return max(2, round(ROOM * length))


def _blurred(values: Floats, sigma: float) -> Floats:
    """A Gaussian blur; a wide one on a smaller map, which looks alike."""
    sigma = max(0.5, sigma)
    by = 1 if sigma < 4 else 2 if sigma < 8 else 4 if sigma < 16 else 8
    small = values if by == 1 else cv2.resize(values, None, fx=1 / by, fy=1 / by, interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), sigma / by)
    return np.asarray(small if by == 1 else cv2.resize(small, values.shape[1::-1], interpolation=cv2.INTER_LINEAR))


def _curved(light: Floats, sigma: float) -> tuple[Floats, ...]:
    """The Hessian at one scale: second derivatives along x, along y, and of both."""
    calm, by = _blurred(light, sigma), max(0.5, sigma) ** 2 / 4
    ways = (2, 0), (0, 2), (1, 1)
    return tuple(np.asarray(cv2.Sobel(calm, cv2.CV_32F, *way, ksize=3, scale=by), np.float32) for way in ways)


def _ridges(xx: Floats, yy: Floats, xy: Floats) -> tuple[Floats, Floats]:
    """Curvature across and along a ridge: the eigenvalues of the Hessian, the larger first.

    Source: T. Lindeberg, "Edge detection and ridge detection with automatic scale selection", IJCV 30 (1998).
    """
    half, middle = np.hypot((xx - yy) / 2, xy), (xx + yy) / 2
    return middle + half, middle - half


def doubtful(told: Floats, followed: Floats, own: Floats) -> np.ndarray:
    """Where hair is and is not alike (h × w, boolean); nowhere, where there is none.

    See :func:`seen` for what is given.
    """
    hair, edge = told[..., HAIR], followed[..., HAIR]
    if not ((edge > 0.5) & (own > 0.5)).any():
        return np.zeros(own.shape, bool)

    def open_(likely: Floats) -> np.ndarray:
        return np.asarray((likely > DOUBT) & (likely < 1 - DOUBT))

    return np.asarray((open_(hair) | (open_(edge) & (hair > NONE))) & (own > 0))


def again(models: Sequence[Perceptron], values: Floats) -> Floats:
    """How likely pixels are skin and hair (n × 2, 0 … 1) by the mean of models of the second kind.

    ``values`` (n × 155) are those of :func:`seen` and, beside them, of :func:`seen_again`.
    """
    return np.asarray(np.mean([model.likely(values)[:, [SKIN, HAIR]] for model in models], axis=0), np.float32)


def parted(
    against: Floats, way: Floats, points: Floats, own: Floats, told: Floats, followed: Floats, doubt: np.ndarray
) -> Floats:
    """How likely skin and hair are (h × w × 2): as they follow the colours, and in ``doubt`` (h × w, boolean) pixel by
    pixel; see :func:`seen`."""
    where = np.flatnonzero(doubt)
    values = seen(against, way, points, own, told, followed, where)
    out = followed.copy()
    out[doubt] = first().likely(values)[:, [SKIN, HAIR]]
    values = np.concatenate([values, seen_again(against, way, points, out, where)], axis=1)
    out[doubt] = again(second(), values)
    return out
