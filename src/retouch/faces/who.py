"""Who is who in a sitting: faces by their traits, in groups of one sitter each."""

from collections.abc import Hashable, Sequence

import numpy as np
from scipy.cluster.hierarchy import fcluster, linkage
from scipy.spatial.distance import squareform

from retouch.faces.traits import COLOURED, SKIN, SPANS
from retouch.types import Floats

WITHIN = np.array([
    0.016, 0.0127, 0.0142, 0.0164, 0.0347, 0.0153, 0.0225, 0.0189, 0.0401, 0.0355, 0.0172,
    0.05, 0.008, 0.0062, 0.034, 0.0037, 0.0035, 0.037, 0.0054, 0.0051, 0.062, 0.0056, 0.0055,
])  # fmt: skip
"""How much each trait differs between pictures of one sitter (deviation): the choir of ``demo/again.json``."""
BETWEEN = np.array([
    0.0143, 0.0126, 0.0119, 0.0154, 0.0241, 0.0132, 0.0344, 0.0173, 0.0421, 0.039, 0.0237,
    0.087, 0.0024, 0.0019, 0.114, 0.0102, 0.0157, 0.076, 0.0092, 0.0104, 0.225, 0.0327, 0.035,
])  # fmt: skip
"""How much it differs between sitters besides."""
WEIGHT = np.array([0.4] * len(SPANS) + [1.0] * 3 * len(COLOURED))
"""Spans hang together: each of them counts for less than a colour."""
MOST = 9.0
"""What one trait may say against two being one, at most: a shadow or a cap is not another person."""
NEAR = -0.05
"""Up to this distance two are held to be one. Rather two groups too many than two people in one: names join them."""
DARK = 0.05
APART = 1e6
"""The distance of two who cannot be one: nobody is twice on a picture."""


def distances(traits: Sequence[Sequence[float | None]]) -> Floats:
    """How unlike every two faces are (count × count): the log of how much likelier two people are than one.

    A mean over what is known of both, each trait taken as normal and by itself; below 0 one is likelier. Source: the
    likelihood ratio of two-covariance models, S. Ioffe, "Probabilistic linear discriminant analysis" (2006), here with
    diagonal covariances. How light hair, brows and clothes are counts against the skin: so the lamp falls out.
    """
    values = np.array([[np.nan if v is None else v for v in one] for one in traits], float).reshape(len(traits), -1)
    skin = np.maximum(values[:, SKIN], DARK)
    for part in range(1, len(COLOURED)):
        values[:, SKIN + 3 * part] /= skin
    total, known = np.zeros((2, len(traits), len(traits)))
    for trait, within, between, weight in zip(values.T, WITHIN, BETWEEN, WEIGHT, strict=True):
        one, two = 2 * within**2, 2 * (within**2 + between**2)
        off = np.square(trait[:, None] - trait)
        said = np.minimum(0.5 * np.log(one / two) + off / 2 * (1 / one - 1 / two), MOST)
        both = np.isfinite(said)
        known += weight * both
        total += np.where(both, weight * said, 0)
    return np.where(known > 0, total / np.maximum(known, 1e-9), APART)


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
        among = apart[np.ix_(free, free)]
        # Distances of a tree are not below 0: all are shifted alike.
        least = float(among.min())
        among -= least
        np.fill_diagonal(among, 0)
        made = fcluster(linkage(squareform(among, checks=False), "average"), NEAR - least, "distance")
    else:
        made = np.ones(len(free), int)
    order = {label: first + number for number, label in enumerate(dict.fromkeys(made.tolist()))}
    for i, label in zip(free, made.tolist(), strict=True):
        out[i] = order[label]
    return [int(number) for number in out if number is not None]
