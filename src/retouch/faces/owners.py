"""Whose each pixel is, where several people are on one picture.

A small network tells how likely a pixel is of each body, by what rules tell of it (:mod:`retouch.faces.bodies`); it was
taught on made-up people put together by ``demo/teach_owners.py``. Borders follow the picture's edges.
"""

from functools import cache
from pathlib import Path

import cv2
import numpy as np

from retouch.faces.bodies import SOFT, Crowd, crowd, laid, seen
from retouch.segment.cells import eight
from retouch.segment.net import Net
from retouch.types import Floats

NET = Path(__file__).with_name("owners_net.npz")
MINE = 1
"""Place of one's own among the classes of the network; the other is somebody else's."""
LEAST = 1e-3
"""How unlikely at most the network holds anything."""
SURELY, INNER, PIECE = 0.3, 3, 0.02
"""By how much a body is likelier than any other where it surely is, pixels from its edge there, and the least piece of
it in squares of the face's length."""
HINT = 0.1
"""How much what the rules tell counts beside the network."""


@cache
def net() -> Net:
    """The model, read once in a process."""
    return Net.load(NET)


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
    markers = _surely(crowd(lab, person, meshes, boxes), person.shape)
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


def _surely(of: Crowd, shape: tuple[int, ...]) -> np.ndarray:
    """The number of the face whose a pixel surely is, otherwise 0 (h × w int32)."""
    scores = np.stack([_told(of, number) for number in range(len(of.bodies))])
    whose = scores.argmax(0)
    second, most = np.sort(scores, axis=0)[-2:]
    sure = (most - second > SURELY) & (of.covered > 0.5)
    out = np.zeros(of.covered.shape, np.int32)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * INNER + 1, 2 * INNER + 1))
    for number, (body, head) in enumerate(zip(of.bodies, of.heads, strict=True)):
        inner = cv2.erode(((whose == number) & sure).astype(np.uint8), disc, borderValue=1)
        _, pieces, stats, _ = cv2.connectedComponentsWithStats(inner)
        large = stats[:, cv2.CC_STAT_AREA] > PIECE * body.length**2
        large[0] = False
        out[large[pieces] | (head & (whose == number))] = number + 1
    return np.asarray(cv2.resize(out, shape[::-1], interpolation=cv2.INTER_NEAREST), np.int32)


def _told(of: Crowd, number: int) -> Floats:
    """How likely each pixel is of a body (h × w): log odds, and a little of what the rules tell."""
    likely = net().likely(*seen(of, number))[..., MINE].clip(LEAST, 1 - LEAST)
    scores = laid(of, number, np.log(likely / (1 - likely)), float(np.log(LEAST)))
    return np.asarray(scores - HINT * of.cost[number])
