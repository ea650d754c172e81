"""What a repair chooses once and keeps in the sheet: where a patch takes its pixels from."""

from collections.abc import Sequence
from math import hypot

import numpy as np

from retouch.colour.tones import clipped_oklab
from retouch.frame import Frame
from retouch.mend.source import FARTHEST, search, snap
from retouch.render.plan import Renderer
from retouch.sheet import Touch
from retouch.touches.repair import Patch, Repair
from retouch.types import Coverage, Encoded, Floats, PictureError

BRUSH, LONGEST = 11, 90
"""Pixels of the brush, and at most of a patch, on the frame on which a source is searched."""
SNAPS, PATTERN = 24, 400
"""Pixels round about in which a pattern is met, and at most of a patch on the frame on which that is tried."""
FEATURES = ("eye-whites", "irises", "brows", "lips", "hair")

Offset = tuple[float, float]


class _Nothing:
    """A memory that keeps nothing."""

    below = ""

    def kept(self, name: str, frame: Frame) -> Floats | None:
        return None

    def keep(self, name: str, frame: Frame, values: Floats) -> None:
        pass


def source_for(renderer: Renderer, touch: str, patch: Patch, avoid: Sequence[Offset]) -> Offset:
    """The offset to a source for a patch of a repair, in long sides: whole pixels of the original.

    Of the picture as it lies below the patch: those before it in the touch are there. A spot on skin takes skin, one
    on a person the person, one on the backdrop the backdrop; never brows, eyes or lips.

    Raises
    ------
    PictureError
        If the touch is not a repair, the patch lies outside the picture, or nothing near is like it.
    """
    left, top, right, bottom = patch.bounds
    extent, size = max(right - left, bottom - top), max(s.size for s in patch.strokes)
    whole = renderer.scaled(min(BRUSH / size, LONGEST / extent))
    half = extent / 2 * whole.unit
    box, window = _window(patch, whole, round(FARTHEST * half + 8))
    picture = _below(renderer, touch, patch, window)
    covered = Coverage(np.zeros(window.shape, np.float32))
    covered[box.slices_in(window)] = patch.covered(box)
    to_pixels = [(round(x * whole.unit), round(y * whole.unit)) for x, y in avoid]
    found = search(clipped_oklab(picture), covered, _allowed(renderer, covered, window), to_pixels)
    if found is None:
        raise PictureError("Nothing near is like this place. Point at where it should come from (P).")
    return _whole_pixels(renderer, found, whole)


def snapped(renderer: Renderer, touch: str, patch: Patch) -> Offset:
    """The offset near a patch's own at which a repeated pattern meets itself; its own where nothing fits better.

    Raises
    ------
    PictureError
        As :func:`source_for`; or if the patch has no source.
    """
    if patch.source is None:
        raise PictureError("This patch has no source yet. Point at where it should come from (P).")
    left, top, right, bottom = patch.bounds
    whole = renderer.scaled(min(1e9, PATTERN / max(right - left, bottom - top)))
    dx, dy = (round(v * whole.unit) for v in patch.source)
    box, window = _window(patch, whole, round(hypot(dx, dy)) + SNAPS + PATTERN // 2)
    covered = Coverage(np.zeros(window.shape, np.float32))
    covered[box.slices_in(window)] = patch.covered(box)
    found = snap(_below(renderer, touch, patch, window), covered, (dx, dy), SNAPS)
    return patch.source if found == (dx, dy) else _whole_pixels(renderer, found, whole)


def _window(patch: Patch, whole: Frame, round_about: int) -> tuple[Frame, Frame]:
    box = whole.within(*patch.bounds)
    if box is None:
        raise PictureError("This patch lies outside the picture.")
    return box, box.grown(round_about)


def _whole_pixels(renderer: Renderer, offset: tuple[int, int], whole: Frame) -> Offset:
    unit = max(renderer.picture.width, renderer.picture.height)
    x, y = (round(v * unit / whole.unit) / unit for v in offset)
    return x, y


def _below(renderer: Renderer, touch: str, patch: Patch, frame: Frame) -> Encoded:
    """The picture below a patch on ``frame``: below its touch, with the patches before it."""
    step = next((s for s in renderer.sheet.steps() if s.id == touch), None)
    if not isinstance(step, Touch) or not isinstance(step.settings, Repair):
        raise PictureError("The repair is no longer there.")
    patches = step.settings.patches
    stands = next((n for n, p in enumerate(patches) if p.id == patch.id), len(patches))
    before = step.settings.model_copy(update={"patches": patches[:stands]})
    around = before.spread(frame)
    canvas = renderer.below(touch, around)
    before.draw(canvas, around, _Nothing())
    return Encoded(canvas[frame.slices_in(around)])


def _allowed(renderer: Renderer, covered: Coverage, frame: Frame) -> Coverage:
    """Where a source may lie: in what the patch lies in itself, of what was found."""
    found = renderer.found()
    if found is None:
        return Coverage(np.ones(frame.shape, np.float32))

    def of(name: str) -> Coverage:
        return found.coverage(name, 0, frame, renderer.original)

    inside = covered > 0.02

    def lies_in(coverage: Coverage) -> bool:
        return float(coverage[inside].mean()) > 0.5

    person = of("person")
    if not lies_in(person):
        return Coverage(1 - person) if found.has("person") else Coverage(np.ones(frame.shape, np.float32))
    allowed = skin if lies_in(skin := of("skin")) else person
    for name in FEATURES:
        feature = of(name)
        if not lies_in(feature):
            allowed = Coverage(allowed * (1 - feature))
    return allowed
