"""What skin, hair and the rest are told apart by: numbers at each pixel that are relative to this face.

Nothing here is a fixed colour or a fixed place: colours are measured against this face's own bare skin, this picture's
own backdrop and what lies above and far below the face; places in lengths of the face; structure against that of the
bare skin. So one classifier serves every skin, light and size.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numba
import numpy as np

from retouch.faces import mesh
from retouch.faces.outlines import distance, filled, grown, loop, smooth
from retouch.types import Floats

SCALE = 80.0
"""Pixels from the chin to the top of the mesh, on the map where everything is measured."""
FINE = 3.2
"""How much finer the map is on which structure is measured, where the picture has as much."""
LEVEL = 0.16
"""Added to lightness where a colour is divided by it: what is shaded keeps its hue."""
BINS = 20


@dataclass(frozen=True)
class Seen:
    """Features (n × f, float32) at some pixels of a map, and which pixels they are (h × w, boolean)."""

    values: Floats
    there: np.ndarray

    def halved(self) -> tuple[Floats, np.ndarray, tuple[slice, slice]]:
        """Means of the features of two by two pixels (h × w × f), where they are, and the part of the map that it is.

        That part is the least in which all of them lie; where there is nothing, features are 0.
        """
        ys, xs = np.nonzero(self.there)
        box = slice(int(ys.min()), int(ys.max()) + 1), slice(int(xs.min()), int(xs.max()) + 1)
        there = self.there[box]
        height, width = (-(-side // 2) for side in there.shape)
        maps = np.zeros((2 * height, 2 * width, self.values.shape[1] + 1), np.float32)
        inside = maps[: there.shape[0], : there.shape[1]]
        inside[there] = np.concatenate([self.values, np.ones((len(self.values), 1), np.float32)], axis=1)
        total = maps.reshape(height, 2, width, 2, -1).sum((1, 3))
        return total[..., :-1] / np.maximum(total[..., -1:], 1), total[..., -1] > 0, box


def measured(fine: Floats, points: Floats, own: Floats) -> Seen | None:
    """Features where a person may be, on a map of :data:`SCALE`; None where the face shows no skin to measure by.

    ``fine`` is OKLab (h × w × 3) at up to :data:`FINE` times the map's scale, ``points`` the mesh in its pixels (478 ×
    2), ``own`` the person's coverage (h × w).
    """
    up, fine_length = mesh.upright(points)
    share = min(1.0, SCALE / max(fine_length, 1.0))
    size = max(8, round(fine.shape[1] * share)), max(8, round(fine.shape[0] * share))
    lab, own = _smaller(fine, size), _smaller(own, size)
    points = points * (size[0] / fine.shape[1])
    length = fine_length * size[0] / fine.shape[1]
    shape = own.shape
    oval = loop(points, mesh.OVAL, shape) > 0.5
    loops = [loop(points, n, shape) > 0.4 for n in (*mesh.EYES, *mesh.BROWS, mesh.LIPS)]
    inside = grown(np.any(loops, axis=0), 0.02 * length)
    bare = grown(oval, -0.05 * length) & ~inside & (own > 0.5)
    if bare.sum() < 12:
        return None
    there = own > 0.04
    place = list(_places(points, up, length, oval, own))
    layers = [*place]
    height, aside = place[0], np.abs(place[1])
    colour = unshaded(lab)
    groups = {
        "bare": bare,
        "behind": (own < 0.1) & (height > -2.5),
        "above": (own > 0.5) & ~oval & (height > 1.02) & (height < 1.75) & (aside < 0.75),
        "below": (own > 0.5) & (height < -0.75),
    }
    layers += _colours(colour, lab, groups, length)
    layers += _models(colour, groups)
    layers += _ways(colour, groups, own, length)
    layers += _structure(fine, points, up, length, bare, size)
    layers += [own, _blurred(own, 0.06 * length)]
    values = np.stack([np.asarray(v, np.float32)[there] for v in layers], axis=-1)
    return Seen(np.ascontiguousarray(np.nan_to_num(values)), there)


def unshaded(lab: Floats) -> Floats:
    """Colours (h × w × 3) of which light and shadow change the first alone: log of lightness, and hue and chroma.

    ``lab`` is OKLab.
    """
    out = np.array(lab, np.float32)
    light = np.maximum(out[..., :1], 0) + np.float32(LEVEL)
    np.log(light, out=out[..., :1])
    out[..., 1:] /= light
    return out


def _places(points: Floats, up: Floats, length: float, oval: np.ndarray, own: Floats) -> Iterator[Floats]:
    """Height over the chin, aside (and in the sense of the head's turn), distances to outlines, and the angle."""
    y, x = np.mgrid[: own.shape[0], : own.shape[1]] + 0.5
    chin = points[mesh.CHIN]
    height = ((x - chin[0]) * up[0] + (y - chin[1]) * up[1]) / length
    aside = ((x - chin[0]) * -up[1] + (y - chin[1]) * up[0]) / length
    rim = points[list(mesh.OVAL)]
    middle = rim.mean(0)
    # The nose's tip stands to the side that the head is turned to.
    turn = float(((points[mesh.NOSE[0]] - middle) @ np.array([-up[1], up[0]])) / length)
    yield height
    yield aside
    yield aside * np.sign(turn)
    yield np.full(own.shape, abs(turn))
    yield distance(oval) / length
    stretched = rim + np.outer(np.clip((rim - middle) @ up, 0, None) * 0.45, up)
    yield distance(filled(smooth(stretched), own.shape) > 0.5) / length
    away = np.stack([x - middle[0], y - middle[1]], axis=-1)
    yield np.arctan2(away @ up, np.abs(away @ np.array([-up[1], up[0]])))
    yield distance(own > 0.5) / length


def _blurred(values: Floats, sigma: float) -> Floats:
    return np.asarray(cv2.GaussianBlur(values, (0, 0), sigma), np.float32)


def _smaller(values: Floats, size: tuple[int, int]) -> Floats:
    return np.asarray(cv2.resize(values, size, interpolation=cv2.INTER_AREA), np.float32)


def _colours(colour: Floats, lab: Floats, groups: dict[str, np.ndarray], length: float) -> list[Floats]:
    """Differences to the bare skin: to its middle at three sizes, to the nearest of it, and by its own spread."""
    bare = groups["bare"]
    middle = np.median(colour[bare], axis=0)
    out: list[Floats] = []
    for blur in (0.6, 0.02 * length, 0.06 * length):
        calm = _blurred(colour, max(0.5, blur)) - middle
        out += [calm[..., i] for i in range(3)]
    weight = bare.astype(np.float32)
    seeds = np.dstack([colour * weight[..., None], weight])
    near = _blurred(seeds, 0.12 * length) + np.float32(0.03) * _blurred(seeds, 0.5 * length)
    calm = _blurred(colour, 0.8)
    from_near = calm - near[..., :3] / np.maximum(near[..., 3:], 1e-6)
    out += [from_near[..., i] for i in range(3)]
    chroma = np.hypot(calm[..., 1], calm[..., 2])
    hue = np.arctan2(calm[..., 2], calm[..., 1]) - np.arctan2(middle[2], middle[1])
    out += [chroma / max(float(np.hypot(middle[1], middle[2])), 1e-3), np.cos(hue), np.sin(hue)]
    spread = np.cov(colour[bare].T) + np.diag([2e-3, 4e-5, 4e-5])
    away = calm - middle
    out.append(np.sqrt(np.einsum("ijk,kl,ijl->ij", away, np.linalg.inv(spread), away)))
    flat = np.linalg.inv(spread[1:, 1:])
    out.append(np.sqrt(np.einsum("ijk,kl,ijl->ij", away[..., 1:], flat, away[..., 1:])))
    low, high = np.percentile(lab[..., 0][bare], (5, 95))
    out.append((lab[..., 0] - low) / max(high - low, 0.05))
    return out


def _models(colour: Floats, groups: dict[str, np.ndarray]) -> list[Floats]:
    """How usual a colour is among each group's, and the ratios: histograms with soft bins."""
    low = np.array([np.log(LEVEL), -0.2, -0.2], np.float32)
    step = np.array([(np.log(1 + LEVEL) - np.log(LEVEL)) / BINS, 0.5 / BINS, 0.5 / BINS], np.float32)
    bins = np.clip(((colour - low) / step), 0, BINS - 1.001)
    index = bins.astype(np.int64)
    flat = (index[..., 0] * BINS + index[..., 1]) * BINS + index[..., 2]
    logs = {}
    for name, chosen in groups.items():
        counts: Floats = np.bincount(flat[chosen], minlength=BINS**3).astype(np.float32).reshape(BINS, BINS, BINS)
        for axis in range(3):
            counts = counts + 0.6 * (_rolled(counts, 1, axis) + _rolled(counts, -1, axis))
        total = counts.sum()
        logs[name] = np.log(counts / max(total, 1.0) + 2e-4).ravel()[flat] if total else np.full(flat.shape, -8.5)
    calm = {name: np.asarray(cv2.blur(v.astype(np.float32), (3, 3)), np.float32) for name, v in logs.items()}
    bare, behind, above, below = (calm[n] for n in ("bare", "behind", "above", "below"))
    return [bare, behind, above, below, bare - above, bare - below, above - below, bare - behind, above - behind]


def _rolled(counts: Floats, by: int, axis: int) -> Floats:
    out = np.roll(counts, by, axis)
    edge = [slice(None)] * 3
    edge[axis] = slice(0, 1) if by > 0 else slice(-1, None)
    out[tuple(edge)] = 0
    return np.asarray(out)


def _ways(colour: Floats, groups: dict[str, np.ndarray], own: Floats, length: float) -> list[Floats]:
    """The shortest ways over small steps of colour, within the person, from bare skin, from above and from below."""
    calm = np.ascontiguousarray(_blurred(colour, 0.7) * np.array([1.0, 6.0, 6.0], np.float32))
    closed = (own < 0.15).astype(np.float32)
    out = []
    for name in ("bare", "above", "below"):
        away = np.where(groups[name], np.float32(0), np.float32(60))
        spread(calm, closed, away, np.float32(0.4 / length))
        out.append(np.minimum(away, 60))
    return [*out, out[0] - out[1], out[0] - out[2]]


@numba.njit(nogil=True, cache=True)
def spread(colour: Floats, closed: Floats, away: Floats, step: np.float32) -> None:
    """Geodesic distances by sweeps from corner to corner; ``away`` starts as 0 on the seeds and large elsewhere.

    Source: P. Toivanen, "New geodesic distance transforms for gray-scale images", Pattern Recognition Letters 17
    (1996).
    """
    h, w = away.shape
    for turn in range(6):
        forward = turn % 2 == 0
        for i in range(h):
            y = i if forward else h - 1 - i
            for j in range(w):
                x = j if forward else w - 1 - j
                best = away[y, x]
                for n in range(4):
                    if n == 0:
                        dy, dx = 0, -1
                    elif n == 1:
                        dy, dx = -1, -1
                    elif n == 2:
                        dy, dx = -1, 0
                    else:
                        dy, dx = -1, 1
                    if not forward:
                        dy, dx = -dy, -dx
                    v, u = y + dy, x + dx
                    if v < 0 or v >= h or u < 0 or u >= w:
                        continue
                    cost = step + np.float32(2.0) * closed[y, x]
                    for c in range(3):
                        cost += abs(colour[y, x, c] - colour[v, u, c])
                    best = min(best, away[v, u] + cost)
                away[y, x] = best


def _structure(
    fine: Floats, points: Floats, up: Floats, length: float, bare: np.ndarray, size: tuple[int, int]
) -> list[Floats]:
    """Strands and roughness, against the bare skin's: tensors of structure at two sizes, deviations, high passes.

    Source of the tensors: J. Bigün, G. Granlund, "Optimal orientation detection of linear symmetry", ICCV 1987.
    """
    light = np.log(np.maximum(fine[..., 0], 0) + LEVEL).astype(np.float32)
    scale = fine.shape[1] / size[0]
    unit = length * scale

    def against(values: Floats) -> Floats:
        return np.asarray(np.log((values + 1e-6) / (float(np.median(values[bare])) + 1e-6)))

    y, x = np.mgrid[: size[1], : size[0]] + 0.5
    middle = points[list(mesh.OVAL)].mean(0)
    radial = np.arctan2(y - middle[1], x - middle[0])
    axis = np.arctan2(up[1], up[0])
    out: list[Floats] = []
    for inner, outer in ((0.004, 0.02), (0.012, 0.05)):
        calm = _blurred(light, max(0.6, inner * unit))
        gx, gy = (cv2.Sobel(calm, cv2.CV_32F, *d, ksize=3) for d in ((1, 0), (0, 1)))
        tensor = _smaller(np.stack([gx * gx, gy * gy, gx * gy], axis=-1), size)
        xx, yy, xy = np.moveaxis(_blurred(tensor, max(0.6, outer * length)), -1, 0)
        energy = xx + yy
        coherence = np.sqrt((xx - yy) ** 2 + 4 * xy**2) / (energy + 1e-7)
        # The direction along the strands.
        turn = 0.5 * np.arctan2(2 * xy, xx - yy) + np.pi / 2
        out += [against(energy), coherence]
        out += [coherence * np.cos(2 * (turn - radial)), coherence * np.cos(2 * (turn - axis))]
    for width in (0.01, 0.025, 0.06):
        sigma = max(0.7, width * unit)
        calm = _blurred(light, sigma)
        high = light - calm
        rough = _smaller(_blurred(high * high, sigma), size)
        out += [against(rough), _smaller(high, size)]
        if width == 0.025:
            # Of the four windows that have the pixel at a corner the calmest: the edge of a calm place is calm.
            # M. Kuwahara et al., 1976.
            reach = max(1, round(0.03 * length))
            out.append(
                against(np.min([np.roll(rough, (a, b), (0, 1)) for a in (-reach, reach) for b in (-reach, reach)], 0))
            )
    chroma = _smaller(np.abs(cv2.Laplacian(_blurred(fine[..., 1:], 1.0), cv2.CV_32F)).sum(-1), size)
    out.append(against(_blurred(chroma, 1.0)))
    return out
