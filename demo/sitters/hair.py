"""Hair, brows and lashes as curves that grow out of the skin."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from demo.sitters.cast import Sitter

Values = NDArray[np.float64]
STEPS = 26
LOCK = 60
"""Strands that hold together in one lock."""


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


def cover(rest: Values) -> Values:
    """How densely hair grows at places given at rest (n × 3), 0…1, soft at the hairline."""
    x, y, z = rest.T
    aside = np.abs(x)
    line = 7.93 - 1.15 * np.maximum(aside - 0.40, 0) + 0.03 * np.sin(9 * x) + 0.02 * np.sin(31 * x)
    front = np.clip((y - line) / 0.07, 0, 1) * (z > 0.3) * (y > 7.4)
    ear = (aside > 0.74) & (y < 7.45) & (z < 0.45) & (z > -0.1)
    sides = (z < 0.62) * np.clip((y - 7.0 - 0.25 * np.clip((z + 0.1) / 0.6, 0, 1)) / 0.08, 0, 1) * ~ear
    nape = (z < -0.15) * np.clip((y - 6.5) / 0.12, 0, 1)
    return np.maximum(np.maximum(front, sides), nape)


def hair(sitter: Sitter, scalp: Scalp, rng: np.random.Generator) -> Strands:
    """The hair of the head: it leaves the skin, is combed, falls by its weight, lies on what is under it, and locks."""
    root, normal, rest = _rooted(scalp, cover(scalp.rest[scalp.triangles].mean(1)), sitter.strands, rng)
    count = len(root)
    top = _smooth((rest[:, 1:2] - 7.25) / 0.45)
    # Short hair is shorter still at the temples and the nape.
    tapered = 1.0 if sitter.hair_length > 0.7 else 0.45 + 0.55 * top
    even = 0.8 + 0.4 * rng.random((count, 1)) ** 0.5
    length = sitter.hair_length * even * tapered
    points = _fall(sitter, scalp, root, normal, rest, length, rng)

    locks = rng.choice(count, count // LOCK, replace=False)
    lock = locks[cKDTree(root[locks]).query(root)[1]]
    along = np.linspace(0, 1, STEPS)[None, :, None]
    held = sitter.locks * (0.35 + 0.65 * rng.random((count, 1, 1))) * along**1.3
    leader = points[lock] + 0.35 * (root - root[lock])[:, None]
    points = points + held * (leader - points)
    points = points + _curled(sitter, points, lock, length, rng)
    # Fewer hairs are thicker, so that the head stays covered.
    thick = (52_000 / sitter.strands) ** 0.5
    radii = thick * np.broadcast_to(np.linspace(0.0031, 0.0014, STEPS), points.shape[:2])
    if sitter.flyaways:
        crown = np.flatnonzero(rest[:, 2] < 0.75)
        loose = _flyaways(sitter, root[crown], normal[crown], rng)
        points, radii = np.concatenate([points, loose]), np.concatenate([radii, np.full(loose.shape[:2], 0.0014)])
    return Strands(points, radii)


def _smooth(x: Values) -> Values:
    t = np.clip(x, 0, 1)
    return t * t * (3 - 2 * t)


def _unit(vectors: Values) -> Values:
    return vectors / (np.linalg.norm(vectors, axis=-1, keepdims=True) + 1e-9)


def _rooted(scalp: Scalp, density: Values, count: int, rng: np.random.Generator) -> tuple[Values, Values, Values]:
    """Roots spread over the skin by the density of each triangle, with their normals and rest positions."""
    corner = scalp.points[scalp.triangles]
    area = np.linalg.norm(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1)
    weights = area * density
    chosen = rng.choice(len(area), count, p=weights / weights.sum())
    u, v = rng.random((2, count))
    u, v = np.where(u + v > 1, 1 - u, u)[:, None], np.where(u + v > 1, 1 - v, v)[:, None]
    at = corner[chosen]
    root = at[:, 0] + u * (at[:, 1] - at[:, 0]) + v * (at[:, 2] - at[:, 0])
    of = scalp.triangles[chosen]
    return root, _unit(scalp.normals[of].mean(1)), scalp.rest[of].mean(1)


def _combed(sitter: Sitter, rest: Values, normal: Values) -> tuple[Values, Values]:
    """Which way hair is combed over each place of the head, along the skin, and how far it may fall there (0…1).

    On top it goes from the parting, or back from the brow; over the face it is drawn aside; elsewhere it falls.
    """
    x, y, z = (rest[:, i : i + 1] for i in range(3))
    top = _smooth((y - 7.30) / 0.45)
    face = _smooth((z - 0.50) / 0.25) * _smooth((8.15 - y) / 0.15) * _smooth((0.86 - np.abs(x)) / 0.12) * (y > 6.0)
    none = np.zeros_like(x)
    down = np.hstack([none, none - 1, none - 0.2])
    if sitter.parting is None:
        over = np.hstack([0.3 * x, none + 0.15, none - 1])
        aside = np.sign(x)
    else:
        aside = np.tanh(9 * (x - sitter.parting))
        over = np.hstack([aside, none - 0.1, 0.05 - 0.25 * _smooth((z - 0.6) / 0.5)])
    off = np.hstack([aside, none + 0.35, none - 0.45])
    comb = (top * over + (1 - top) * down) * (1 - face) + face * off
    return _unit(comb - normal * (comb * normal).sum(1, keepdims=True)), (1 - face) * (1 - 0.7 * top)


def _fall(
    sitter: Sitter, scalp: Scalp, root: Values, normal: Values, rest: Values, length: Values, rng: np.random.Generator
) -> Values:
    """Strands (n × STEPS × 3) that follow the comb over the head, then their weight, and never enter the body."""
    x, y, z = scalp.rest.T
    ear = (np.abs(x) > 0.70) & (np.abs(y - 7.1) < 0.5) & (z > -0.25) & (z < 0.55)
    index = np.flatnonzero((y > 4.6) & ~ear)[::8]
    body, out, at_rest = scalp.points[index], scalp.normals[index], scalp.rest[index]
    near = cKDTree(body)
    count = len(root)
    # Every strand keeps its own distance: that is what gives hair its volume.
    layer = 0.015 + sitter.volume * rng.random((count, 1)) ** 0.8
    if sitter.hair_length <= 0.7:
        layer = layer * (0.25 + 0.75 * _smooth((rest[:, 1:2] - 7.25) / 0.45))
    comb, _ = _combed(sitter, rest, normal)
    heading = _unit(0.45 * normal + comb + 0.10 * rng.standard_normal((count, 3)))
    place, points = root - 0.012 * normal, [root - 0.012 * normal]
    step = length / (STEPS - 1)
    bend = 1 - np.exp(-step / 0.22)
    for number in range(1, STEPS):
        place = place + heading * step
        distance, at = near.query(place, workers=2)
        ground, up = body[at], out[at]
        height = ((place - ground) * up).sum(1, keepdims=True)
        wanted = layer * min(1.0, number / 5)
        low = (height < wanted) & (distance[:, None] < 0.6)
        place = np.where(low, place + up * (wanted - height), place)
        into = np.minimum((heading * up).sum(1, keepdims=True), 0)
        heading = np.where(low, heading - 0.9 * up * into, heading)
        comb, free = _combed(sitter, at_rest[at], up)
        close = np.clip(1.3 - distance[:, None] / 0.45, 0, 1) * np.clip((at_rest[at][:, 1:2] - 6.3) / 0.3, 0, 1)
        fall = np.array([0.0, -1.0, 0.0]) * sitter.weight * (1 - close * (1 - free))
        heading = _unit(heading * (1 - bend) + bend * (fall + 0.9 * comb * close))
        heading = _unit(heading + 0.02 * rng.standard_normal((count, 3)))
        points.append(place)
    return np.stack(points, axis=1)


def _curled(
    sitter: Sitter, points: Values, lock: NDArray[np.int64], length: Values, rng: np.random.Generator
) -> Values:
    """How far curls and waves lead each point from its strand: a helix, in step within a lock."""
    along = np.linspace(0, 1, STEPS)[None, :]
    tangent = _unit(np.gradient(points, axis=1))
    across = _unit(np.cross(tangent, np.array([0.31, 0.2, 0.93])))
    other = np.cross(tangent, across)
    count = len(points)
    phase = (2 * np.pi * rng.random(count))[lock] + 0.5 * rng.standard_normal(count)
    turns = length / (0.55 - 0.42 * min(1.0, sitter.curl)) * (0.9 + 0.2 * rng.random((count, 1)))
    angle = phase[:, None] + 2 * np.pi * np.minimum(turns, STEPS / 5) * along
    size = (0.012 + 0.055 * sitter.curl) * np.minimum(1, 4 * along)
    return size[..., None] * (np.cos(angle)[..., None] * across + np.sin(angle)[..., None] * other)


def _flyaways(sitter: Sitter, root: Values, normal: Values, rng: np.random.Generator) -> Values:
    """Single hairs that stand away from the head in wide arcs."""
    chosen = rng.choice(len(root), sitter.flyaways)
    place, heading = (
        root[chosen],
        _unit(0.6 * normal[chosen] + [0.0, -0.2, -0.3] + 0.5 * rng.standard_normal((sitter.flyaways, 3))),
    )
    reach = min(1.0, sitter.hair_length) * (0.3 + 0.6 * rng.random((sitter.flyaways, 1))) / (STEPS - 1)
    swerve = 0.16 * rng.standard_normal((sitter.flyaways, 3)) - np.array([0.0, 0.05, 0.0])
    points = [place]
    for _ in range(1, STEPS):
        heading = _unit(heading + swerve + 0.03 * rng.standard_normal(heading.shape))
        place = place + heading * reach
        points.append(place)
    return np.stack(points, axis=1)


def beard(sitter: Sitter, scalp: Scalp, where: Values, rng: np.random.Generator) -> Strands:
    """A beard where ``where`` (0…1 at the vertices) says: hairs that grow out, down, and curl a little."""
    count = max(1500, sitter.strands // 5)
    root, normal, rest = _rooted(scalp, np.clip(1.6 * where[scalp.triangles].mean(1) - 0.2, 0, 1), count, rng)
    lean = _unit(0.5 * normal + [0.0, -0.9, 0.0] + 0.25 * rng.standard_normal((count, 3)))
    lean[:, 0] += 0.2 * np.sign(rest[:, 0]) * (np.abs(rest[:, 0]) > 0.3)
    length = sitter.beard * (0.6 + 0.5 * rng.random((count, 1)))
    steps = np.linspace(0, 1, 6)
    turn = 2 * np.pi * rng.random((count, 1))
    aside = 0.12 * sitter.beard * np.concatenate([np.cos(turn), 0 * turn, np.sin(turn)], axis=1)
    points = [root + t * length * _unit(normal * (0.9 - t) + lean) + np.sin(3 * t) * aside for t in steps]
    thick = 0.0022 * (12_000 / count) ** 0.5
    return Strands(np.stack(points, axis=1), np.broadcast_to(np.linspace(thick, 0.5 * thick, 6), (count, 6)))


def brows(sitter: Sitter, scalp: Scalp, rng: np.random.Generator) -> Strands:
    """Both brows: short hairs, upright at the inner end, lying towards the temple further out."""
    near = cKDTree(scalp.rest[:, :2] + np.where(scalp.rest[:, 2:] < 0.9, 99.0, 0.0))
    count = int(460 - 140 * sitter.female)
    along = np.tile(rng.random(count) ** 0.9, 2)
    sign = np.repeat([-1.0, 1.0], count)[:, None]
    thick = (0.075 - 0.025 * sitter.female) * (1 - 0.70 * along**1.5)
    y = 7.445 + 0.050 * np.sin(np.minimum(1.5 * along, 1) * 1.6) - 0.070 * np.maximum(along - 0.62, 0) / 0.38
    spread = np.clip(0.30 * rng.standard_normal(2 * count), -0.75, 0.75)
    spot = np.stack([sign[:, 0] * (0.11 + 0.42 * along), y + spread * thick], axis=1)
    index = near.query(spot)[1]
    root, normal = scalp.points[index], scalp.normals[index]
    lean = np.stack([sign[:, 0] * (0.55 + 0.65 * along), 0.55 - 0.95 * along + 0.22 * rng.standard_normal(2 * count),
                     np.full(2 * count, 0.1)], axis=1)  # fmt: skip
    lean = _unit(lean)
    length = 0.038 + 0.022 * rng.random((2 * count, 1))
    steps = (0.0, 0.15, 0.4, 0.7, 1.0)
    points = [root + normal * (0.009 * np.sin(2.4 * t) - 0.005) + lean * length * t for t in steps]
    radii = np.broadcast_to([0.0012, 0.0013, 0.0012, 0.0009, 0.0004], (2 * count, len(steps)))
    return Strands(np.stack(points, axis=1), radii)


def lashes(points: Values, strip: NDArray[np.int64], eye: Values, count: int, rng: np.random.Generator) -> Strands:
    """``count`` lashes along one of the mesh's strips of cards (quads m × 4 into ``points``), from the lid outwards."""
    used = np.unique(strip)
    rows = 5
    # The strip is a grid of five rows; the first lies on the lid, nearest to the eye's middle.
    first = used[np.argsort(np.linalg.norm(points[used] - eye, axis=1))[: len(used) // rows]]
    edges = np.concatenate([strip[:, [i, (i + 1) % 4]] for i in range(4)])
    edges = np.concatenate([edges, edges[:, ::-1]])
    columns = [first[np.argsort(points[first, 0])]]
    seen = set(first.tolist())
    for _ in range(rows - 1):
        ahead = []
        for vertex in columns[-1]:
            free = [v for v in edges[edges[:, 0] == vertex, 1] if v not in seen]
            ahead.append(free[0] if free else vertex)
        columns.append(np.array(ahead))
        seen.update(ahead)
    grid = points[np.stack(columns, axis=1)]
    place = rng.random(count) * (len(grid) - 1.001)
    low, share = place.astype(int), (place % 1)[:, None, None]
    curve = grid[low] * (1 - share) + grid[low + 1] * share
    reach = 0.65 + 0.35 * rng.random((count, 1, 1))
    curve = curve[:, :1] + (curve - curve[:, :1]) * reach
    curve = curve + 0.006 * rng.standard_normal((count, 1, 3)) * np.linspace(0, 1, rows)[None, :, None]
    radii = np.broadcast_to([0.0008, 0.0008, 0.0006, 0.0004, 0.0002], (count, rows))
    return Strands(curve, radii)
