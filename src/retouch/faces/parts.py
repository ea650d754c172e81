"""The parts of a face, from its landmarks and the picture's colours round them.

Pictures are OKLab (h × w × 3, float32), landmarks pixels of that picture (478, 2), coverages 0…1 (h × w, float32).
"""

import itertools
from collections.abc import Callable, Sequence
from typing import Any

import cv2
import numpy as np
from scipy.interpolate import CubicSpline
from scipy.spatial import cKDTree

from retouch.faces import mesh
from retouch.faces.person import cut8
from retouch.types import Floats

LEVEL = 0.1
"""Added to lightness where chroma is divided by it: what is shaded keeps its hue and its a / L, b / L."""
RIM = 1.0
"""Where the white begins, in radii of the iris."""


HUE_OF_WHITE, LIGHT_OF_WHITE = 0.65, 0.35
"""How far from the white towards the skin's hue, and how light beside the lightest, an eye's white still is."""
UPPER_LID, LOWER_LID = 0.1, 0.1
"""How much nearer to the line between its corners an eye's opening is than the mesh, by its height there."""


def loop(points: Floats, numbers: Sequence[int], shape: tuple[int, int]) -> Floats:
    """The inside of a closed smooth curve through some landmarks."""
    return filled(_smooth(points[list(numbers)]), shape)


def _smooth(points: Floats) -> Floats:
    t = np.arange(len(points) + 1)
    spline = CubicSpline(t, np.vstack([points, points[:1]]), bc_type="periodic")
    return np.asarray(spline(np.linspace(0, len(points), 8 * len(points) + 1)))


def filled(line: Floats, shape: tuple[int, int]) -> Floats:
    """The inside of a closed line (n, 2), with a soft pixel at its edge."""
    out = np.zeros(shape, np.uint8)
    # The middle of the first pixel is at 0.5 in pixels of the picture, and at 0 for the drawing.
    cv2.fillPoly(out, [np.round((line - 0.5) * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    return out.astype(np.float32) / 255


def _disc(middle: Floats, radius: float, shape: tuple[int, int]) -> Floats:
    y, x = np.mgrid[: shape[0], : shape[1]] + 0.5
    return np.clip(radius + 0.5 - np.hypot(x - middle[0], y - middle[1]), 0, 1).astype(np.float32)


def _grown(mask: np.ndarray, by: float) -> np.ndarray:
    """A boolean map grown (negative: shrunk) by some pixels."""
    size = 2 * max(1, round(abs(by))) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))
    change = cv2.dilate if by > 0 else cv2.erode
    return np.asarray(change(mask.astype(np.uint8), disc)) > 0


def _hues(lab: Floats) -> Floats:
    """Chroma by lightness, and lightness less weighted: what a skin's shading leaves nearly as it is (h × w × 3)."""
    level = lab[..., 0] + LEVEL
    return np.stack([lab[..., 1] / level, lab[..., 2] / level, 0.12 * np.log(level)], axis=-1)


def skin_and_hair(lab: Floats, points: Floats, own: Floats) -> tuple[Floats, Floats]:
    """Coverage of a person's skin and hair on a map of the whole picture; ``own`` is the person's.

    No fixed colours: skin is what is more like this face's cheeks, forehead, nose and chin than like the hair over its
    forehead or the clothing at the lower edge, by hue, structure and, less, light. Each class is known by examples from
    its own place; a pixel belongs to the class whose examples are nearest (E. Fix, J. Hodges, 1951).
    """
    shape = own.shape
    up, length = mesh.upright(points)
    there = own > 0.5
    y, x = np.mgrid[: shape[0], : shape[1]] + 0.5
    # Height over the chin, in face lengths, and distance from the face's middle line.
    chin = points[mesh.CHIN]
    height = ((x - chin[0]) * up[0] + (y - chin[1]) * up[1]) / length
    aside = np.abs((x - chin[0]) * -up[1] + (y - chin[1]) * up[0]) / length

    seen = _seen(lab, max(0.8, 0.006 * length))
    oval = loop(points, mesh.OVAL, shape) > 0.5
    features = _features(points, shape, length)
    bare = _grown(oval, -0.05 * length) & ~features & there
    if bare.sum() < 20:
        return np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    middle = np.median(seen[bare], axis=0)
    off = np.sqrt(((seen[..., :2] - middle[:2]) ** 2).sum(-1)) + 0.5 * np.abs(seen[..., 3] - middle[3])
    usual = max(float(np.percentile(off[bare], 80)), 0.8)
    # A shine has lost its hue, but it is light and calm.
    calm = seen[..., 3] < np.percentile(seen[..., 3][bare], 90)
    shine = there & calm & (lab[..., 0] > 1.1 * np.median(lab[..., 0][bare])) & (height < 1.4) & (aside < 0.5)
    examples = {
        "skin": bare & (off <= 1.5 * usual),
        "hair": there & ~oval & (height > 1.02) & (height < 1.7) & (aside < 0.7) & (off > 2 * usual) & ~shine,
        "cloth": there & (height < -0.7) & (off > 2 * usual),
    }
    likely = _nearest(seen, examples, there)
    hair = np.where(shine & (height > 0), 0, likely["hair"] * (height > -1.8))
    # What hangs together with the crown.
    _, names = cv2.connectedComponents((hair > 0.5).astype(np.uint8))
    crown = np.unique(names[examples["hair"]])
    hair = np.where(np.isin(names, crown[crown > 0]) | (hair <= 0.5), hair, 0)
    hair = np.where(_grown(oval, -0.08 * length), 0, hair)
    # Beyond what is surely the person's, its soft rim is hair where hair is near.
    rim = (own > 0) & ~there
    hair = np.where(rim & _grown(hair > 0.5, 0.04 * length), 1, hair * there) * own
    inside = np.max([loop(points, n, shape) for n in (*mesh.EYES, mesh.LIPS)], axis=0)
    skin = likely["skin"] * (1 - inside) * there
    brows = np.max([loop(points, n, shape) for n in mesh.BROWS], axis=0)
    surely = (off < 3 * usual) | (shine & (height > 0))
    skin = np.where(
        (oval | shine) & (brows < 0.5) & (hair < 0.5), np.maximum(skin, surely * there * (1 - inside)), skin
    )
    filled_in = _light_holes(skin > 0.5, (inside > 0.1) | ~there, lab[..., 0], float(np.median(lab[..., 0][bare])))
    skin, hair = np.where(filled_in, 1, skin), np.where(filled_in, 0, hair)
    return np.asarray(skin, np.float32), np.asarray(hair, np.float32)


def _light_holes(skin: np.ndarray, other: np.ndarray, light: Floats, usual: float) -> np.ndarray:
    """Holes in the skin, away from what is known to be something ``other``, that are lighter than skin: a shine."""
    count, names = cv2.connectedComponents((~skin).astype(np.uint8), connectivity=4)
    sizes = np.maximum(np.bincount(names.ravel(), minlength=count), 1)
    bright = np.bincount(names.ravel(), light.ravel(), count) / sizes > 1.05 * usual
    touches = np.bincount(names.ravel(), other.ravel(), count) > 0
    shine = bright & ~touches
    shine[0] = False
    return np.asarray(shine[names])


def _seen(lab: Floats, blur: float) -> Floats:
    """What classes are told apart by (h × w × 4): hue by lightness (a, b), light, and structure, in like units."""
    calm = cv2.GaussianBlur(lab, (0, 0), blur)
    level = calm[..., 0] + LEVEL
    side = 2 * max(1, round(1.5 * blur)) + 1
    mean = cv2.blur(lab[..., 0], (side, side))
    rough = np.sqrt(np.maximum(cv2.blur(lab[..., 0] ** 2, (side, side)) - mean * mean, 0)) / (mean + LEVEL)
    # Of the four windows that have the pixel at a corner the calmest: the edge of a calm place is calm.
    # M. Kuwahara et al., 1976.
    reach = side // 2
    rough = np.min([np.roll(rough, (dy, dx), (0, 1)) for dy in (-reach, reach) for dx in (-reach, reach)], axis=0)
    return np.stack(
        [calm[..., 1] / level / 0.012, calm[..., 2] / level / 0.012, np.log(level) / 0.4, np.log(rough + 0.01) / 0.7],
        axis=-1,
    ).astype(np.float32)


def _nearest(seen: Floats, examples: dict[str, np.ndarray], there: np.ndarray) -> dict[str, Floats]:
    """How likely each pixel is of each class, by its distance to the class's third nearest example."""
    rng = np.random.default_rng(5)
    asked = seen[there]
    closeness = {}
    for name, chosen in examples.items():
        values = seen[chosen]
        if len(values) < 20:
            closeness[name] = np.zeros(len(asked), np.float32)
            continue
        values = values[rng.permutation(len(values))[:600]]
        away, _ = cKDTree(values).query(asked, k=[3], distance_upper_bound=40, workers=2)
        closeness[name] = (1 / (away[:, 0] ** 2 + 0.05) ** 2).astype(np.float32)
    total = np.sum(list(closeness.values()), axis=0) + 1e-9
    out: dict[str, Floats] = {}
    for name, values in closeness.items():
        likely = np.zeros(there.shape, np.float32)
        likely[there] = values / total
        calm = cv2.medianBlur((likely * 255).astype(np.uint8), 5).astype(np.float32) / 255
        out[name] = np.clip((calm - 0.5) * 2 + 0.5, 0, 1)
    return out


def _features(points: Floats, shape: tuple[int, int], length: float) -> np.ndarray:
    """Eyes, brows and lips, generously."""
    loops = [loop(points, n, shape) > 0.5 for n in (*mesh.EYES, *mesh.BROWS, mesh.LIPS)]
    return _grown(np.any(loops, axis=0), 0.02 * length)


def face(points: Floats, own: Floats, skin: Floats, hair: Floats) -> Floats:
    """The face: the mesh's oval, up to the hair where skin goes on, less what hair covers."""
    shape = own.shape
    up, _ = mesh.upright(points)
    oval = loop(points, mesh.OVAL, shape)
    # The mesh ends below the hairline: its upper half is stretched, and skin decides.
    middle = points[list(mesh.OVAL)].mean(0)
    rim = points[list(mesh.OVAL)].copy()
    above = (rim - middle) @ up
    rim += np.outer(np.clip(above, 0, None) * 0.45, up)
    wide = filled(_smooth(rim), shape)
    inner = np.maximum(oval, wide * ((skin > 0.5) | ((hair < 0.5) & (own > 0.5))))
    return np.asarray(np.minimum(inner, own) * (1 - hair), np.float32)


def brows(lab: Floats, points: Floats) -> Floats:
    """The brows: what is darker than the skin round it, in and a little over the mesh's outline.

    The skin that a brow hides is the light that a closing by a disc wider than the brow leaves (J. Serra, 1982).
    """
    shape = lab.shape[:2]
    up, length = mesh.upright(points)
    out = np.zeros(shape, np.float32)
    side = 2 * round(0.06 * length) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    calm = cv2.GaussianBlur(lab[..., 0], (0, 0), max(0.4, 0.004 * length))
    skin = cv2.GaussianBlur(cv2.morphologyEx(calm, cv2.MORPH_CLOSE, disc), (0, 0), 0.02 * length)
    darker = np.maximum(skin - calm, 0) / (skin + LEVEL)
    for numbers in mesh.BROWS:
        core = loop(points, numbers, shape) > 0.5
        higher = loop(points + 0.03 * length * up, numbers, shape) > 0.5
        wide = _grown(core | higher, 0.02 * length)
        if not core.any():
            continue
        most = float(np.percentile(darker[core | higher], 90))
        if most < 0.04:
            continue
        covered = np.clip((darker / most - 0.3) / 0.2, 0, 1)
        fade = np.clip(cv2.GaussianBlur(wide.astype(np.float32), (0, 0), max(0.5, 0.006 * length)) * 2 - 0.5, 0, 1)
        out = np.maximum(out, covered * fade)
    return out.astype(np.float32)


def eyes(lab: Floats, points: Floats, open_eyes: Sequence[int]) -> tuple[Floats, Floats, Floats]:
    """Coverage of eye whites, irises and pupils; closed eyes have none."""
    shape = lab.shape[:2]
    whites, irises, pupils = (np.zeros(shape, np.float32) for _ in range(3))
    for eye in open_eyes:
        opening = _opening(points, eye, shape)
        middle, radius = _limbus(lab, points, eye, opening)
        iris = _disc(middle, radius, shape)
        pupil = _disc(*_pupil(lab, opening, middle, radius), shape) * iris
        white = _white(lab, opening, iris)
        whites = np.maximum(whites, opening * (1 - _disc(middle, RIM * radius, shape)) * white)
        irises = np.maximum(irises, opening * iris * (1 - pupil))
        pupils = np.maximum(pupils, opening * pupil)
    return whites, irises, pupils


def _opening(points: Floats, eye: int, shape: tuple[int, int]) -> Floats:
    """Between the lids: the mesh follows the roots of the lashes, the eye itself begins a little further in."""
    there = points[list(mesh.EYES[eye])].copy()
    a, b = (points[number] for number in mesh.CORNERS[eye])
    axis = (b - a) / max(float(np.hypot(*(b - a))), 1e-9)
    across = np.array([-axis[1], axis[0]])
    up, _ = mesh.upright(points)
    high = (there - a) @ across * np.sign(across @ up)
    there -= np.outer(np.where(high > 0, UPPER_LID * high, LOWER_LID * high), across * np.sign(across @ up))
    return filled(_smooth(there), shape)


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
        return 0.5 * np.minimum(left, right) + 0.25 * (left + right) + 0.3 * low

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
        return 0.4 * size + 0.6 * np.percentile(along, 30, axis=1)

    y, x = np.mgrid[: lab.shape[0], : lab.shape[1]] + 0.5
    away = np.hypot(x - middle[0], y - middle[1]) / radius
    inner, outer = lab[(away < 0.5) & (opening > 0.5)], lab[(away > 0.8) & (away < 0.95) & (opening > 0.5)]
    red = len(inner) > 0 and len(outer) > 0 and np.median(inner[:, 1]) - np.median(outer[:, 1]) > 0.03
    # A flash-red pupil had been wide open in the dark.
    size = (0.65 if red else 0.42) * radius
    best = _circle(lab, opening, middle, size, (1.0, 0.2), 0.3, arcs, score)
    return best[1:] if best[0] > 0.02 else (middle, size)


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


def _white(lab: Floats, opening: Floats, iris: Floats) -> Floats:
    """How far a pixel of an eye's opening is white: nearer in hue to the white than to the skin round it, no lash."""
    inside = (opening > 0.8) & (iris < 0.1)
    ring = _grown(opening > 0.5, 0.35 * np.sqrt(float((opening > 0.5).sum()))) & ~_grown(opening > 0.5, 4)
    if inside.sum() < 4 or not ring.any():
        return np.ones(opening.shape, np.float32)
    calm = cv2.GaussianBlur(lab, (0, 0), 0.8)
    hues = calm[..., 1:] / (calm[..., :1] + LEVEL)
    skin = np.median(hues[ring], axis=0)
    light = calm[..., 0][inside]
    chosen = hues[inside][light >= np.median(light)]
    white = np.median(chosen[chosen[:, 0] <= np.median(chosen[:, 0])], axis=0)
    way = skin - white
    share = (hues - white) @ way / max(float(way @ way), 1e-6)
    bright = float(np.percentile(light, 75))
    return np.asarray(
        np.clip((HUE_OF_WHITE + 0.1 - share) / 0.2, 0, 1)
        * np.clip((calm[..., 0] / bright - LIGHT_OF_WHITE) / 0.1 + 0.5, 0, 1),
        np.float32,
    )


def mouth(lab: Floats, points: Floats) -> tuple[Floats, Floats]:
    """Coverage of lips and of teeth; a closed mouth shows none."""
    shape = lab.shape[:2]
    outer, inner = loop(points, mesh.LIPS, shape), loop(points, mesh.MOUTH, shape)
    lips = _lips(lab, points, outer, inner)
    if mesh.mouth_openness(points) <= mesh.OPEN_MOUTH or not (inner > 0.8).any():
        return lips, np.zeros(shape, np.float32)
    lips = lips * (1 - inner)
    lip = lab[lips > 0.8]
    if not len(lip):
        return lips, np.zeros(shape, np.float32)
    # Teeth: lighter than the mouth's dark, less red than lips and tongue.
    inside = lab[inner > 0.8]
    bright, dark = np.percentile(inside[:, 0], 92), np.percentile(inside[:, 0], 5)
    light = np.clip((lab[..., 0] - (dark + 0.3 * (bright - dark))) / (0.15 * (bright - dark) + 1e-3) + 0.5, 0, 1)
    lip_hue = float(np.median(lip[:, 1] / (lip[:, 0] + LEVEL)))
    redness = lab[..., 1] / (lab[..., 0] + LEVEL)
    tooth_hue = float(np.percentile(inside[:, 1] / (inside[:, 0] + LEVEL), 10))
    calm = np.clip(((0.4 * lip_hue + 0.6 * tooth_hue) - redness) / 0.01 + 0.5, 0, 1)
    teeth = inner * light * calm
    return lips, np.asarray(teeth, np.float32) if bright - dark > 0.08 else np.zeros(shape, np.float32)


def _lips(lab: Floats, points: Floats, outer: Floats, inner: Floats) -> Floats:
    """The mesh's outline, its edge decided by hue within a band: lips and skin differ in it under any light."""
    width = float(np.hypot(*(points[61] - points[291])))
    band = 0.09 * width
    core = _grown(outer > 0.5, -0.45 * band)
    if not core.any():
        return outer
    calm = cv2.GaussianBlur(lab, (0, 0), max(0.6, 0.012 * width))
    hues = _hues(np.asarray(calm, np.float32))
    labels = np.where(outer > 0.5, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[core], labels[~_grown(outer > 0.5, band)] = cv2.GC_FGD, cv2.GC_BGD
    middle = np.median(hues[core], axis=0)
    features = (hues - middle) * np.array([900, 900, 250]) + 128
    there = cut8(np.clip(features, 0, 255).astype(np.uint8), labels, 3)
    return np.asarray(cv2.GaussianBlur(there.astype(np.float32), (0, 0), max(0.5, 0.008 * width)), np.float32)
