"""Who is who in a sitting: faces by their traits, in groups of one sitter each."""

from collections.abc import Hashable, Sequence

import numpy as np
from scipy.cluster.hierarchy import fcluster, linkage
from scipy.spatial.distance import squareform

from retouch.faces.traits import COLOURED, SPANS
from retouch.types import Floats

SPREAD = np.array([0.03] * len(SPANS) + [0.06, 0.02, 0.02] * len(COLOURED))
"""How much each trait differs between two pictures of one sitter."""
NEAR = 1.6
"""Up to this distance two are held to be one."""
APART = 1e6
"""The distance of two who cannot be one: nobody is twice on a picture."""


def distances(traits: Sequence[Sequence[float | None]]) -> Floats:
    """How unlike every two faces are (count × count): the mean, in squares, of what is known of both."""
    values = np.array([[np.nan if v is None else v for v in one] for one in traits]).reshape(len(traits), -1) / SPREAD
    total, known = np.zeros((2, len(traits), len(traits)))
    for trait in values.T:
        off = np.square(trait[:, None] - trait)
        both = np.isfinite(off)
        known += both
        total += np.where(both, off, 0)
    return np.sqrt(np.where(known > 0, total / np.maximum(known, 1), APART**2))


def groups(
    traits: Sequence[Sequence[float | None]], pictures: Sequence[Hashable], given: Sequence[int | None] = ()
) -> list[int]:
    """The number of each face's group.

    Parameters
    ----------
    traits
        As :func:`retouch.faces.traits.traits` gives them.
    pictures
        The picture that each face is on.
    given
        Numbers of groups that are known already, from 0; None: not known. Whoever is known stays, and others come to
        them or make groups with higher numbers.
    """
    count = len(pictures)
    out: list[int | None] = list(given) if given else [None] * count
    if not count:
        return []
    apart = distances(traits)
    places = {picture: number for number, picture in enumerate(dict.fromkeys(pictures))}
    where = np.array([places[picture] for picture in pictures])
    apart[(where[:, None] == where) & ~np.eye(count, dtype=bool)] = APART
    taken = {number for number in out if number is not None}
    # First to those who are known: whoever is nearest comes first, and only one of a picture comes to each.
    here = {number: [i for i in range(count) if out[i] == number] for number in taken}
    free = [i for i in range(count) if out[i] is None]
    ways = sorted((float(apart[i, here[number]].mean()), i, number) for number in sorted(taken) for i in free)
    for near, i, number in ways:
        if near <= NEAR and out[i] is None and all(apart[i, j] < APART for j in range(count) if out[j] == number):
            out[i] = number
    free = [i for i in range(count) if out[i] is None]
    first = max(taken, default=-1) + 1
    if len(free) > 1:
        tree = linkage(squareform(apart[np.ix_(free, free)], checks=False), "average")
        made = fcluster(tree, NEAR, "distance")
    else:
        made = np.ones(len(free), int)
    order = {label: first + number for number, label in enumerate(dict.fromkeys(made.tolist()))}
    for i, label in zip(free, made.tolist(), strict=True):
        out[i] = order[label]
    return [int(number) for number in out if number is not None]
