"""Whose each pixel is, where several people are on one picture.

Who stands before whom is told by cloth: each body has the colours that are seen below its own chin, and an arm before
somebody else's chest is of its owner's colours. Where colours do not tell, the nearer by small steps of colour owns.
"""

from typing import NamedTuple

import cv2
import numpy as np

from retouch.faces import mesh
from retouch.faces.relative import LEVEL, spread
from retouch.segment.cells import eight
from retouch.types import Floats

SOFT = 0.02
"""From which coverage on a pixel is somebody's."""
SIDE = 320
"""Pixels on the long side of the map on which bodies are told apart."""
HUES = 6.0
"""How much a step of hue, over lightness, counts against one of the log of lightness."""
STEP, FAR, MOST = 0.4, 60.0, 8.0
"""What the way across a face's length costs where colour does not change; what is out of reach; and how much the way
from a head counts at most: patterned cloth is full of steps."""
SHOULDERS, SLOPE, WIDE, HAIR, BESIDE = 0.5, 1.2, 1.25, 1.75, 2.0
"""Half the width of a body at the chin, how it grows downwards and ends, how high hair stands over the chin, all in
lengths of the face; and what it costs to lie a length beside that."""
BINS, LOW, HIGH = 16, np.array([np.log(LEVEL), -1.5, -1.5]), np.array([np.log(LEVEL) + 2.0, 1.5, 1.5])
"""Of histograms of colour, and their range."""
UNKNOWN, LEAST = 0.08 / BINS**3, 1e-2
"""How usual any colour is on anybody, and how unlikely at most a colour is somebody's."""
COLOURS, ALIKE = 3.0, 0.05
"""How much the colours of cloth count, and the standard deviation, in lengths of a face, over which they are one."""
ROUNDS = 3
"""In which colours are learnt and bodies told apart."""
APART, LEAST_PIECE = 300, 30
"""How unlike colours of two pieces of cloth are (k of P. Felzenszwalb, D. Huttenlocher, "Efficient graph-based image
segmentation", 2004), and the least pixels of one."""
CHEST, MIDDLE = (0.1, 0.9, 0.4), 1.5
"""Where a chest is seen, below the chin from and to and aside, and down to where the middle of its cloth is looked for,
in lengths of the face."""
SHOWN, NEARER = 0.02, 0.15
"""The least piece of a chest, in squares of the face's length, and by how many lengths cloth lies more in the middle
below one chin than below another, so that it is the one's."""
SURELY, INNER, PIECE = 2.0, 3, 0.1
"""By how much a body is likelier than any other where it surely is, pixels from its edge there, and the least piece of
it in squares of the face's length."""


class _Body(NamedTuple):
    """Middle of the face, chin and the way downwards (x, y), and the face's length, in pixels of a map."""

    middle: Floats
    chin: Floats
    down: Floats
    length: float

    def ellipse(self, x: Floats, y: Floats, wide: float, high: float) -> np.ndarray:
        """Within an ellipse about the face, its half axes in lengths of it."""
        off = (x - self.middle[0]) / (wide * self.length), (y - self.middle[1]) / (high * self.length)
        return np.asarray(np.hypot(*off) < 1)

    def about(self, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """How far below the chin, and how far aside of it, places are, in lengths of the face."""
        dx, dy = (x - self.chin[0]) / self.length, (y - self.chin[1]) / self.length
        return dx * self.down[0] + dy * self.down[1], np.abs(dy * self.down[0] - dx * self.down[1])


def owners(lab: Floats, person: Floats, meshes: list[Floats], boxes: list[tuple[float, ...]]) -> np.ndarray:
    """Whose each pixel is: 0 nobody's, otherwise a face's number (h × w int).

    ``lab`` is OKLab (h × w × 3), ``person`` everybody's coverage 0…1 (h × w); of each face its mesh (478 × 2, or none
    of it: 0 × 2) and its box (left, top, width, height), in pixels.
    Watershed from where each surely is, over the picture's own edges (F. Meyer, 1992).
    """
    there = person > SOFT
    if not boxes:
        return np.zeros(person.shape, int)
    if len(boxes) == 1:
        # A lone face owns everything that is a person's: nobody else is there to own it.
        return there.astype(int)
    markers = _surely(lab, person, meshes, boxes)
    markers[~there] = 0
    nobody = len(boxes) + 1
    markers[cv2.erode((~there).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0] = nobody
    flooded = cv2.watershed(cv2.GaussianBlur(eight(lab), (0, 0), 1.5), markers.copy())
    flooded[(flooded == nobody) | (flooded < 1)] = 0
    # The line between two is nobody's: it goes to the nearest.
    missing = (flooded == 0).astype(np.uint8)
    _, nearest = cv2.distanceTransformWithLabels(missing, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    names = np.zeros(nearest.max() + 1, int)
    names[nearest[flooded > 0]] = flooded[flooded > 0]
    return np.where(there, names[nearest], 0)


def _surely(lab: Floats, person: Floats, meshes: list[Floats], boxes: list[tuple[float, ...]]) -> np.ndarray:
    """The number of the face whose a pixel surely is, otherwise 0 (h × w int32)."""
    share = min(1.0, SIDE / max(person.shape))
    size = max(8, round(person.shape[1] * share)), max(8, round(person.shape[0] * share))
    small, covered = (np.asarray(cv2.resize(v, size, interpolation=cv2.INTER_AREA), np.float32) for v in (lab, person))
    level = np.maximum(small[..., :1], 0) + np.float32(LEVEL)
    colours = np.concatenate([np.log(level), small[..., 1:] / level * HUES], axis=-1).astype(np.float32)
    colours = np.asarray(cv2.GaussianBlur(colours, (0, 0), 0.8), np.float32)
    bodies = [_body(points * share, np.array(box) * share) for points, box in zip(meshes, boxes, strict=True)]
    y, x = np.mgrid[: size[1], : size[0]] + 0.5
    heads = [body.ellipse(x, y, 0.42, 0.55) for body in bodies]
    hidden = _hidden(colours, covered > 0.5, bodies, heads, x, y)
    cost = _ways(colours, covered, bodies, heads, hidden, x, y)
    whose = _by_cloth(cost, colours, covered > 0.5, bodies, heads, hidden, x, y)
    least, second = np.sort(cost, axis=0)[:2]
    sure = (second - least > SURELY) & (covered > 0.5)
    out = np.zeros(covered.shape, np.int32)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * INNER + 1, 2 * INNER + 1))
    for number, (body, head) in enumerate(zip(bodies, heads, strict=True)):
        inner = cv2.erode(((whose == number) & sure).astype(np.uint8), disc, borderValue=1)
        _, pieces, stats, _ = cv2.connectedComponentsWithStats(inner)
        large = stats[:, cv2.CC_STAT_AREA] > PIECE * body.length**2
        large[0] = False
        out[large[pieces] | (head & (whose == number))] = number + 1
    return np.asarray(cv2.resize(out, person.shape[::-1], interpolation=cv2.INTER_NEAREST), np.int32)


def _body(points: Floats, box: Floats) -> _Body:
    middle, down, length = box[:2] + box[2:] / 2, np.array([0.0, 1.0]), float(box[3])
    if not len(points):
        return _Body(middle, middle + down * length / 2, down, length)
    up, length = mesh.upright(points)
    # A head is tilted more than its body is.
    down = (down - up) / max(float(np.hypot(*(down - up))), 1e-6)
    return _Body(points.mean(0), points[mesh.CHIN], down, length)


def _hidden(
    colours: Floats, inside: np.ndarray, bodies: list[_Body], heads: list[np.ndarray], x: Floats, y: Floats
) -> np.ndarray:
    """Where what lies below each chin is somebody else's, who stands before (n × h × w boolean).

    Cloth of one colour that lies below several chins is the one's in whose middle it lies.
    """
    eight_bits = np.clip((colours - LOW) / (HIGH - LOW) * 255, 0, 255).astype(np.uint8)
    apart = cv2.ximgproc.segmentation.createGraphSegmentation(0.6, APART, LEAST_PIECE)
    pieces = np.unique(2 * apart.processImage(eight_bits) + inside, return_inverse=True)[1].ravel()
    cloth = inside & ~np.any(heads, axis=0)
    shown, away = [], []
    for body in bodies:
        below, aside = body.about(x, y)
        chest = cloth & (below > CHEST[0]) & (below < CHEST[1]) & (aside < CHEST[2])
        near = cloth & (below > 0) & (below < MIDDLE)
        shown.append(np.bincount(pieces, chest.ravel()) > SHOWN * body.length**2)
        away.append(np.bincount(pieces, (aside * near).ravel()) / np.maximum(np.bincount(pieces, near.ravel()), 1))
    far = np.where(shown, away, np.inf)
    others = np.array(shown) & (far > far.min(0) + NEARER)
    return np.asarray(others[:, pieces].reshape(-1, *inside.shape))


def _ways(
    colours: Floats,
    covered: Floats,
    bodies: list[_Body],
    heads: list[np.ndarray],
    hidden: np.ndarray,
    x: Floats,
    y: Floats,
) -> Floats:
    """How far each pixel is from each face and neck over steps of colour, and beside the body that may be there."""
    out = []
    for number, (body, head) in enumerate(zip(bodies, heads, strict=True)):
        neck = np.zeros(covered.shape, np.uint8)
        (ax, ay), (bx, by) = body.chin.astype(int), (body.chin + 0.6 * body.length * body.down).astype(int)
        cv2.line(neck, (int(ax), int(ay)), (int(bx), int(by)), 1, max(1, round(0.3 * body.length)))
        others = np.any([h for n, h in enumerate(heads) if n != number], axis=0)
        away = np.where((head | ((neck > 0) & ~hidden[number])) & ~others, np.float32(0), np.float32(FAR))
        closed = np.maximum(covered < 0.15, 3 * others).astype(np.float32)
        spread(np.ascontiguousarray(colours), closed, away, np.float32(STEP / body.length))
        below, aside = body.about(x, y)
        half = np.where(below < 0, 0.75, np.minimum(SHOULDERS + SLOPE * below, WIDE))
        beside = np.maximum(aside - half, 0) + np.maximum(-below - HAIR, 0)
        out.append(np.minimum(away, MOST) + BESIDE * beside + FAR * others)
    return np.asarray(np.stack(out), np.float32)


def _by_cloth(
    cost: Floats,
    colours: Floats,
    inside: np.ndarray,
    bodies: list[_Body],
    heads: list[np.ndarray],
    hidden: np.ndarray,
    x: Floats,
    y: Floats,
) -> np.ndarray:
    """Whose each pixel is (h × w int); what the colours of each one's cloth say is added to ``cost`` in place."""
    bins = np.clip((colours - LOW) / (HIGH - LOW) * BINS, 0, BINS - 0.01).astype(int)
    colour = (bins[..., 0] * BINS + bins[..., 1]) * BINS + bins[..., 2]
    # Hair and faces are of no cloth.
    cloth = ~np.any([body.ellipse(x, y, 0.85, 1.3) for body in bodies], axis=0)
    counts = np.asarray(cv2.GaussianBlur(cloth.astype(np.float32), (0, 0), 1.5))
    solid = cv2.erode(inside.astype(np.uint8), np.ones((3, 3))).astype(np.float32)
    sigma = ALIKE * float(np.median([body.length for body in bodies]))
    ways, whose = cost.copy(), cost.argmin(0)
    places = [body.about(x, y) for body in bodies]
    known = [
        (below > 0.1) & (below < 0.75) & (aside < 0.35) & inside & (whose == n) & ~np.any(heads, axis=0) & ~hidden[n]
        for n, (below, aside) in enumerate(places)
    ]
    for _ in range(ROUNDS):
        usual = np.stack([_histogram(colour[own])[colour] for own in known]) + UNKNOWN
        unlike = -np.log(np.maximum(usual / usual.sum(0), LEAST))
        for number, off in enumerate(unlike - unlike.min(0)):
            calm = cv2.GaussianBlur(off.astype(np.float32) * solid, (0, 0), sigma)
            calm /= np.maximum(cv2.GaussianBlur(solid, (0, 0), sigma), 1e-3)
            cost[number] = ways[number] + COLOURS * counts * calm
        whose = cost.argmin(0)
        known = [
            (below > 0.1) & (below < 1.6) & (aside < 0.9) & inside & (whose == n) & (counts > 0.5)
            for n, (below, aside) in enumerate(places)
        ]
    return np.asarray(whose)


def _histogram(colours: np.ndarray) -> Floats:
    """Shares of colours (BINS³), with soft bins."""
    counts = np.bincount(colours, minlength=BINS**3).reshape(BINS, BINS, BINS).astype(np.float32)
    for axis in range(3):
        counts = counts + 0.6 * (np.roll(counts, 1, axis) + np.roll(counts, -1, axis))
    return np.asarray(counts.ravel() / max(float(counts.sum()), 1.0), np.float32)
