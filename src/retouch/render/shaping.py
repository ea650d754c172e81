"""The shapes of a sheet over a picture: what moves, what it covers, and what lies behind it."""

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from retouch.bands import in_bands
from retouch.colour.tones import clipped_oklab
from retouch.frame import Frame
from retouch.kernels import kernel
from retouch.render.demand import Drawing
from retouch.render.maps import spread_over
from retouch.render.move import Bend, back, forth, moved, origin, resampled, shown, touched
from retouch.shape.field import grid_of
from retouch.shape.geometry import Placing
from retouch.shape.ground import HIDDEN, SIDE, WORKING, continued, sources
from retouch.sheet import Touch
from retouch.touches.base import Moved
from retouch.types import Coverage, Encoded, Floats, digest_of

if TYPE_CHECKING:
    from retouch.render.plan import Renderer

HIDES = 0.15
"""Coverage from which on nothing of what lies behind a thing is known; below HIDDEN all of it is."""


class Shapes:
    """What of a renderer's sheet moves."""

    def __init__(self, renderer: "Renderer"):
        self._renderer = renderer
        self._steps = renderer.stages.moved
        self._bends: list[Bend] | None = None
        self._ended: list[str] = []
        self._grounds: dict[str, Floats] = {}
        self.grid = grid_of(renderer.picture.width, renderer.picture.height)
        self.placing = Placing(renderer.sheet.geometry, renderer.picture.width, renderer.picture.height)

    def bends(self) -> list[Bend]:
        """The shapes in their order, without what they cover."""
        if self._bends is None:
            self._bends = [self._bend(step) for step in self._steps]
            self._renderer.runs += len(self._bends)
        return self._bends

    @property
    def ended(self) -> list[str]:
        """Ids of the touches of which a stroke was cut short: the picture would have folded."""
        self.bends()
        return self._ended

    def _bend(self, step: Touch) -> Bend:
        renderer, kind = self._renderer, step.settings
        assert isinstance(kind, Moved)
        name, pinned = "", None
        if kind.stays is not None:
            name = renderer.area_key(kind.stays, self._below(step))
            pinned = renderer.area(kind.stays, self.grid, step.id)
        moves = kind.bent(self.grid, pinned, name, renderer)
        if moves[0, 0, 2]:
            self._ended.append(step.id)
        return Bend(np.ascontiguousarray(moves[..., :2] * np.float32(step.strength)), step.area)

    def draw(self, frame: Frame) -> Encoded:
        """The finished picture on ``frame``, a new array: moved, turned and cut out by one resampling."""
        upright = self.placing.upright(frame)
        if not self.placing.exact:
            return Encoded(resampled(*self._laid(upright), *self.placing.places(frame)))
        picture, bends, around = self._laid(upright)
        shaped = moved(picture, bends, around, upright) if bends else picture
        return shaped if self.placing.geometry.neutral else Encoded(self.placing.laid(shaped))

    def _laid(self, frame: Frame) -> tuple[Encoded, list[Bend], Frame]:
        """The picture before it is moved, what moves it with what lies behind, and their frame."""
        bends, last = self.bends(), self._renderer.stages.last
        if not bends:
            return self._renderer.draw_stage(last, frame), [], frame
        around = origin(bends, frame)
        drawing = self._drawing(around, last)
        picture = drawing.picture(last, around)
        laid = []
        for step, bend in zip(self._steps, self._covered(drawing, around), strict=True):
            if bend.covered is not None:
                bend = replace(bend, ground=self._behind(bend.covered, picture, self._ground(step), around))
            laid.append(bend)
        return picture, laid, around

    def placed(self, draw: Callable[[Frame], Floats], frame: Frame) -> Floats:
        """What ``draw`` gives of the upright original (h × w, or h × w × k), turned and cut out on ``frame``."""
        upright = self.placing.upright(frame)
        values = draw(upright)
        if self.placing.geometry.neutral:
            return values
        if self.placing.exact:
            return self.placing.laid(values)
        layers = values.reshape(*values.shape[:2], -1)
        out = resampled(layers, [], upright, *self.placing.places(frame))
        return out.reshape(*frame.shape, *values.shape[2:])

    @staticmethod
    def _behind(covered: Coverage, picture: Encoded, small: Floats, around: Frame) -> Floats:
        """The picture on ``around`` without what is covered, and the coverage (h × w × 4)."""
        out = np.empty((*around.shape, 4), np.float32)
        there = covered > HIDDEN
        rows, columns = np.nonzero(there.any(axis=1))[0], np.nonzero(there.any(axis=0))[0]
        y, x, behind = 0, 0, np.empty((0, 0, 3), np.float32)
        if len(rows):
            y, x = int(rows[0]), int(columns[0])
            part = replace(around, x=around.x + x, y=around.y + y, w=int(columns[-1]) + 1 - x, h=int(rows[-1]) + 1 - y)
            behind = np.asarray(spread_over(small, part), np.float32)

        def work(band: slice) -> None:
            _under(picture[band], covered[band], behind, y - band.start, x, out[band])

        in_bands(work, around.h)
        return out

    def reads(self, frame: Frame) -> Frame:
        """The rectangle of the picture before it is moved and turned that is seen on ``frame``."""
        upright = self.placing.upright(frame)
        return origin(self.bends(), upright) if self.bends() else upright

    def shown(self, covered: Callable[[Frame], Coverage], frame: Frame) -> Coverage:
        """A coverage, given by what draws it, as it lies on the finished picture on ``frame``."""

        def shaped(upright: Frame) -> Coverage:
            if not self.bends():
                return covered(upright)
            around = origin(self.bends(), upright)
            return shown(covered(around), self._covered(self._drawing(around), around), around, upright)

        return Coverage(np.clip(self.placed(shaped, frame), 0, 1))

    def touched(self, rect: Frame, of: Frame) -> Frame:
        """The rectangle of the finished picture, at the scale of ``of``, that may show ``rect`` of the original."""
        return self.placing.seen(touched(self.bends(), rect), of)

    def covered(self, frame: Frame) -> list[Bend]:
        """The shapes with what they cover on ``frame``."""
        return self._covered(self._drawing(frame), frame)

    def back(self, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """Where in the upright original lies what is seen at places (long sides) of the moved, unturned picture."""
        whole = self._renderer.scaled(2 * SIDE)
        return back(self.covered(whole), x, y, whole)

    def forth(self, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """Where places of the upright original are seen on the moved, unturned picture."""
        whole = self._renderer.scaled(2 * SIDE)
        return forth(self.covered(whole), x, y, whole)

    def under(self, touch: str) -> int:
        """The stage that a touch in hand works on."""
        stages = self._renderer.stages
        return stages.last if any(step.id == touch for step in self._steps) else stages.below(touch)

    def _below(self, step: Touch) -> str:
        stages = self._renderer.stages
        return stages.all[stages.below(step.id)].key

    def _drawing(self, around: Frame, stage: int | None = None) -> Drawing:
        drawing = Drawing(self._renderer)
        if stage is not None:
            drawing.want(stage, around)
        for step in self._steps:
            if step.area is not None:
                drawing.want_area(step.area, self._renderer.stages.below(step.id), around)
        drawing.run()
        return drawing

    def _covered(self, drawing: Drawing, around: Frame) -> list[Bend]:
        below = self._renderer.stages.below
        return [
            bend if bend.area is None else replace(bend, covered=drawing.coverage(bend.area, below(step.id), around))
            for step, bend in zip(self._steps, self.bends(), strict=True)
        ]

    def _ground(self, step: Touch) -> Floats:
        """What lies behind the area of a shape, on one small map of the finished picture."""
        renderer, area = self._renderer, step.area or ""
        last = renderer.stages.all[renderer.stages.last].key
        name = digest_of("ground", last, renderer.area_key(area, self._below(step)))
        known = self._grounds.get(name)
        if known is None:
            known = renderer.cache.whole(name)
        if known is None:
            small = renderer.scaled(SIDE)
            chosen = digest_of("sources", renderer.picture.key, renderer.area_key(area, self._below(step)))
            where = renderer.cache.whole(chosen)
            if where is None:
                working = renderer.scaled(WORKING)
                colours = clipped_oklab(renderer.original(working))
                where = sources(colours, renderer.area(area, working, step.id))
                renderer.cache.put(chosen, working, where)
            known = continued(renderer.unmoved(small), renderer.area(area, small, step.id), where)
            renderer.cache.put(name, small, known)
        self._grounds[name] = known
        return known


@kernel()
def _under(picture: Any, covered: Any, behind: Any, top: int, left: int, out: Any) -> None:
    """The picture without what is covered, and the coverage, into ``out``; ``behind`` begins at ``top``, ``left``."""
    height, width = covered.shape
    for y in range(height):
        for x in range(width):
            c = covered[y, x]
            out[y, x, 3] = c
            hidden = min(max((c - HIDDEN) / (HIDES - HIDDEN), 0.0), 1.0)
            for k in range(3):
                p = picture[y, x, k]
                out[y, x, k] = p if hidden == 0 else p + np.float32(hidden) * (behind[y - top, x - left, k] - p)
