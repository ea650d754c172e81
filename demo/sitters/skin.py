"""Skin: where lips, cheeks and ears are on the mesh at rest, its colour, and its pores.

The albedo is ``[.80, .60, .49] · exp(−blood · [.09, .52, .40]) · exp(−melanin · [1, 1.25, 1.47])`` in linear sRGB, a
two-pigment fit that spans very light to very dark skin.
"""

import math
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from demo.sitters import hair, shape
from demo.sitters.cast import Sitter
from demo.sitters.noise import cells, noise

Values = NDArray[np.float64]

BASE = np.array([0.80, 0.60, 0.49])
BLOOD = np.array([0.09, 0.52, 0.40])
MELANIN = np.array([1.0, 1.25, 1.47])
GROUPS = ((55, "very light"), (41, "light"), (28, "intermediate"), (10, "tan"), (-30, "brown"))


@dataclass(frozen=True)
class Regions:
    """Shares 0…1 of places on the skin, one number a vertex."""

    lips: Values
    face: Values
    cheeks: Values
    nose: Values
    ears: Values
    under_eyes: Values
    beard: Values


def smooth(low: float, high: float, x: Values) -> Values:
    """The smoothstep from 0 at ``low`` to 1 at ``high`` (which may be the lower one)."""
    t = np.clip((x - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


@cache
def _lip_weights() -> Values:
    """How much the targets that swell the lips move each vertex of the body."""
    moved = np.zeros(shape.BODY_VERTICES)
    for name in ("mouth-upperlip-volume-incr", "mouth-lowerlip-volume-incr"):
        index, move = shape.target(name)
        body = index < shape.BODY_VERTICES
        moved[index[body]] = np.maximum(moved[index[body]], np.linalg.norm(move[body], axis=1))
    return moved / moved.max()


def regions(rest: Values) -> Regions:
    """The places of skin at vertices given by their rest positions (n × 3, decimetres)."""
    x, y, z = rest.T
    aside = np.abs(x)
    # A border as fine as the mesh itself would be ragged: the weights of neighbours are smoothed over 2 mm.
    distance, near = cKDTree(shape.base()[0][: shape.BODY_VERTICES]).query(rest, k=12, distance_upper_bound=0.5)
    weight = np.exp(-((distance / np.maximum(distance[:, 2:3], 0.02)) ** 2))
    weights = np.append(_lip_weights(), 0.0)[near]
    lips = smooth(0.10, 0.36, (weights * weight).sum(1) / (weight.sum(1) + 1e-9))
    # The targets hardly move the corners: there an ellipse ends the lips.
    lips = np.maximum(lips, smooth(1.15, 0.6, (x / 0.265) ** 2 + ((y - 6.6) / 0.065) ** 2) * (z > 1.1))
    front = smooth(0.1, 0.5, z)

    def bump(a: float, b: float, wide: float, high: float) -> Values:
        return np.exp(-(((aside - a) / wide) ** 2 + ((y - b) / high) ** 2)) * front

    beard = smooth(6.95, 6.75, y) * smooth(6.0, 6.3, y) * (1 - lips) * smooth(0.2, 0.6, z)
    # The jaw runs from the chin back and up to below the ear.
    jaw = 6.10 + 0.62 * np.maximum(1.35 - z, 0)
    face = smooth(-0.03, 0.03, y - jaw) * smooth(0.22, 0.34, z) * smooth(8.25, 8.05, y)
    return Regions(
        lips=lips,
        face=face,
        cheeks=bump(0.55, 6.95, 0.30, 0.28),
        nose=bump(0.0, 6.88, 0.16, 0.16) * smooth(1.3, 1.5, z),
        ears=smooth(0.78, 0.9, aside) * (np.abs(y - 7.1) < 0.5),
        under_eyes=bump(0.30, 7.10, 0.20, 0.09),
        beard=beard,
    )


def albedo(sitter: Sitter, rest: Values, at: Regions) -> Values:
    """Linear sRGB albedo (n × 3) of the sitter's skin."""
    broad, middle, fine = (
        noise(rest, 2.2, sitter.seed),
        noise(rest, 9, sitter.seed + 1),
        noise(rest, 45, sitter.seed + 2, 3),
    )
    patches = middle if sitter.blotch == 9 else noise(rest, sitter.blotch, sitter.seed + 1)
    blotches = sitter.blotches * (0.10 * sitter.flush * broad + 0.14 * patches) + 0.06 * fine
    local = 0.45 * at.cheeks + 0.5 * at.nose + 0.55 * at.ears + 0.5 * sitter.under_eyes * at.under_eyes
    blood = sitter.blood * (1 + local + blotches) * (1 - at.lips) + 1.45 * at.lips
    melanin = sitter.melanin * (1 + 0.08 * broad + 0.10 * middle + 0.08 * fine)
    melanin = melanin + 0.16 * sitter.under_eyes * at.under_eyes + 0.5 * sitter.stubble * at.beard
    spots, _ = _blemishes(sitter, rest, at)
    # On dark skin it is pigment that gathers in them more than blood that shows.
    blood = blood + 1.1 * spots
    melanin = melanin * (1 + 0.16 * spots) + (0.10 + 0.25 * sitter.melanin) * _freckles(sitter, rest, at)
    scar = _scar(sitter, rest, at)
    blood, melanin = blood * (1 - 0.7 * scar), melanin * (1 - 0.5 * scar)
    skin = BASE * np.exp(-np.outer(blood, BLOOD)) * np.exp(-np.outer(melanin, MELANIN))
    skin *= (1 - 0.30 * sitter.pores * _pores(sitter, rest) * (1 - at.lips))[:, None]
    # Under the hair its roots colour the skin.
    roots = (0.9 if sitter.strands else 0.0) * hair.cover(rest)[:, None]
    if sitter.beard:
        roots = np.maximum(roots, 0.8 * at.beard[:, None])
    return skin * (1 - roots) + 0.8 * np.array(sitter.hair) * roots


def relief(sitter: Sitter, rest: Values, at: Regions) -> Values:
    """Pores, folds and blemishes: how far each vertex stands out along its normal, in decimetres."""
    rough = 0.0011 * noise(rest, 60, sitter.seed + 3, 2) + 0.0009 * noise(rest, 24, sitter.seed + 4, 2)
    out = sitter.relief * rough * (1 + sitter.old) - 0.0008 * sitter.pores * _pores(sitter, rest)
    return out * (1 - 0.7 * at.lips) + 0.0022 * (_blemishes(sitter, rest, at)[1] + _scar(sitter, rest, at))


def roughness(sitter: Sitter, rest: Values) -> Values:
    """How rough the surface is, a number a vertex: some places are more oily than others, so that a shine runs out."""
    broad, fine = noise(rest, 7, sitter.seed + 15, 2), noise(rest, 70, sitter.seed + 16, 2)
    return np.clip(sitter.roughness * (1.08 + 0.28 * broad + 0.22 * fine), 0.2, 0.9)


def _pores(sitter: Sitter, rest: Values) -> Values:
    """Mouths of pores, 0…1: about one to a square millimetre, some wider than others."""
    away, own = cells(rest, 90, sitter.seed + 5)
    return np.exp(-((away / (0.16 + 0.14 * own)) ** 2))


def _freckles(sitter: Sitter, rest: Values, at: Regions) -> Values:
    """Freckles, 0…1: on cheeks and nose more than elsewhere."""
    if not sitter.freckles:
        return np.zeros(len(rest))
    away, own = cells(rest, 26, sitter.seed + 9)
    where = np.clip(0.25 * at.face + at.cheeks + at.nose, 0, 1)
    there = own < sitter.freckles * where
    return np.where(there, np.exp(-((away / (0.22 + 0.25 * own)) ** 4)), 0.0) * (1 - at.lips)


def _blemishes(sitter: Sitter, rest: Values, at: Regions) -> tuple[Values, Values]:
    """Spots on the face: how red, about 0…1, and how raised, 0…1."""
    red, raised = np.zeros(len(rest)), np.zeros(len(rest))
    rng = np.random.default_rng(sitter.seed + 13)
    places = np.flatnonzero((at.face > 0.5) & (at.lips < 0.05) & (rest[:, 2] > 0.5))
    for _ in range(round(34 * sitter.blemishes) if len(places) else 0):
        middle = rest[rng.choice(places)]
        size, strength = rng.uniform(0.010, 0.030), rng.uniform(0.4, 1.0)
        away = np.linalg.norm(rest - middle, axis=1) / size
        near = away < 4
        red[near] = np.maximum(red[near], strength * np.exp(-(away[near] ** 2) / 2))
        raised[near] = np.maximum(raised[near], strength * np.exp(-2 * away[near] ** 2))
    return red, raised


def _scar(sitter: Sitter, rest: Values, at: Regions) -> Values:
    """A scar across one cheek, 0…1: two centimetres long, paler than what is round it and a little raised."""
    if not sitter.scar:
        return np.zeros(len(rest))
    start, end = np.array([0.46, 6.76]), np.array([0.60, 6.93])
    along = np.clip(((rest[:, :2] - start) @ (end - start)) / ((end - start) @ (end - start)), 0, 1)
    ragged = 0.006 * noise(rest, 30, sitter.seed + 17, 2)
    away = np.linalg.norm(rest[:, :2] - start - along[:, None] * (end - start), axis=1) + ragged
    return sitter.scar * np.exp(-((away / 0.010) ** 2)) * at.face * (rest[:, 2] > 0.3)


def ita(sitter: Sitter) -> float:
    """The individual typology angle of the sitter's plain skin, in degrees.

    Source: A. Chardon et al., "Skin colour typology and suntanning pathways", Int. J. Cosmetic Science 13 (1991):
    arctan((L* − 50) / b*), with CIELAB under D65.
    """
    plain = BASE * np.exp(-sitter.blood * BLOOD) * np.exp(-sitter.melanin * MELANIN)
    xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]) @ plain
    _, fy, fz = np.cbrt(xyz / np.array([0.9505, 1.0, 1.0890]))
    return math.degrees(math.atan2(116 * fy - 16 - 50, 200 * (fy - fz)))


def group(angle: float) -> str:
    """The name of the skin-tone group of an ITA°."""
    return next((name for limit, name in GROUPS if angle > limit), "dark")
