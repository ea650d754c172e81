"""Eye whites, irises and pupils: see :mod:`retouch.faces.outlines`."""

import itertools
from collections.abc import Callable, Sequence
from typing import Any

import cv2
import numpy as np

from retouch.faces import eye_parts as parts
from retouch.faces import mesh
from retouch.faces.eye_parts import Guess
from retouch.faces.outlines import LEVEL, disc, filled, grown, smooth
from retouch.faces.upright import back, moved
from retouch.types import Floats

SHARPER = 1.6
"""How much steeper the rim of a part is than the likelihood of it."""
GLOWS = 0.09
"""By how much of OKLab's a the reddest of an iris is over its rim where a flash glows in it."""
LIDS = np.arange(-0.2, 0.6, 0.05)
"""How much nearer to the line between its corners a lid may be than the mesh has it, by its height there."""
USUAL_LIDS, UNUSUAL = (0.05, 0.15), 0.5
"""Where an upper and a lower lid mostly are, and how much a lid elsewhere counts against the step of colour there."""
LID, ACROSS = 0.35, 0.07
"""Part of a lid's height from which on it is looked at, and how far beside it, in heights of the eye."""
LID_HUES = 0.12
"""Distance from the hue of the skin about an eye, over lightness, at which a place is certainly none of it."""


def eyes(lab: Floats, points: Floats, open_eyes: Sequence[int]) -> tuple[Floats, Floats, Floats]:
    """Coverage of eye whites, irises and pupils; closed eyes have none.

    What each pixel is, is told by boosted trees (:mod:`retouch.faces.eye_parts`) from what rules say of it, among else.
    """
    out = np.zeros((3, *lab.shape[:2]), np.float32)
    for eye in open_eyes:
        way = parts.upright(points, eye)
        there, own = parts.MAP.onto(lab, way), moved(points, way)
        guess = guessed(there, own, eye)
        seen = parts.measured(there, own, eye, guess)
        likely = parts.trees().likely(seen.reshape(-1, seen.shape[-1])).reshape(*seen.shape[:2], -1)
        glow = _glow(there, guess)[..., None]
        likely = np.where(np.arange(likely.shape[-1]) == parts.PUPIL, np.maximum(likely, glow), likely * (1 - glow))
        # What one pixel of the small map is, its neighbours mostly are.
        likely = np.asarray(cv2.GaussianBlur(likely, (0, 0), 1.0), np.float32)
        for number, part in enumerate((parts.WHITE, parts.IRIS, parts.PUPIL)):
            laid = back(np.ascontiguousarray(likely[..., part]), way, lab.shape[:2])
            np.maximum(out[number], laid, out=out[number])
    whites, irises, pupils = np.clip((out - 0.5) * SHARPER + 0.5, 0, 1)
    return whites, irises, pupils


def guessed(lab: Floats, points: Floats, eye: int) -> Guess:
    """Where lids, iris and pupil are by rules, in pixels of ``lab``."""
    opening = _opening(lab, points, eye)
    iris = _limbus(lab, points, eye, opening)
    return Guess(opening, iris, _pupil(lab, opening, *iris))


def _opening(lab: Floats, points: Floats, eye: int) -> Floats:
    """Between the lids, which the mesh knows roughly: each is looked for where skin's hue ends most."""
    there = points[list(mesh.EYES[eye])]
    a, b = (points[number] for number in mesh.CORNERS[eye])
    axis = (b - a) / max(float(np.hypot(*(b - a))), 1e-9)
    up, _ = mesh.upright(points)
    across = np.array([-axis[1], axis[0]]) * np.sign(np.array([-axis[1], axis[0]]) @ up)
    high = (there - a) @ across
    beside = max(1.5, ACROSS * float(np.ptp(high))) * across
    apart = _unlike_skin(lab, filled(smooth(there), lab.shape[:2]) > 0.5)

    def seen(places: Floats) -> Any:
        at = places.astype(np.float32) - np.float32(0.5)
        return cv2.remap(apart, at[..., 0], at[..., 1], cv2.INTER_LINEAR)

    there = there.copy()
    for side, usual in zip((1, -1), USUAL_LIDS, strict=True):
        own = side * high
        part = own > LID * max(float(own.max()), 1e-9)
        if not part.any():
            continue
        edges = there[part] - np.outer(LIDS, own[part])[..., None] * side * across
        step = (
            sum(seen(edges - side * n * beside) - seen(edges + side * n * beside) for n in (0.5, 1.0, 1.5)).mean(1) / 3
        )
        lid = LIDS[int(np.argmax(step - UNUSUAL * (LIDS - usual) ** 2))]
        there[own > 0] -= np.outer(lid * own[own > 0], side * across)
    return filled(smooth(there), lab.shape[:2])


def _unlike_skin(lab: Floats, opening: Any) -> Any:
    """How far each pixel has another hue than the skin about an eye's opening, 0…1."""
    width = float(np.sqrt(opening.sum()))
    ring = grown(opening, 0.3 * width) & ~grown(opening, 0.08 * width)
    calm = cv2.GaussianBlur(lab, (0, 0), max(0.8, 0.01 * width))
    hues = calm[..., 1:] / (calm[..., :1] + LEVEL)
    if not ring.any():
        return np.zeros(opening.shape, np.float32)
    off = np.linalg.norm(hues - np.median(hues[ring], axis=0), axis=-1)
    return np.minimum(off / LID_HUES, 1).astype(np.float32)


def _limbus(lab: Floats, points: Floats, eye: int, opening: Floats) -> tuple[Floats, float]:
    """Middle and radius of an iris: the circle, near the mesh's, outside which it gets lighter most.

    Looked for at its sides and below, where the white is seen: it is lighter than the iris, whatever the iris's colour.
    """
    ring = points[list(mesh.IRISES[eye])]
    start, size = ring[0], float(np.mean(np.hypot(*(ring[1:] - ring[0]).T)))
    up, _ = mesh.upright(points)
    lean = np.arctan2(-up[0], -up[1])
    arcs = [np.radians(np.arange(m - h, m + h + 1, 5)) - lean for m, h in ((0, 40), (180, 40), (90, 45))]

    def score(step: Floats, ends: Floats) -> Floats:
        left, right, low = (step[:, a:b, 0].mean(1) for a, b in itertools.pairwise(ends))
        return np.asarray(0.5 * np.minimum(left, right) + 0.25 * (left + right) + 0.3 * low)

    best = _circle(lab, opening, start, size, (0.95, 0.2), 0.25, arcs, score)
    return best[1:] if best[0] > 0.04 else (start, size)


def _pupil(lab: Floats, opening: Floats, middle: Floats, radius: float) -> tuple[Floats, float]:
    """Middle and radius of the pupil: the circle in the iris across which colour changes most, darker or red inside."""
    arcs = [np.radians(np.arange(0, 360, 10.0))]

    def score(step: Floats, ends: Floats) -> Floats:
        way = step.mean(1)
        size = np.linalg.norm(way, axis=-1)
        along = np.einsum("ijk,ik->ij", step, way) / np.maximum(size, 1e-6)[:, None]
        # All round: a lid's shadow changes colour on one side only.
        return np.asarray(0.4 * size + 0.6 * np.percentile(along, 30, axis=1))

    # A flash-red pupil had been wide open in the dark.
    size = (0.65 if _red(lab, opening, middle, radius) else 0.42) * radius
    best = _circle(lab, opening, middle, size, (1.0, 0.2), 0.3, arcs, score)
    return best[1:] if best[0] > 0.02 else (middle, size)


def _red(lab: Floats, opening: Floats, middle: Floats, radius: float) -> bool:
    """Whether an iris is redder within than at its rim."""
    inner, outer = _within(lab, opening, middle, radius)
    return len(inner) > 0 and len(outer) > 0 and float(np.median(inner) - np.median(outer)) > 0.03


def _within(lab: Floats, opening: Floats, middle: Floats, radius: float) -> tuple[Floats, Floats]:
    """OKLab's a of what is seen of an iris within, and at its rim."""
    y, x = np.mgrid[: lab.shape[0], : lab.shape[1]] + 0.5
    away = np.hypot(x - middle[0], y - middle[1]) / radius
    seen = opening > 0.5
    return lab[..., 1][(away < 0.5) & seen], lab[..., 1][(away > 0.8) & (away < 0.95) & seen]


def _glow(lab: Floats, guess: Guess) -> Floats:
    """How far a pixel is of the flash's glow, 0…1: nearer in red to the reddest of the iris than to its rim."""
    inner, outer = _within(lab, guess.opening, *guess.iris)
    if not len(inner) or not len(outer):
        return np.zeros(guess.opening.shape, np.float32)
    rim, core = float(np.median(outer)), float(np.quantile(inner, 0.95))
    if core - rim < GLOWS:
        return np.zeros(guess.opening.shape, np.float32)
    near = grown(guess.opening > 0.5, 2) * disc(*guess.iris, guess.opening.shape)
    return np.asarray(np.clip(2 * (lab[..., 1] - rim) / (core - rim) - 0.5, 0, 1) * near, np.float32)


def _circle(
    lab: Floats,
    opening: Floats,
    start: Floats,
    size: float,
    usual: tuple[float, float],
    stray: float,
    arcs: list[Floats],
    score: Callable[[Floats, Floats], Floats],
) -> tuple[float, Floats, float]:
    """Score, middle and radius of the circle near (``start``, ``size``) across which colour changes most.

    The integro-differential operator of J. Daugman, "High confidence visual recognition of persons by a test of
    statistical independence" (1993), over ``arcs`` (angles, radians), times how usual the circle is: radius ``usual``
    (mean, deviation) and middle within ``stray`` (deviation), in sizes. ``score`` takes the change of colour outwards
    (circles × angles × 3, in shares of the eye's lightness) and where each arc ends among the angles.
    """
    level = max(float(np.median(lab[..., 0][opening > 0.5])), 0.02) if (opening > 0.5).any() else 1.0
    calm: Any = cv2.GaussianBlur(lab / np.float32(level), (0, 0), max(0.5, 0.05 * size))
    angles = np.concatenate(arcs)
    ways = np.stack([np.cos(angles), np.sin(angles)], axis=-1)
    ends = np.cumsum([0, *(len(arc) for arc in arcs)])
    enough = np.concatenate([np.full(len(arc), 0.3 * len(arc)) for arc in arcs])
    best = (-1.0, start, size)
    for span, count in ((1.6 * stray, 9), (0.07, 7)):
        _, middle, radius = best
        scales, moves = np.linspace(1 - 2 * usual[1], 1 + 2 * usual[1], count), np.linspace(-span, span, count) * size
        if radius != size or span < 0.1:
            scales = np.linspace(0.93, 1.07, count)
        r, dx, dy = (v.ravel() for v in np.meshgrid(radius * scales, moves, moves, indexing="ij"))
        centres = middle + np.stack([dx, dy], axis=-1)

        def at(picture: Any, share: float, centres: Floats = centres, r: Floats = r) -> Any:
            places = (centres[:, None] + share * r[:, None, None] * ways).astype(np.float32) - np.float32(0.5)
            return np.asarray(cv2.remap(picture, places[..., 0], places[..., 1], cv2.INTER_LINEAR))

        weight = at(opening, 0.88) * at(opening, 1.12)
        # An arc of which little is seen says little.
        seen = np.concatenate(
            [np.repeat(weight[:, a:b].sum(1, keepdims=True), b - a, axis=1) for a, b in itertools.pairwise(ends)],
            axis=1,
        )
        counts = np.concatenate([np.full(len(arc), len(arc)) for arc in arcs])
        weight = weight * counts / np.maximum(seen, enough)
        step = (at(calm, 1.12) - at(calm, 0.88)) * weight[..., None]
        away = np.hypot(*(centres - start).T) / size
        likely = np.exp(-0.5 * (away / stray) ** 2 - 0.5 * ((r / size - usual[0]) / usual[1]) ** 2)
        scores = score(step, ends) * likely
        first = int(np.argmax(scores))
        if scores[first] > best[0]:
            best = (float(scores[first]), centres[first], float(r[first]))
    return best
