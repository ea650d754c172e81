"""Areas over a picture: what their sources see, and their coverages, each worked out once for a drawing."""

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

from retouch.areas.base import Ground
from retouch.areas.recipe import asked_of_parts, recipe
from retouch.areas.refine import EDGE_UNIT, Refine, line_name
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.types import Coverage, Encoded, Lab, digest_of

if TYPE_CHECKING:
    from retouch.render.plan import Renderer

AT_HAND = 256 * 2**20
"""Bytes of coverages that one drawing holds for those that are made from them."""
Draw = Callable[[Frame], Encoded]
Named = tuple[str, Draw]
"""A stage: its key, and what draws it."""


class Rects:
    """Rectangles by scale: what is wanted of something, or is there; of one scale the smallest that holds all."""

    def __init__(self) -> None:
        self.by_scale: dict[tuple[int, int], Frame] = {}

    def add(self, frame: Frame) -> None:
        """Want ``frame`` too."""
        known = self.by_scale.get(frame.scale)
        self.by_scale[frame.scale] = frame if known is None else known.joined(frame)

    def __iter__(self) -> Iterator[Frame]:
        return iter(list(self.by_scale.values()))


class Coverages:
    """The coverages that one drawing wants: first all are asked for, then each is worked out once.

    An area that looks at the picture below is another one at every stage; all others are the same at all.
    """

    def __init__(self, renderer: "Renderer"):
        self._of = renderer
        self._wanted: dict[str, tuple[str, str, Rects]] = {}
        self._there = Cache(AT_HAND, 0)

    def want(self, area: str, stage: str, frame: Frame) -> list[Frame]:
        """Ask for an area at a stage, and for what it is made from; where it will look at the stage itself.

        What is kept from before is taken at once and asks for nothing.
        """
        sheet = self._of.sheet
        asked: dict[str, Rects] = {area: Rects()}
        asked[area].add(frame)
        below: list[Frame] = []
        for name in reversed(sheet.rests_on(area)):
            key = self._of.area_key(name, stage)
            for rect in list(asked.get(name, Rects())):
                if self._known(key, rect) is not None:
                    continue
                wanted = self._wanted.setdefault(key, (name, stage, Rects()))[2]
                wanted.add(rect)
                at = self._asked_of_parts(name, key, wanted.by_scale[rect.scale])
                if at is None:
                    continue
                for part in sheet.area(name).known:
                    for other in part.others:
                        asked.setdefault(other, Rects()).add(at)
                    if part.looks_below and self._of.cache.get(digest_of("oklab", stage), at) is None:
                        below.append(at)
        return below

    def _asked_of_parts(self, area: str, key: str, frame: Frame) -> Frame | None:
        """Where an area's parts will be drawn; None if all that is needed of them is kept."""
        model = self._of.sheet.area(area)
        refine = self.refine(area)
        small = None
        if refine != "no":
            if self._of.has_once(line_name(self.parts_name(area, key), refine)):
                return None
            small = self._of.scaled(EDGE_UNIT)
        return asked_of_parts(model.grow, model.feather, frame, small)

    def refine(self, area: str) -> Refine:
        """How an area is refined now: by its edges while its matte is being worked out."""
        return "edges" if area in self._of.waiting else self._of.sheet.area(area).refine

    def parts_name(self, area: str, key: str) -> str:
        """The name of an area's joined parts: with the stage, in the coverage's ``key``, if they look at it."""
        parts = self._of.keys.parts(area)
        return digest_of(parts, key) if self._of.sheet.looks_below(area) else parts

    def draw(self, area: str, stage: Named, frame: Frame) -> Coverage:
        """An area's coverage on ``frame`` at a stage, float32 0…1; not to be changed."""
        key = self._of.area_key(area, stage[0])
        known = self._known(key, frame)
        if known is not None:
            return known
        if key not in self._wanted:
            self.want(area, stage[0], frame)
        # Those first that others are made from, each on the rectangles that were asked of it.
        for name in self._of.sheet.rests_on(area):
            own = self._of.area_key(name, stage[0])
            wanted = self._wanted.pop(own, None)
            for rect in wanted[2] if wanted else ():
                if self._known(own, rect) is None:
                    self._work_out(name, own, stage, rect)
        known = self._known(key, frame)
        return self._work_out(area, key, stage, frame) if known is None else known

    def _work_out(self, area: str, key: str, stage: Named, frame: Frame) -> Coverage:
        model = self._of.sheet.area(area)
        sight = _Sight(self._of, self, stage)
        name = self.parts_name(area, key)
        coverage = recipe(model.known, model.grow, model.feather, model.invert, frame, sight, self.refine(area), name)
        self._there.put(key, frame, coverage)
        self._of.cache.put(key, frame, coverage, self._of.trying)
        return coverage

    def _known(self, key: str, frame: Frame) -> Coverage | None:
        known = self._there.get(key, frame)
        if known is None and (known := self._of.cache.get(key, frame)) is not None:
            self._there.put(key, frame, known)
        return None if known is None else Coverage(known)


class _Sight:
    """What the sources of an area look at when the picture below is a stage: see :class:`retouch.areas.base.Sight`."""

    def __init__(self, renderer: "Renderer", covering: Coverages, stage: Named):
        self._of, self._covering, self._stage = renderer, covering, stage
        self.original, self.scaled = renderer.original, renderer.scaled
        self.found, self.once = renderer.found, renderer.once
        self.kept, self.keep = renderer.kept, renderer.keep

    def area(self, area: str, frame: Frame) -> Coverage:
        return self._covering.draw(area, self._stage, frame)

    def lab(self, frame: Frame, of: Ground = "original") -> Lab:
        return self._of.lab(frame, self._stage if of == "below" else None)
