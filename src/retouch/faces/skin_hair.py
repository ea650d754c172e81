"""Skin, hair and the face itself, by this face's own colours and structure: see :mod:`retouch.faces.outlines`."""

import cv2
import numpy as np
from scipy.spatial import cKDTree

from retouch.faces import mesh
from retouch.faces.outlines import LEVEL, filled, grown, loop, smooth
from retouch.types import Floats


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
    bare = grown(oval, -0.05 * length) & ~features & there
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
    hair = np.where(grown(oval, -0.08 * length), 0, hair)
    # Beyond what is surely the person's, its soft rim is hair where hair is near.
    rim = (own > 0) & ~there
    hair = np.where(rim & grown(hair > 0.5, 0.04 * length), 1, hair * there) * own
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
    return grown(np.any(loops, axis=0), 0.02 * length)


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
    wide = filled(smooth(rim), shape)
    inner = np.maximum(oval, wide * ((skin > 0.5) | ((hair < 0.5) & (own > 0.5))))
    return np.asarray(np.minimum(inner, own) * (1 - hair), np.float32)
