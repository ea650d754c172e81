"""Where each person's body may be, and what its cloth tells, where several people are on one picture.

Who stands before whom is told by cloth: each body has the colours that are seen below its own chin, and an arm before
somebody else's chest is of its owner's colours. Where colours do not tell, the nearer by small steps of colour owns.
What these rules tell is seen by a small network (:mod:`retouch.faces.owners`), which knows what bodies look like.
"""

from typing import NamedTuple

import cv2
import numpy as np

from retouch.faces import mesh
from retouch.faces.relative import LEVEL, spread
from retouch.types import Floats

LENGTH, SIDE = 26.0, 400
"""Pixels at most of the middling face, and of the long side, on the map on which bodies are told apart."""
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
FINE, FINER, ACROSS, OVER, BELOW = 16, 6.0, 56, 36, 76
"""Pixels of a face on the window that the network sees, how much finer that is than the map at most, and how far it
reaches to both sides, above the chin and below it."""
COVERED, SOFT = 2, 0.02
"""Place of coverage among the features, and from which coverage on a pixel is somebody's."""
USUAL = 4.0
"""Of costs, so that the network sees them in the size of everything else."""


class Body(NamedTuple):
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
        """How far below the chin, and how far to the right of it, places are, in lengths of the face."""
        dx, dy = (x - self.chin[0]) / self.length, (y - self.chin[1]) / self.length
        return dx * self.down[0] + dy * self.down[1], dx * self.down[1] - dy * self.down[0]

    @staticmethod
    def chest(below: Floats, aside: Floats) -> np.ndarray:
        """Where its chest is seen, of places as :meth:`about` tells them."""
        return np.asarray((below > CHEST[0]) & (below < CHEST[1]) & (np.abs(aside) < CHEST[2]))

    def beside(self, x: Floats, y: Floats) -> Floats:
        """How far places are from where a body may be, in lengths of the face."""
        below, aside = self.about(x, y)
        half = np.where(below < 0, 0.75, np.minimum(SHOULDERS + SLOPE * below, WIDE))
        return np.asarray(np.maximum(np.abs(aside) - half, 0) + np.maximum(-below - HAIR, 0))


class Crowd(NamedTuple):
    """Everybody on a small map (h × w): ``colours`` (h × w × 3: log of lightness, hue over lightness), coverage.

    ``heads`` and ``hidden`` (n × h × w, boolean) are where each face is, and where what lies below its chin is somebody
    else's; ``places`` (n × 2 × h × w) and ``beside`` (n × h × w) are :meth:`Body.about` and :meth:`Body.beside` of all
    pixels; ``ways`` and ``cost`` (n × h × w) how far each pixel is from each over steps of colour, and the same with
    what the colours of cloth say.
    """

    bodies: list[Body]
    colours: Floats
    covered: Floats
    heads: list[np.ndarray]
    hidden: np.ndarray
    places: Floats
    beside: Floats
    ways: Floats
    cost: Floats


def crowd(lab: Floats, person: Floats, meshes: list[Floats], boxes: list[tuple[float, ...]]) -> Crowd:
    """What rules tell of everybody: see :func:`retouch.faces.owners.owners`."""
    bodies = [_body(points, np.array(box)) for points, box in zip(meshes, boxes, strict=True)]
    share = min(1.0, LENGTH / float(np.median([body.length for body in bodies])), SIDE / max(person.shape))
    size = max(8, round(person.shape[1] * share)), max(8, round(person.shape[0] * share))
    small, covered = (np.asarray(cv2.resize(v, size, interpolation=cv2.INTER_AREA), np.float32) for v in (lab, person))
    level = np.maximum(small[..., :1], 0) + np.float32(LEVEL)
    colours = np.concatenate([np.log(level), small[..., 1:] / level * HUES], axis=-1).astype(np.float32)
    colours = np.asarray(cv2.GaussianBlur(colours, (0, 0), 0.8), np.float32)
    bodies = [Body(b.middle * share, b.chin * share, b.down, b.length * share) for b in bodies]
    x, y = _places(covered.shape)
    heads = [body.ellipse(x, y, 0.42, 0.55) for body in bodies]
    hidden = _hidden(colours, covered > 0.5, bodies, heads)
    ways = _ways(colours, covered, bodies, heads, hidden)
    cost = _by_cloth(ways, colours, covered > 0.5, bodies, heads, hidden)
    places = np.array([body.about(x, y) for body in bodies], np.float32)
    beside = np.array([body.beside(x, y) for body in bodies], np.float32)
    return Crowd(bodies, colours, covered, heads, hidden, places, beside, ways, cost)


def _places(shape: tuple[int, ...]) -> tuple[Floats, Floats]:
    y, x = np.mgrid[: shape[0], : shape[1]] + 0.5
    return x, y


def seen(of: Crowd, number: int) -> tuple[Floats, np.ndarray]:
    """What the network sees of one body: features on its window (h × w × f), and where anybody is (h × w).

    Everything is relative to the body: places in lengths of its face, colours to those of its own chest.
    """
    below, aside = of.places[number]
    inside = of.covered > 0.5
    chest = Body.chest(below, aside) & inside
    own = next((c for c in (chest & ~of.hidden[number], chest, inside) if c.any()), ~inside)
    others = [n for n in range(len(of.bodies)) if n != number]
    away = of.beside[others] + 0.2 * np.abs(of.places[others, 1])
    nearest = away.argmin(0)
    theirs = np.take_along_axis(of.places[others], nearest[None, None], 0)[0]
    lengths = np.array([np.log(of.bodies[n].length / of.bodies[number].length) for n in others])

    def margin(cost: Floats) -> Floats:
        return np.asarray(np.clip((cost[others].min(0) - cost[number]) / USUAL, -2, 2))

    layers = [
        aside, below, of.covered, *np.moveaxis(of.colours - np.median(of.colours[own], axis=0), -1, 0),
        *np.moveaxis(of.colours - np.median(of.colours[inside if inside.any() else ~inside], axis=0), -1, 0),
        of.heads[number], np.any([of.heads[n] for n in others], axis=0), of.hidden[number],
        *theirs, lengths[nearest], away.min(0), margin(of.ways), margin(of.cost),
    ]  # fmt: skip
    out = np.stack([window(of, number, layer) for layer in layers], axis=-1)
    return out, out[..., COVERED] > SOFT


def window(of: Crowd, number: int, layer: Floats) -> Floats:
    """Of a layer on the whole map (h × w), what lies on the window of a body; 0 beyond."""
    size, left, top = _seat(of.bodies[number], of.covered.shape)
    way = cv2.INTER_AREA if of.bodies[number].length > FINE else cv2.INTER_LINEAR
    out = np.zeros((OVER + BELOW, 2 * ACROSS), np.float32)
    here, there = _shared(size, left, top)
    out[here] = cv2.resize(layer.astype(np.float32), size, interpolation=way)[there]
    return out


def laid(of: Crowd, number: int, scores: Floats, beyond: float) -> Floats:
    """Scores on the window of a body, on the whole map (h × w); they are ``beyond`` where the window does not reach."""
    size, left, top = _seat(of.bodies[number], of.covered.shape)
    whole = np.full(size[::-1], beyond, np.float32)
    here, there = _shared(size, left, top)
    whole[there] = scores[here]
    return np.asarray(cv2.resize(whole, of.covered.shape[::-1], interpolation=cv2.INTER_LINEAR))


def _seat(body: Body, shape: tuple[int, ...]) -> tuple[tuple[int, int], int, int]:
    """Width and height of the map as fine as the network sees it, and the window's left and top on it."""
    share = min(FINE / body.length, FINER)
    size = max(1, round(shape[1] * share)), max(1, round(shape[0] * share))
    left, top = (np.round(body.chin * share) - [ACROSS, OVER]).astype(int)
    return size, int(left), int(top)


def _shared(size: tuple[int, int], left: int, top: int) -> tuple[tuple[slice, ...], tuple[slice, ...]]:
    """Rows and columns of a window that lie on the map, and the same on the map."""
    spans = [(max(0, -low), max(0, min(long, whole - low)), low)
             for low, long, whole in ((top, OVER + BELOW, size[1]), (left, 2 * ACROSS, size[0]))]  # fmt: skip
    return tuple(slice(a, max(a, b)) for a, b, _ in spans), tuple(
        slice(a + low, max(a, b) + low) for a, b, low in spans
    )


def _body(points: Floats, box: Floats) -> Body:
    middle, down, length = box[:2] + box[2:] / 2, np.array([0.0, 1.0]), float(box[3])
    if not len(points):
        return Body(middle, middle + down * length / 2, down, length)
    up, length = mesh.upright(points)
    # A head is tilted more than its body is.
    down = (down - up) / max(float(np.hypot(*(down - up))), 1e-6)
    return Body(points.mean(0), points[mesh.CHIN], down, length)


def _hidden(colours: Floats, inside: np.ndarray, bodies: list[Body], heads: list[np.ndarray]) -> np.ndarray:
    """Where what lies below each chin is somebody else's, who stands before (n × h × w boolean).

    Cloth of one colour that lies below several chins is the one's in whose middle it lies.
    """
    eight_bits = np.clip((colours - LOW) / (HIGH - LOW) * 255, 0, 255).astype(np.uint8)
    apart = cv2.ximgproc.segmentation.createGraphSegmentation(0.6, APART, LEAST_PIECE)
    pieces = np.unique(2 * apart.processImage(eight_bits) + inside, return_inverse=True)[1].ravel()
    cloth = inside & ~np.any(heads, axis=0)
    shown, away = [], []
    for body in bodies:
        below, aside = body.about(*_places(inside.shape))
        chest = cloth & body.chest(below, aside)
        near = cloth & (below > 0) & (below < MIDDLE)
        shown.append(np.bincount(pieces, chest.ravel()) > SHOWN * body.length**2)
        away.append(
            np.bincount(pieces, (np.abs(aside) * near).ravel()) / np.maximum(np.bincount(pieces, near.ravel()), 1)
        )
    far = np.where(shown, away, np.inf)
    others = np.array(shown) & (far > far.min(0) + NEARER)
    return np.asarray(others[:, pieces].reshape(-1, *inside.shape))


def _ways(
    colours: Floats,
    covered: Floats,
    bodies: list[Body],
    heads: list[np.ndarray],
    hidden: np.ndarray,
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
        out.append(np.minimum(away, MOST) + BESIDE * body.beside(*_places(covered.shape)) + FAR * others)
    return np.asarray(np.stack(out), np.float32)


def _by_cloth(
    ways: Floats,
    colours: Floats,
    inside: np.ndarray,
    bodies: list[Body],
    heads: list[np.ndarray],
    hidden: np.ndarray,
) -> Floats:
    """Ways, and what the colours of each one's cloth say (n × h × w)."""
    x, y = _places(inside.shape)
    bins = np.clip((colours - LOW) / (HIGH - LOW) * BINS, 0, BINS - 0.01).astype(int)
    colour = (bins[..., 0] * BINS + bins[..., 1]) * BINS + bins[..., 2]
    # Hair and faces are of no cloth.
    cloth = ~np.any([body.ellipse(x, y, 0.85, 1.3) for body in bodies], axis=0)
    counts = np.asarray(cv2.GaussianBlur(cloth.astype(np.float32), (0, 0), 1.5))
    solid = cv2.erode(inside.astype(np.uint8), np.ones((3, 3))).astype(np.float32)
    sigma = ALIKE * float(np.median([body.length for body in bodies]))
    cost, whose = ways.copy(), ways.argmin(0)
    places = [(below, np.abs(aside)) for below, aside in (body.about(x, y) for body in bodies)]
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
    return cost


def _histogram(colours: np.ndarray) -> Floats:
    """Shares of colours (BINS³), with soft bins."""
    counts = np.bincount(colours, minlength=BINS**3).reshape(BINS, BINS, BINS).astype(np.float32)
    for axis in range(3):
        counts = counts + 0.6 * (np.roll(counts, 1, axis) + np.roll(counts, -1, axis))
    return np.asarray(counts.ravel() / max(float(counts.sum()), 1.0), np.float32)
