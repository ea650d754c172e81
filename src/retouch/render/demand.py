"""One drawing: what is wanted is worked out from the last stage to the first, then every stage is drawn once."""

from typing import TYPE_CHECKING, Any, NamedTuple

import numba
import numpy as np

from retouch.bands import in_bands
from retouch.colour.tones import lightness, ramp
from retouch.frame import Frame
from retouch.kernels import kernel
from retouch.render.lay import blended, lay
from retouch.render.maps import spread_over
from retouch.render.seeing import Coverages, Named, Rects
from retouch.render.stages import Stage
from retouch.render.table import apply_table, mix, table_of
from retouch.sheet import Set, ToneLimit, Touch
from retouch.touches.base import Drawn, Maps, Near, Placed, Point, Wide
from retouch.types import Coverage, Encoded, Floats, digest_of

if TYPE_CHECKING:
    from retouch.render.plan import Renderer


Box = tuple[int, int, int, int]
"""Top, bottom, left and right."""
NOWHERE: Box = (0, 0, 0, 0)


class _Held(NamedTuple):
    """A stage on a rectangle; ``own``: nobody else holds the array."""

    frame: Frame
    picture: Encoded
    own: bool


class _Standing:
    """What was worked out over one picture below."""

    def __init__(self, renderer: "Renderer", below: str):
        self._of, self.below = renderer, below

    def kept(self, name: str, frame: Frame) -> Floats | None:
        return self._of.kept(name, frame)

    def keep(self, name: str, frame: Frame, values: Floats) -> None:
        self._of.keep(name, frame, values)


class Drawing:
    """Stages and coverages that are wanted together, and how they are drawn.

    Ask with :meth:`want` and :meth:`want_area`, then :meth:`run`, then take with :meth:`picture` and :meth:`coverage`.
    A touch runs at most once for every scale that is wanted of it.
    """

    def __init__(self, renderer: "Renderer"):
        self._of, self._stages = renderer, renderer.stages.all
        self._wanted = [Rects() for _ in self._stages]
        self._there: list[dict[tuple[int, int], _Held]] = [{} for _ in self._stages]
        self._takers = [dict[tuple[int, int], int]() for _ in self._stages]
        self._covering = Coverages(renderer)
        self._boxes: dict[str, Box] = {}

    def want(self, stage: int, frame: Frame) -> None:
        """Ask for a stage on ``frame``; who asks may :meth:`take` it once."""
        self._wanted[stage].add(frame)
        takers = self._takers[stage]
        takers[frame.scale] = takers.get(frame.scale, 0) + 1

    def want_area(self, area: str, stage: int, frame: Frame) -> None:
        """Ask for an area's coverage on ``frame``, with this stage as the picture below."""
        for at in self._covering.want(area, self._stages[stage].key, frame):
            self.want(stage, at)

    def picture(self, stage: int, frame: Frame) -> Encoded:
        """The stage on ``frame`` as it was asked for; not to be changed."""
        held = self._there[stage].get(frame.scale)
        if held is None or not held.frame.holds(frame):
            # Somebody looks where nobody said that they would: it is drawn by itself.
            return self._of.draw_stage(stage, frame)
        return Encoded(held.picture[frame.slices_in(held.frame)])

    def take(self, stage: int, frame: Frame) -> Encoded:
        """The stage on ``frame`` as an array of the taker's own; the last taker gets the array itself."""
        held = self._there[stage][frame.scale]
        self._takers[stage][frame.scale] -= 1
        if self._takers[stage][frame.scale] == 0:
            del self._there[stage][frame.scale]
            if held.own and held.frame == frame:
                return held.picture
        shown = held.picture[frame.slices_in(held.frame)]
        own = np.empty_like(shown, order="C")

        def work(rows: slice) -> None:
            own[rows] = shown[rows]

        in_bands(work, len(own))
        return Encoded(own)

    def coverage(self, area: str, stage: int, frame: Frame) -> Coverage:
        """An area's coverage as it was asked for; not to be changed."""
        return self._covering.draw(area, self._named(stage), frame)

    def run(self) -> None:
        """Draw everything that was asked for."""
        for number in range(self._backwards(), len(self._stages)):
            rects = [r for r in self._wanted[number] if r.scale not in self._there[number]]
            if rects:
                self._draw(number, rects)

    # --- from the last stage to the first

    def _backwards(self) -> int:
        """Work out what every stage must have; the first stage that is drawn."""
        lowest = len(self._stages)
        for number in range(len(self._stages) - 1, -1, -1):
            stage, fresh = self._stages[number], []
            for rect in self._wanted[number]:
                known = self._of.cache.get(stage.key, rect) if number else None
                if known is not None:
                    self._there[number][rect.scale] = _Held(rect, Encoded(known), False)
                else:
                    fresh.append(rect)
            if not fresh:
                continue
            lowest = number
            if stage.below is not None:
                self._ask(stage, fresh)
        return lowest

    def _ask(self, stage: Stage, rects: list[Frame]) -> None:
        """Ask the stages before it for what a stage needs on ``rects``."""
        assert stage.below is not None
        below, key = stage.below, self._stages[stage.below].key
        for rect in rects:
            self.want(below, stage.asks_below(rect))
            if stage.inner is not None:
                self.want(stage.inner, rect)
            if stage.step is not None and stage.step.area is not None:
                for at in self._covering.want(stage.step.area, key, rect):
                    self._wanted[below].add(at)
        if isinstance(stage.step, Touch) and isinstance(stage.step.settings, Wide):
            name, small = self._of.survey_name(stage.step, key)
            if not self._of.has_survey(name):
                self._wanted[below].add(small)
                if stage.step.settings.within and stage.step.area is not None:
                    for at in self._covering.want(stage.step.area, key, small):
                        self._wanted[below].add(at)

    # --- forwards

    def _named(self, stage: int) -> Named:
        return self._stages[stage].key, lambda frame: self.picture(stage, frame)

    def _draw(self, number: int, rects: list[Frame]) -> None:
        stage, there = self._stages[number], self._there[number]
        if stage.below is None:
            for rect in rects:
                there[rect.scale] = _Held(rect, self._of.original(rect), False)
            return
        if stage.step is None:
            for rect in rects:
                there[rect.scale] = _Held(rect, self.take(stage.below, rect), True)
            return
        # What looks at the stage below does so before anybody changes it.
        maps, step, below = None, stage.step, stage.below
        if isinstance(step, Touch) and isinstance(step.settings, Wide):
            maps = self._of.maps(step, self._named(below), lambda small: self.mask(step, below, small))
        masks = [self._mask(stage.step, stage.below, rect) for rect in rects]
        kept = number in self._of.kept_stages
        for rect, mask in zip(rects, masks, strict=True):
            around = self.take(stage.below, stage.asks_below(rect))
            covered = None if mask is None else self._box(step, below, rect, mask)
            picture = self._step(stage, around, rect, mask, covered, maps)
            there[rect.scale] = _Held(rect, picture, not kept)
            if kept:
                self._of.cache.put(stage.key, rect, picture)

    def _mask(self, step: Touch | Set, below: int, rect: Frame) -> Coverage | None:
        """Where a step works, 0…1, on ``rect``; None for everywhere."""
        mask = None if step.area is None else self.coverage(step.area, below, rect)
        if step.limit is not None and step.limit != ToneLimit():
            source = self.picture(below, rect) if step.limit.of == "below" else self._of.original(rect)
            through = ramp(lightness(source), step.limit.ramp)
            mask = Coverage(through if mask is None else mask * through)
        return mask

    def mask(self, step: Touch | Set, below: int, frame: Frame) -> Coverage:
        """As a touch works, of the stage ``below`` that was asked for: its area × its tone limit, on ``frame``."""
        mask = self._mask(step, below, frame)
        return Coverage(np.ones(frame.shape, np.float32) if mask is None else mask)

    def _box(self, step: Touch | Set, below: int, rect: Frame, mask: Coverage) -> Box:
        """Between which rows and columns a step's mask covers anything: looked for once in areas that many use."""
        if step.area is None or step.limit is not None:
            return _covered(mask)
        name = digest_of("box", self._of.area_key(step.area, self._stages[below].key), str(rect))
        if name not in self._boxes:
            # An area that stands while a slider is dragged is not looked through for every picture.
            known = self._of.cache.whole(name)
            if known is None:
                known = np.array([_covered(mask)], np.float32)
                self._of.cache.put(name, Frame.whole(4, 1), known, self._of.trying)
            top, bottom, left, right = (int(side) for side in known[0])
            self._boxes[name] = top, bottom, left, right
        return self._boxes[name]

    def _step(
        self, stage: Stage, around: Encoded, rect: Frame, mask: Coverage | None, covered: Box | None, maps: Maps | None
    ) -> Encoded:
        """The stage on ``rect``, from the stage below on all that it reads, ``around``, which may be changed."""
        step = stage.step
        assert step is not None
        read = stage.asks_below(rect)
        picture = around if read == rect else np.ascontiguousarray(around[rect.slices_in(read)])
        if stage.inner is not None:
            inner = self.take(stage.inner, rect)
        if covered == NOWHERE:
            return Encoded(picture)
        self._of.runs += 1
        if isinstance(step, Set):
            mix(picture, inner, mask, step.strength)
            return Encoded(picture)
        kind = step.settings
        if isinstance(kind, Near):
            cut = rect if covered is None else _cut(rect, covered)
            reads = stage.asks_below(cut)
            own = np.ascontiguousarray(around[reads.slices_in(read)])
            changed = kind.changed(Encoded(own), rect.unit)[cut.slices_in(reads)]
            within = None if mask is None else Coverage(mask[cut.slices_in(rect)])
            self._mixed(Encoded(picture[cut.slices_in(rect)]), Encoded(changed), within, step)
            return Encoded(picture)
        if isinstance(kind, Drawn):
            whole = mask is None and step.blend == "normal" and step.strength == 1
            canvas = around if whole else around.copy()
            assert stage.below is not None
            kind.draw(Encoded(canvas), read, rect, _Standing(self._of, self._stages[stage.below].key))
            if whole:
                return Encoded(np.ascontiguousarray(canvas[rect.slices_in(read)]))
            self._mixed(Encoded(picture), Encoded(canvas[rect.slices_in(read)]), mask, step)
            return Encoded(picture)
        part, frame = picture, rect
        if mask is not None and covered is not None:
            top, bottom, left, right = covered
            # A rule skips what is not covered by itself; a map need not even be brought there.
            if not isinstance(kind, Wide):
                left, right = 0, rect.w
            part, mask = picture[top:bottom, left:right], Coverage(mask[top:bottom, left:right])
            frame = _cut(rect, (top, bottom, left, right))
        if isinstance(kind, Wide):
            assert maps is not None
            use = tuple(spread_over(m, frame) for m in maps)
            if step.blend == "normal":
                kind.apply(Encoded(part), use, mask, step.strength)
            else:
                changed = part.copy()
                kind.apply(Encoded(changed), use, None, 1.0)
                self._mixed(Encoded(part), Encoded(changed), mask, step)
        elif isinstance(kind, Placed) and not kind.everywhere:
            lay(Encoded(part), *kind.laid(*frame.places()), step.blend, mask, step.strength)
        else:
            assert isinstance(kind, Point)
            apply_table(part, table_of(kind, step.blend, self._of.fineness), mask, step.strength)
        return Encoded(picture)

    def _mixed(self, below: Encoded, changed: Encoded, mask: Coverage | None, step: Touch) -> None:
        if step.blend != "normal":
            changed = blended(below, changed, step.blend)
        mix(below, changed, mask, step.strength)


def _cut(rect: Frame, covered: Box) -> Frame:
    top, bottom, left, right = covered
    return Frame(rect.width, rect.height, rect.x + left, rect.y + top, right - left, bottom - top)


def _covered(mask: Coverage) -> Box:
    """Between which rows and columns a mask covers anything; NOWHERE if it covers nothing."""
    top, bottom, left, right = _box(mask.view(np.int32))
    return top, bottom, left, right


@kernel()
def _box(bits: Any) -> Any:
    # Bits of a row are looked at all at once, which comparing numbers one by one is not.
    height, width = bits.shape
    top, bottom = 0, height
    while top < height and not _any(bits[top]):
        top += 1
    if top == height:
        return 0, 0, 0, 0
    while not _any(bits[bottom - 1]):
        bottom -= 1
    left, right = width, 0
    for y in range(top, bottom):
        if _any(bits[y, :left]):
            left = 0
            while bits[y, left] & _SIZE == 0:
                left += 1
        if _any(bits[y, right:]):
            right = width
            while bits[y, right - 1] & _SIZE == 0:
                right -= 1
    return top, bottom, left, right


_SIZE = 0x7FFFFFFF
"""The bits of a number without its sign: those of −0 are none."""


@numba.njit(nogil=True, cache=True)
def _any(row: Any) -> Any:
    some = np.int32(0)
    for x in range(row.shape[0]):
        some |= row[x]
    return some & _SIZE != 0
