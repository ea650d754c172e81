"""Skin, hair and the face itself: see :mod:`retouch.faces.outlines` for what pictures and landmarks are.

What a pixel is, is told by boosted trees on features that are relative to the face (:mod:`retouch.faces.relative`),
and by a small network that sees their forms, so that a cap is not taken for hair; they were taught on made-up sitters
by ``demo/teach.py`` and ``demo/teach_net.py``. Then what hangs together with somebody stays, and edges follow the
picture's.
"""

from functools import cache
from pathlib import Path

import cv2
import numpy as np
from scipy.special import softmax

from retouch.faces import mesh
from retouch.faces.found import Map
from retouch.faces.outlines import filled, grown, loop, smooth
from retouch.faces.relative import FINE, SCALE, Seen, measured
from retouch.frame import Frame
from retouch.segment.guided import guided
from retouch.segment.net import Net
from retouch.segment.trees import Trees
from retouch.types import Encoded, Floats

MODEL = Path(__file__).with_name("skin_hair.npz")
NET = Path(__file__).with_name("skin_hair_net.npz")
FORMS = 0.65
"""How much the network counts beside the trees, whose map is twice as fine: mean of logs (a product of experts, G.
Hinton, 2002); for sitters by chance whom neither saw 0.6 … 0.7 are alike."""
LEAST = 1e-4
"""How unlikely at most each of them holds anything."""
SKIN, HAIR, OTHER = 0, 1, 2
"""Places of these among the classes of the model; other is cloth, things and what is behind."""
REACH = 9.0
"""How far from the face anything of a person is looked for, in lengths of the face."""
JAW, SIDES = 0.03, 0.1
"""How far skin beyond the mesh's oval is still face, in lengths of the face."""
DOUBT, GUESS = 0.3, 0.9
"""Share of what may be skin (or hair) and might as well not be, from which the program says that it is not sure; and
from which hair is a mere guess, so that none is said to be found: folds of a scarf, the gap beside a face. A beard is
doubtful at every strand."""
WINDOW, EDGE = 0.02, 3e-5
"""Of the lines by which edges are followed: lengths of the face, and the least variance of colour that counts."""
CRISP = 1.6
"""How much steeper coverage goes from none to all than what is likely."""
SURELY = 0.95
"""Where the network holds something to be as likely as this no tree is asked, which changed nothing: on the sitters
that it did not see three pixels of four are such."""


@cache
def trees() -> Trees:
    """The model, read once in a process."""
    return Trees.load(MODEL)


@cache
def net() -> Net:
    """The model of forms, read once in a process."""
    return Net.load(NET)


def around(marks: Floats, own: Map, width: int, height: int) -> Frame:
    """The frame on which skin and hair of a person are looked for: all that may be the person's, as fine as needed.

    ``marks`` is the mesh in long sides, ``own`` the person's coverage; ``width`` and ``height`` are the picture's.
    """
    _, length = mesh.upright(marks)
    unit = max(width, height)
    share = min(1.0, SCALE * FINE / max(length * unit, 1.0))
    whole = Frame.whole(max(1, round(width * share)), max(1, round(height * share)))
    ys, xs = np.nonzero(own.coverage > 12)
    if not len(xs):
        return whole
    scale, margin = whole.unit / own.frame.unit, 0.3 * length * whole.unit
    # A small face may be all that was found of a crowd: nobody reaches further than this from it.
    low, high = (marks.mean(0) + side * REACH * length for side in (-1, 1))
    x0 = max(0, int(max((xs.min() + own.frame.x) * scale - margin, low[0] * whole.unit)))
    y0 = max(0, int(max((ys.min() + own.frame.y) * scale - margin, low[1] * whole.unit)))
    x1 = min(whole.width, int(min((xs.max() + own.frame.x + 1) * scale + margin, high[0] * whole.unit)) + 1)
    y1 = min(whole.height, int(min((ys.max() + own.frame.y + 1) * scale + margin, high[1] * whole.unit)) + 1)
    return Frame(whole.width, whole.height, x0, y0, max(1, x1 - x0), max(1, y1 - y0))


def skin_and_hair(lab: Floats, points: Floats, own: Floats) -> tuple[Floats, Floats, Floats]:
    """How likely each pixel of a person is skin, hair, and no part of a body, on a small map (h × w) of the frame.

    ``lab`` is OKLab (h × w × 3) on the frame of :func:`around`, ``points`` the mesh in its pixels, ``own`` the person's
    coverage there.
    """
    seen = measured(lab, points, own)
    if seen is None:
        none = np.zeros((8, 8), np.float32)
        return none, none, none
    likely = _told(seen)
    points = points * (seen.there.shape[1] / lab.shape[1])
    skin, hair = likely[..., SKIN], likely[..., HAIR]
    skin = skin * _hanging_together(skin, points, skin=True)
    hair = hair * _hanging_together(hair, points, skin=False)
    return skin, np.zeros_like(hair) if _doubtful(hair) > GUESS else hair, likely[..., OTHER]


def _told(seen: Seen) -> Floats:
    """How likely each pixel is of each class (h × w × 4), by its own features and by the forms round about it."""
    maps, there, box = seen.halved()
    forms = np.log(net().likely(maps, there) + LEAST)
    size = 2 * forms.shape[1], 2 * forms.shape[0]
    rows, columns = seen.there[box].shape
    forms = np.asarray(cv2.resize(forms, size, interpolation=cv2.INTER_LINEAR), np.float32)[:rows, :columns]
    logs = forms[seen.there[box]]
    asked = logs.max(axis=1) < np.log(SURELY)
    logs[asked] = (1 - FORMS) * np.log(trees().likely(seen.values[asked]) + LEAST) + FORMS * logs[asked]
    out = np.zeros((*seen.there.shape, logs.shape[1]), np.float32)
    out[seen.there] = softmax(logs, axis=1)
    return out


def _hanging_together(likely: Floats, points: Floats, skin: bool) -> Floats:
    """1 where a piece belongs to the person, 0 where it is small or lies apart from where skin or hair can be."""
    up, length = mesh.upright(points)
    count, names = cv2.connectedComponents((likely > 0.5).astype(np.uint8), connectivity=4)
    if count < 2:
        return np.ones(likely.shape, np.float32)
    sizes = np.bincount(names.ravel(), minlength=count) / length**2
    head = loop(points, mesh.OVAL, likely.shape) > 0.5
    y, x = np.mgrid[: likely.shape[0], : likely.shape[1]] + 0.5
    chin = points[mesh.CHIN]
    height = ((x - chin[0]) * up[0] + (y - chin[1]) * up[1]) / length
    near = grown(head, (0.25 if skin else 0.35) * length)
    if skin:
        near |= height < -0.05
    touching = np.bincount(names.ravel(), near.ravel(), count) > 0
    keep = touching & (sizes > (0.004 if skin else 0.006))
    keep[0] = True
    return np.asarray(keep[names], np.float32)


def sure(likely: Floats) -> bool:
    """Whether what is likely on a small map is clearly told from everything else."""
    return _doubtful(likely) <= DOUBT


def _doubtful(likely: Floats) -> float:
    """Share of what may be something that might as well not be."""
    maybe = (likely > 0.25) & (likely < 0.75)
    return float(maybe.sum() / max(int((likely > 0.25).sum()), 1))


def lined(likely: Floats, colours: Encoded, points: Floats) -> Floats:
    """What is likely on a small map as a local line of its colours (h × w × 4), by which it follows finer edges.

    The line is taken where both are equally coarse: against finer colours than it was told by, what is likely would
    only seem to follow them a little. ``likely`` is 0 … 1 (h × w), ``colours`` are encoded (h × w × 3), ``points`` is
    the mesh in pixels of the map (478 × 2).
    Source: K. He, J. Sun, "Fast guided filter" (2015).
    """
    _, length = mesh.upright(points)
    return guided(colours, likely, max(1, round(WINDOW * length)), EDGE)


def settled(skin: Floats, hair: Floats, points: Floats, own: Floats) -> tuple[Floats, Floats]:
    """Coverage of skin and hair, from how likely they are where edges are; all h × w, 0 … 1, on one frame.

    ``points`` is the mesh in its pixels, ``own`` the person's coverage.
    """
    shape = own.shape
    _, length = mesh.upright(points)
    there = own > 0.5
    skin, hair = (np.clip((likely - 0.5) * CRISP + 0.5, 0, 1) for likely in (skin, hair))
    inside = np.max([loop(points, n, shape) for n in (*mesh.EYES, mesh.LIPS)], axis=0)
    # Beyond what is surely the person's, its soft rim is hair where hair is near.
    rim = (own > 0) & ~there
    hair = np.where(rim & grown(hair > 0.5, 0.04 * length), 1, hair * there) * own
    skin = np.minimum(skin * (1 - inside) * there, 1 - hair)
    return np.asarray(skin, np.float32), np.asarray(hair, np.float32)


def face(points: Floats, own: Floats, skin: Floats, hair: Floats, other: Floats) -> Floats:
    """The face: the mesh's oval, and skin round it up to the hair, the ears and the jaw, less what covers it."""
    shape = own.shape
    up, length = mesh.upright(points)
    rim = points[list(mesh.OVAL)]
    middle = rim.mean(0)
    above = (rim - middle) @ up
    # The mesh ends below the hairline, within the jaw, and before a turned face's further rim.
    higher = rim + np.outer(np.clip(above, 0, None) * 0.45, up)
    outwards = (rim - middle) / np.hypot(*(rim - middle).T)[:, None]
    lower = rim + outwards * np.where(above > 0.35 * length, 0, JAW * length)[:, None]
    aside = np.array([-up[1], up[0]])
    reach = SIDES * length * np.clip(1 - np.abs(above / (0.5 * length)), 0, 1)
    wider = rim + np.outer(np.sign((rim - middle) @ aside) * reach, aside)
    wide = np.max([filled(smooth(line), shape) for line in (higher, lower, wider)], axis=0)
    inner = np.maximum(loop(points, mesh.OVAL, shape), wide * (skin > 0.5))
    covered = np.maximum(hair, np.clip(2 * other - 0.5, 0, 1))
    return np.asarray(np.minimum(inner, own) * (1 - covered), np.float32)
