"""What tells one sitter from another within a sitting: how the face is built, and its colours. No network, no names."""

from collections.abc import Sequence

import numpy as np

from retouch.colour.tones import clipped_oklab
from retouch.faces.found import Found
from retouch.frame import Frame
from retouch.segment.guided import Read
from retouch.types import Encoded, Floats

SIDE = 400
"""Pixels on the long side of the picture on which colours are measured."""
LEAST = 30
"""Pixels that say anything of a colour."""
SURE = 0.7
"""Coverage from which a pixel counts."""
SPANS = {
    "at the ears": (234, 454), "at the cheekbones": (227, 447), "forehead": (54, 284), "eyes, outside": (33, 263),
    "eyes, inside": (133, 362), "bridge": (122, 351), "nose's length": (168, 2), "forehead's height": (10, 168),
    "right brow": (105, 159), "left brow": (334, 386), "top to nose": (10, 2),
}  # fmt: skip
"""Pairs of the mesh's points (see :mod:`retouch.faces.mesh`) whose distances say how a face is built.

Of 26 that were tried these differ between people by about as much as between pictures of one, or more; widths of mouth,
nostrils, jaw and chin follow what the face does.
"""
COLOURED = ("skin", "hair", "brows", "cloth")
LENGTH = len(SPANS) + 3 * len(COLOURED)
SKIN = len(SPANS)
"""Where the skin's colour begins among the traits."""


def spans(landmarks: Sequence[Sequence[float]], depths: Sequence[float]) -> Floats:
    """Logarithms of the distances of SPANS in space, to their mean: neither the size of a face nor its turn matters."""
    at = np.column_stack([np.asarray(landmarks, np.float64), np.asarray(depths, np.float64)])
    ends = np.array(list(SPANS.values()))
    logs = np.log(np.maximum(np.linalg.norm(at[ends[:, 0]] - at[ends[:, 1]], axis=1), 1e-9))
    return np.asarray(logs - logs.mean())


def traits(found: Found, whole: Frame, read: Read) -> list[list[float | None]]:
    """Of every face its traits, as LENGTH numbers: the spans, then OKLab of its COLOURED parts; None: not known.

    Parameters
    ----------
    whole
        The whole picture at its own size.
    read
        Gives the original's encoded working colours on a frame.
    """
    share = min(1.0, SIDE / whole.unit)
    at = Frame.whole(max(1, round(whole.w * share)), max(1, round(whole.h * share)))
    lab = clipped_oklab(Encoded(read(at)))
    out = []
    for number, face in enumerate(found.faces, 1):
        built: list[float | None] = [None] * len(SPANS)
        if face.depths:
            built = [round(float(v), 4) for v in spans(face.landmarks, face.depths)]
        parts = {name: found.coverage(name, number, at, read) for name in ("skin", "face", "hair", "brows", "person")}
        # Below the chin, what is neither skin nor hair is worn.
        worn = parts["person"] - parts["skin"] - parts["hair"] - parts["face"]
        below = round(max((y for _, y in face.landmarks), default=face.box[1] + face.box[3]) * at.unit)
        worn[:below] = 0
        where = (parts["skin"] * parts["face"], parts["hair"], parts["brows"], worn)
        for coverage in where:
            there = coverage > SURE
            if there.sum() < LEAST:
                built += [None] * 3
            else:
                built += [round(float(v), 4) for v in np.median(lab[there], axis=0)]
        out.append(built)
    return out
