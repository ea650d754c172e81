"""Small shapes of a face and of its bearing, by where its parts lie: eyes, mouth, jaw, nose, shoulders, posture."""

from collections.abc import Iterator

import numpy as np
from pydantic import Field as Setting

from retouch.shape.field import Dab
from retouch.types import Floats, Place, Record

STEPS = 4
"""Dabs in which one shape is laid."""
SOFT = 1.0
NECK, HEAD = 0.35, 1.15
"""How far below the chin a head is turned about, and how far from its middle the turn reaches; in its heights."""


class FaceForm(Record):
    """Where the parts of a face lie, in long sides; *right* is the sitter's right.

    ``eyes``: their middles, right first; ``iris``: the radius of an iris; ``mouth``: its corners; ``jaw``: places along
    it on the right, then as many on the left; ``nose``: its wings; ``shoulders``: where they lie, by the face's height.
    """

    chin: Place
    top: Place
    eyes: tuple[Place, Place]
    iris: float = Setting(gt=0, le=1)
    mouth: tuple[Place, Place]
    jaw: list[Place] = Setting(max_length=20)
    nose: tuple[Place, Place]
    shoulders: tuple[Place, Place]


class FormAmounts(Record):
    """How much of each: see the settings of :class:`retouch.touches.reshape.Reshape`."""

    eyes: float = 0.0
    eyes_level: float = 0.0
    mouth: float = 0.0
    jaw: float = 0.0
    nose: float = 0.0
    right_shoulder: float = 0.0
    left_shoulder: float = 0.0
    posture: float = 0.0


def form_dabs(form: FaceForm, how: FormAmounts) -> Iterator[list[Dab]]:
    """The dabs of each shape that is wanted."""
    chin, top = np.array(form.chin), np.array(form.top)
    height = float(np.hypot(*(top - chin)))
    up = (top - chin) / max(height, 1e-9)
    right, left = (np.array(p) for p in form.eyes)
    if how.eyes:
        for eye in (right, left):
            # It works whole on the iris and ends before the brow.
            yield _swell(eye, 4.2 * form.iris, how.eyes)
    if how.eyes_level:
        # Half of the difference each, along the face's own axis.
        low = float((right - left) @ up) / 2 * how.eyes_level
        for eye, by in ((right, -low), (left, low)):
            yield _push(eye, 4.2 * form.iris, by * up)
    if how.mouth:
        for corner in form.mouth:
            yield _push(np.array(corner), 0.09 * height, how.mouth * height * up)
    if how.jaw:
        half = max(1, len(form.jaw) // 2)
        for place in form.jaw:
            outwards = _across(np.array(place), chin, up)
            # Neighbours along the jaw add up.
            yield _push(np.array(place), 0.2 * height, 1.5 * how.jaw * height / half * outwards)
    if how.nose:
        middle = (np.array(form.nose[0]) + np.array(form.nose[1])) / 2
        for wing in form.nose:
            outwards = np.array(wing) - middle
            yield _push(np.array(wing), 0.08 * height, how.nose * height * outwards / max(np.hypot(*outwards), 1e-9))
    for place, by in zip(form.shoulders, (how.right_shoulder, how.left_shoulder), strict=True):
        if by:
            yield _push(np.array(place), 0.55 * height, by * height * up)
    if how.posture:
        # About the neck: the head's middle goes along, and the head turns about it.
        middle, turn = chin + 0.5 * height * up, float(np.radians(how.posture)) / STEPS
        rx, ry = middle - (chin - NECK * height * up)
        x, y, radius = float(middle[0]), float(middle[1]), HEAD * height
        yield [
            dab
            for _ in range(STEPS)
            for dab in (
                Dab("push", x, y, radius, 0.45, -turn * ry, turn * rx),
                Dab("turn", x, y, radius, 0.45, amount=turn),
            )
        ]


def proportions(before: Floats, after: Floats, height: float) -> float:
    """How far places of a face (n × 2) have moved against each other at most, as a share of its height.

    What a turn, a shift or another size of the whole explains is taken off first, by least squares (B. K. P. Horn,
    1987, in the plane).
    """
    a, b = (p - p.mean(0) for p in (before, after))
    first, second = a[:, 0] + 1j * a[:, 1], b[:, 0] + 1j * b[:, 1]
    whole = (np.conj(first) @ second) / max(float(np.abs(first @ np.conj(first))), 1e-12)
    return float(np.abs(second - whole * first).max() / height)


def _across(place: Floats, chin: Floats, up: Floats) -> Floats:
    """From the face's axis outwards to a place: a unit vector."""
    off = place - chin
    off = off - (off @ up) * up
    return np.asarray(off / max(float(np.hypot(*off)), 1e-9))


def _push(at: Floats, radius: float, by: Floats) -> list[Dab]:
    """Dabs that go along with what they push."""
    steps = [(at + by * (n + 0.5) / STEPS) for n in range(STEPS)]
    dx, dy = (by / STEPS).tolist()
    return [Dab("push", float(x), float(y), radius, SOFT, dx, dy) for x, y in steps]


def _swell(at: Floats, radius: float, by: float) -> list[Dab]:
    return [Dab("swell", float(at[0]), float(at[1]), radius, 0.6, amount=float(np.log1p(by)) / STEPS)] * STEPS
