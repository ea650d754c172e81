"""What a repair chooses once and keeps in the sheet: where a patch takes its pixels from."""

from collections.abc import Sequence
from math import hypot
from typing import NamedTuple

import cv2
import numpy as np

from retouch.colour.tones import clipped_oklab
from retouch.frame import Frame, resample
from retouch.mend.fill import NONE, Tell, choose, quiet
from retouch.mend.forms import forms_about
from retouch.mend.source import FARTHEST, search, snap
from retouch.render.plan import Renderer
from retouch.sheet import Touch
from retouch.touches.repair import Filling, Patch, PatchStroke, Repair, packed
from retouch.types import Coverage, Encoded, Floats, PictureError

BRUSH, LONGEST = 11, 90
"""Pixels of the brush, and at most of a patch, on the frame on which a source is searched."""
SNAPS, PATTERN = 24, 400
"""Pixels round about in which a pattern is met, and at most of a patch on the frame on which that is tried."""
HOLE, AROUND, SEEN = 110, 0.8, 1000
"""Pixels on the long side of a hole at the size at which it is filled; how far round it is looked, in its lengths; and
on the long side of the picture on which a hole is looked for."""
COMPACT = 2
"""Lengths of a patch, in its brush's, up to which it may hide a form."""
HALF, ACROSS = 0.5, 0.2
"""Share of a patch from which it lies in something, and that lies on either side if it is on an edge."""
OUTLINED, LEAST_PIECE, MOST_PIECES = 1600, 6, 200
"""Pixels on the long side of the picture on which an area becomes outlines, and pixels and number of its pieces."""
MOSTLY = 0.85
"""Share of a hole that lies in something, from which on it is filled from that alone."""
TOO_LITTLE = "Too little of {} lies near enough to take from. Paint more of it, or take from round about."
FEATURES = ("eye-whites", "irises", "brows", "lips", "hair")

Offset = tuple[float, float]


class _Nothing:
    """A memory that keeps nothing."""

    below = ""

    def kept(self, name: str, frame: Frame) -> Floats | None:
        return None

    def keep(self, name: str, frame: Frame, values: Floats) -> None:
        pass


class Chosen(NamedTuple):
    """What was chosen for a patch: the offset to its source, in long sides, and how far forms under it stay."""

    source: Offset
    forms: float


def source_for(
    renderer: Renderer, touch: str, patch: Patch, avoid: Sequence[Offset], within: str | None = None
) -> Chosen:
    """The source for a patch of a repair, in whole pixels of the original; forms stay under a spot on skin.

    Of the picture as it lies below the patch: those before it in the touch are there. A spot on skin takes skin, one
    on a person the person, one on the backdrop the backdrop; never brows, eyes or lips. With ``within`` it is that area
    that it takes from, whatever it is.

    Raises
    ------
    PictureError
        If the touch is not a repair, the patch has no strokes or lies outside the picture, or nothing near is like it.
    """
    if not patch.strokes:
        raise PictureError("This patch was filled as a whole and takes from no single place. Ask for another try.")
    left, top, right, bottom = patch.bounds
    extent, size = max(right - left, bottom - top), max(s.size for s in patch.strokes)
    whole = renderer.scaled(min(BRUSH / size, LONGEST / extent))
    half = extent / 2 * whole.unit
    box, window = _window(patch, whole, round(FARTHEST * half + 8))
    picture = _below(renderer, touch, patch, window)
    covered = Coverage(np.zeros(window.shape, np.float32))
    covered[box.slices_in(window)] = patch.covered(box)
    to_pixels = [(round(x * whole.unit), round(y * whole.unit)) for x, y in avoid]
    allowed = _allowed(renderer, covered, window) if within is None else renderer.area(within, window, touch)
    found = search(clipped_oklab(picture), covered, allowed, to_pixels)
    if found is None and within is not None:
        raise PictureError(TOO_LITTLE.format(renderer.sheet.area(within).name or "the area"))
    if found is None:
        raise PictureError("Nothing near is like this place. Point at where it should come from (P).")
    # Of what is long and thin what is round it says enough.
    compact = patch.way == "spot" and extent <= COMPACT * size
    skin = _skin(renderer, covered, window) if compact else None
    forms = 0.0 if skin is None else round(forms_about(picture, covered, skin), 3)
    return Chosen(_whole_pixels(renderer, found, whole), forms)


def _skin(renderer: Renderer, covered: Coverage, frame: Frame) -> Coverage | None:
    """Where skin is, if that is what a patch lies on."""
    found = renderer.found()
    skin = None if found is None else found.coverage("skin", 0, frame, renderer.original)
    return skin if skin is not None and float(skin[covered > 0.02].mean()) > HALF else None


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


def _below(renderer: Renderer, touch: str, patch: Patch | None, frame: Frame) -> Encoded:
    """The picture below a patch on ``frame``: below its touch, with the patches before it."""
    step = next((s for s in renderer.sheet.steps() if s.id == touch), None)
    if not isinstance(step, Touch) or not isinstance(step.settings, Repair):
        raise PictureError("The repair is no longer there.")
    patches = step.settings.patches
    stands = next((n for n, p in enumerate(patches) if patch is not None and p.id == patch.id), len(patches))
    before = step.settings.model_copy(update={"patches": patches[:stands]})
    around = before.spread(frame)
    canvas = renderer.below(touch, around)
    before.draw(canvas, around, frame, _Nothing())
    return Encoded(canvas[frame.slices_in(around)])


def _allowed(renderer: Renderer, covered: Coverage, frame: Frame, mostly: float = HALF) -> Coverage:
    """Where a source may lie: in what the patch lies in itself by a share of ``mostly``, of what was found."""
    found = renderer.found()
    if found is None:
        return Coverage(np.ones(frame.shape, np.float32))

    def of(name: str) -> Coverage:
        return found.coverage(name, 0, frame, renderer.original)

    inside = covered > 0.02

    def lies_in(coverage: Coverage, share: float = mostly) -> bool:
        return float(coverage[inside].mean()) > share

    person = of("person")
    if mostly == HALF and found.has("person") and ACROSS < float(person[inside].mean()) < 1 - ACROSS:
        # On the edge of somebody: what is like it lies along that edge.
        return Coverage(np.ones(frame.shape, np.float32))
    if not lies_in(person):
        apart = found.has("person") and lies_in(Coverage(1 - person))
        return Coverage(1 - person if apart else np.ones(frame.shape, np.float32))
    allowed = skin if lies_in(skin := of("skin")) else person
    for name in FEATURES:
        feature = of(name)
        if not lies_in(feature):
            allowed = Coverage(allowed * (1 - feature))
    return allowed


def filling_for(
    renderer: Renderer,
    touch: str,
    patch: Patch | None,
    area: str | None,
    seed: int,
    within: str | None = None,
    tell: Tell = quiet,
) -> Filling:
    """What fills a patch's strokes, or an area: chosen at a working size, in whole pixels of the original.

    What it may come from is what was found where it lies (the backdrop for something before it); ``seed``: another
    try; ``within``: the area that it comes from instead; ``tell``: hears which share is done, 0…1, and may end it by
    raising.

    Raises
    ------
    PictureError
        If the touch is not a repair, there is nothing to fill, or nothing round about (of ``within``: too little) that
        could fill it.
    """
    whole, hole_box = _hole_box(renderer, touch, patch, area)
    side = max(hole_box.w, hole_box.h)
    share = min(1.0, HOLE / side)
    working = renderer.scaled(whole.unit * share)
    box = hole_box.at_unit(working.unit, 2)
    window = box.grown(round(AROUND * max(box.w, box.h)) + 12)
    covered = _to_fill(renderer, touch, patch, area, box)
    hole = np.zeros(window.shape, bool)
    # A little more than was meant: what is left of an edge would run in.
    wide = cv2.dilate((covered > 0.1).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    hole[box.slices_in(window)] = wide
    picture = clipped_oklab(_below(renderer, touch, patch, window))
    if within is None:
        allowed = _allowed(renderer, Coverage(hole.astype(np.float32)), window, MOSTLY) > 0.5
        chosen = choose(picture, hole, allowed, seed, tell) or choose(picture, hole, ~hole, seed, tell)
    else:
        chosen = choose(picture, hole, renderer.area(within, window, touch) > HALF, seed, tell)
        if chosen is None:
            raise PictureError(TOO_LITTLE.format(renderer.sheet.area(within).name or "the area"))
    if chosen is None:
        raise PictureError("Nothing round about could fill this place. Fill a smaller part, or clone over it.")
    labels, offsets = chosen
    unit = max(renderer.picture.width, renderer.picture.height)
    used = [n for n in range(len(offsets)) if (labels == n).any()]
    renamed = np.full(256, NONE, np.uint8)
    renamed[used] = np.arange(len(used))
    cut = renamed[labels][box.slices_in(window)]
    by = [(round(x * unit / working.unit) / unit, round(y * unit / working.unit) / unit) for x, y in offsets[used]]
    return Filling(unit=working.unit, x=box.x, y=box.y, w=box.w, h=box.h, offsets=by, labels=packed(cut))


def outlines_of(renderer: Renderer, touch: str, area: str) -> list[PatchStroke]:
    """An area as the outlines of a patch, those of holes in it taking away: as it stands now, cut at the half.

    Strokes in long sides that are filled inside and soft over two pixels of a picture of 1,600, outer ones first.

    Raises
    ------
    PictureError
        If the area covers nothing, or is in more pieces than a patch may have.
    """
    whole = renderer.scaled(OUTLINED)
    covered = (renderer.area(area, whole, touch) > HALF).astype(np.uint8)
    ways, order = cv2.findContours(covered, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    strokes = []
    for way, (_, _, _, parent) in zip(ways, order[0] if len(ways) else [], strict=True):
        way = cv2.approxPolyDP(way, 0.5, True)[:, 0]
        if len(way) > 2 and cv2.contourArea(way) >= LEAST_PIECE:
            points = [((x + 0.5) / whole.unit, (y + 0.5) / whole.unit, 1.0) for x, y in way.tolist()]
            strokes.append((parent >= 0, points))
    if not strokes:
        raise PictureError("There is nothing here to repair: the area covers nothing yet.")
    if len(strokes) > MOST_PIECES:
        raise PictureError("This area is in too many pieces for one patch. Stroke over what is to be repaired.")
    made = {"size": 2 / whole.unit, "softness": 1.0, "fill_inside": True}
    return [PatchStroke(erase=hole, points=points, **made) for hole, points in sorted(strokes, key=lambda s: s[0])]


def _hole_box(renderer: Renderer, touch: str, patch: Patch | None, area: str | None) -> tuple[Frame, Frame]:
    """The rectangle that is to be filled, on the whole picture drawn small."""
    whole = renderer.scaled(SEEN)
    if area is None and patch is not None and patch.strokes:
        box = whole.within(*patch.bounds)
    else:
        covered = _to_fill(renderer, touch, patch, area, whole) > 0.1
        rows, columns = np.flatnonzero(covered.any(1)), np.flatnonzero(covered.any(0))
        box = None
        if len(rows):
            box = Frame(*whole.scale, int(columns[0]), int(rows[0]), int(np.ptp(columns)) + 1, int(np.ptp(rows)) + 1)
    if box is None:
        raise PictureError("There is nothing here to take away: the area covers nothing yet.")
    return whole, box


def _to_fill(renderer: Renderer, touch: str, patch: Patch | None, area: str | None, frame: Frame) -> Coverage:
    if area is not None:
        return renderer.area(area, frame, touch)
    if patch is None:
        raise PictureError("There is nothing here to take away: stroke over it, or name an area.")
    if patch.strokes:
        return patch.covered(frame)
    assert patch.filling is not None
    grid = patch.filling.at(frame)
    return Coverage(resample((patch.filling.grid != NONE).astype(np.float32), grid, frame))
