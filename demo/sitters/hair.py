"""Hair, brows and lashes as curves that grow out of the skin."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from demo.sitters.cast import Sitter

Values = NDArray[np.float64]
STRANDS = 26_000
STEPS = 9


@dataclass(frozen=True)
class Strands:
    """Curves: points (n × k × 3) and radii (n × k), in decimetres."""

    points: Values
    radii: Values


@dataclass(frozen=True)
class Scalp:
    """The skin that hair grows from: triangles, their vertices now and at rest, and vertex normals."""

    triangles: NDArray[np.int64]
    points: Values
    rest: Values
    normals: Values


def hair(sitter: Sitter, scalp: Scalp, rng: np.random.Generator) -> Strands:
    """The hair of the head: combed back and to the sides, long hair falling, curled hair winding."""
    corner = scalp.points[scalp.triangles]
    area = np.linalg.norm(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1)
    chosen = rng.choice(len(area), STRANDS, p=_weights(scalp, area))
    u, v = rng.random((2, STRANDS))
    u, v = np.where(u + v > 1, 1 - u, u), np.where(u + v > 1, 1 - v, v)
    at = corner[chosen]
    root = at[:, 0] + u[:, None] * (at[:, 1] - at[:, 0]) + v[:, None] * (at[:, 2] - at[:, 0])
    normal = scalp.normals[scalp.triangles[chosen]].mean(1)

    rest = scalp.rest[scalp.triangles[chosen]].mean(1)
    top = np.clip((rest[:, 1:2] - 7.25) / 0.4, 0, 1)
    parting = np.tanh(8 * (root[:, :1] - 0.18))
    combed_back = np.hstack([0.55 * parting * (0.3 + np.abs(root[:, :1])), np.tile([-0.35, -0.8], (STRANDS, 1))])
    comb = top * combed_back + (1 - top) * np.array([0.0, -1.0, -0.45])
    comb -= normal * (comb * normal).sum(1, keepdims=True)
    comb /= np.linalg.norm(comb, axis=1, keepdims=True) + 1e-9
    side = 1.0 if sitter.hair_length > 0.7 else 0.5
    length = sitter.hair_length * (0.75 + 0.5 * rng.random((STRANDS, 1))) * (side + (1 - side) * top)

    heading = 0.7 * normal + 0.7 * comb + 0.16 * rng.standard_normal((STRANDS, 3))
    phase, place = rng.random((STRANDS, 1)) * 2 * np.pi, root - 0.02 * normal
    across = np.cross(normal, comb)
    points = [place]
    long_hair = np.clip(sitter.hair_length - 0.6, 0, 1)
    skull = scalp.points[scalp.rest[:, 1] > 7.3]
    low, high = skull.min(0), skull.max(0)
    low[1] = high[1] - (high[2] - low[2])
    centre, girth = (low + high) / 2, (high - low) / 2
    for step in range(1, STEPS):
        heading /= np.linalg.norm(heading, axis=1, keepdims=True)
        wind = sitter.curl * 1.6 * (across * np.cos(phase + 2.4 * step) + normal * np.sin(phase + 2.4 * step))
        place = place + (heading + wind) / np.linalg.norm(heading + wind, axis=1, keepdims=True) * length / (STEPS - 1)
        # Pushed out of the head, so that no strand runs through it.
        inside = np.linalg.norm((place - centre) / girth, axis=1, keepdims=True)
        place = np.where(inside < 1, centre + (place - centre) / inside, place)
        points.append(place)
        fall = np.array([0.0, -0.10 - 0.55 * long_hair, 0.0])
        heading = 0.55 * heading + 0.45 * comb * (1 - 0.6 * long_hair) + fall + 0.06 * rng.standard_normal((STRANDS, 3))
    radii = np.broadcast_to(np.linspace(0.0052, 0.0016, STEPS), (STRANDS, STEPS))
    return Strands(np.stack(points, axis=1), radii)


def _weights(scalp: Scalp, area: Values) -> Values:
    """How likely a strand grows on each triangle: its area within the hairline."""
    x, y, z = scalp.rest[scalp.triangles].mean(1).T
    aside = np.abs(x)
    hairline = 7.98 - 1.35 * np.maximum(aside - 0.42, 0) + 0.05 * np.sin(9 * x)
    front = (y > hairline) & (z > 0.3) & (y > 7.5)
    ear = (aside > 0.74) & (y < 7.45) & (z < 0.45) & (z > -0.1)
    sides = (z < 0.62) & (y > 7.02 + 0.25 * np.clip((z + 0.1) / 0.6, 0, 1)) & ~ear
    neck = (z < -0.15) & (y > 6.55)
    weights = area * (front | sides | neck)
    return weights / weights.sum()


def brows(sitter: Sitter, scalp: Scalp, rng: np.random.Generator) -> Strands:
    """Both brows: short hairs, upright at the inner end, lying towards the temple further out."""
    near = cKDTree(scalp.rest[:, :2] + np.where(scalp.rest[:, 2:] < 0.9, 99.0, 0.0))
    count = int(520 - 150 * sitter.female)
    along = np.tile(rng.random(count), 2)
    sign = np.repeat([-1.0, 1.0], count)[:, None]
    thick = (0.055 - 0.020 * sitter.female) * (1 - 0.72 * along**1.5)
    y = 7.455 + 0.060 * np.sin(np.minimum(1.5 * along, 1) * 1.6) - 0.075 * np.maximum(along - 0.62, 0) / 0.38
    spot = np.stack([sign[:, 0] * (0.12 + 0.40 * along), y + (rng.random(2 * count) - 0.5) * thick], axis=1)
    index = near.query(spot)[1]
    root, normal = scalp.points[index], scalp.normals[index]
    lean = np.stack([sign[:, 0] * (0.5 + 0.6 * along), 0.8 - 1.15 * along + 0.16 * rng.standard_normal(2 * count),
                     np.full(2 * count, 0.1)], axis=1)  # fmt: skip
    lean /= np.linalg.norm(lean, axis=1, keepdims=True)
    length = 0.050 + 0.022 * rng.random((2 * count, 1))
    steps = (0.0, 0.15, 0.4, 0.7, 1.0)
    points = [root + normal * (0.010 * np.sin(2.4 * t) - 0.006) + lean * length * t for t in steps]
    radii = np.broadcast_to([0.0016, 0.0016, 0.0015, 0.0011, 0.0005], (2 * count, len(steps)))
    return Strands(np.stack(points, axis=1), radii)


def lashes(cards: Values, eye: Values, rng: np.random.Generator) -> Strands:
    """Lashes along the mesh's lash cards (m × 4 × 3): from each card's edge near the ``eye``'s middle to the other."""
    order = np.argsort(np.linalg.norm(cards - eye, axis=2), axis=1)
    sorted_cards = np.take_along_axis(cards, order[..., None], axis=1)
    (a, b), (c, d) = (sorted_cards[:, i : i + 2].swapaxes(0, 1) for i in (0, 2))
    # The outer pair may be named the other way round.
    swap = (np.linalg.norm(a - c, axis=1) > np.linalg.norm(a - d, axis=1))[:, None]
    c, d = np.where(swap, d, c), np.where(swap, c, d)
    share = rng.random((3, len(cards), 1))
    root, tip = a + share * (b - a), c + share * (d - c)
    root, tip = root.reshape(-1, 3), tip.reshape(-1, 3) + 0.006 * rng.standard_normal((3 * len(cards), 3))
    points = [root + t * (tip - root) for t in (0.0, 0.25, 0.5, 0.75, 1.0)]
    radii = np.broadcast_to([0.0008, 0.0008, 0.0007, 0.0006, 0.0003], (len(root), 5))
    return Strands(np.stack(points, axis=1), radii)
