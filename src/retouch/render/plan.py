"""A sheet over a picture, ready to be drawn on any frame."""

from collections.abc import Callable

import numpy as np

from retouch.bands import in_bands
from retouch.colour.tones import clipped_oklab
from retouch.faces.found import Found
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.demand import Drawing
from retouch.render.keys import Keys
from retouch.render.maps import spread_over
from retouch.render.picture import Picture
from retouch.render.seeing import Named
from retouch.render.shaping import Shapes
from retouch.render.stages import Stages
from retouch.sheet import Set, Sheet, Touch
from retouch.touches.base import Drawn, Maps, Wide
from retouch.types import Coverage, Encoded, Floats, Lab, digest_of

Later = Callable[[str, Callable[[], object]], bool]
"""Has work done in the background, once for each name; whether it is on its way (False: it has failed)."""

SMALL = 64
"""Pixels on the long side of a frame on which an area is drawn for the sake of its matte alone."""
DRAFT, FINE = 33, 65
"""Nodes on a side of a table: while something is being dragged, and at rest."""


class Renderer:
    """A picture and a sheet, ready to be drawn on any frame.

    Parameters
    ----------
    fineness
        The tables' nodes on a side.
    keep
        The id of the touch in hand: the stage before it is kept in ``cache``.
    found
        Gives what the program found on the picture, if it looked; it is called once, and only if an area asks.
    later
        Where mattes of hair are worked out: until one is in ``cache`` its area is refined to edges, and stands in
        ``waiting``. Without it they are worked out at once.
    trying
        Whether the sheet is only being tried: its coverages are kept apart.
    maps_of
        The renderer whose small maps of the whole picture stand while a hand is down, instead of this one's own.

    Unknown touches and parts change nothing. ``runs`` counts how often a touch was run.
    """

    def __init__(
        self,
        picture: Picture,
        sheet: Sheet,
        cache: Cache | None = None,
        fineness: int = FINE,
        keep: str | None = None,
        found: Callable[[], Found | None] = lambda: None,
        later: Later | None = None,
        trying: bool = False,
        maps_of: "Renderer | None" = None,
    ):
        self.picture, self.sheet, self.cache = picture, sheet, cache or Cache(0)
        self.fineness, self.trying, self.later = fineness, trying, later
        self.waiting = set[str]()
        self.runs = 0
        self._find, self._looked = found, False
        self._found: Found | None = None
        self._maps_of = maps_of
        self._once: dict[str, Floats] = {}
        self._read: tuple[Frame | None, Floats] = (None, np.empty((0, 0, 3), np.float32))
        self._maps: dict[str, Maps] = {}
        self.keys = Keys(picture.key, sheet, self.found, self._waits)
        self._start = digest_of("original", picture.key)
        self.stages = Stages(self._start, sheet, self.keys, fineness)
        self.shapes = Shapes(self)
        self.kept_stages = {self.shapes.under(keep)} - {0} if keep is not None and self._is_there(keep) else set[int]()

    @property
    def key(self) -> str:
        """What stands for the finished picture: the same key, the same picture on the same frame."""
        geometry = self.sheet.geometry
        return self.stages.key if geometry.neutral else digest_of(self.stages.key, geometry.model_dump_json())

    @property
    def size(self) -> tuple[int, int]:
        """Pixels of the finished picture at full size."""
        return self.shapes.placing.size

    def draw(self, frame: Frame) -> Encoded:
        """The finished picture on ``frame``: encoded working colours, a new float32 array of ``frame.shape`` × 3."""
        return self.shapes.draw(frame)

    def prepare(self, frame: Frame) -> None:
        """Draw what the touch in hand works on for a view of ``frame``, unless it is kept: a hand then finds it."""
        read = self.shapes.reads(frame)
        for number in self.kept_stages:
            if self.cache.get(self.stages.all[number].key, read) is None:
                self.draw_stage(number, read)

    def unmoved(self, frame: Frame) -> Encoded:
        """The finished picture on ``frame`` before anything of it is moved, a new array."""
        return self.draw_stage(self.stages.last, frame)

    def draw_stage(self, stage: int, frame: Frame) -> Encoded:
        """The stage with this number on ``frame``, a new array."""
        drawing = self._drawing(stage, frame)
        drawing.run()
        return drawing.take(stage, frame)

    def _drawing(self, stage: int, frame: Frame) -> Drawing:
        drawing = Drawing(self)
        drawing.want(stage, frame)
        return drawing

    def area(self, area: str, frame: Frame, touch: str | None = None) -> Coverage:
        """Coverage 0…1 of the area with this id on ``frame``, float32; not to be changed.

        An area that looks at the picture below sees what lies below ``touch``; without one, what lies below the first
        touch that uses it, or the finished picture if none does.
        """
        stage = self._seen_by(area) if touch is None else self.stages.below(touch)
        drawing = Drawing(self)
        drawing.want_area(area, stage, frame)
        drawing.run()
        return drawing.coverage(area, stage, frame)

    def stage_of(self, area: str) -> Named:
        """The picture that an area sees as *below* where no touch asks: see :meth:`area`."""
        return self._named(self._seen_by(area))

    def stage(self, touch: str) -> Named:
        """The key of the stage below the touch or set with this id, and what draws it; KeyError if it is not there."""
        return self._named(self.stages.below(touch))

    def _named(self, stage: int) -> Named:
        return self.stages.all[stage].key, lambda frame: self.draw_stage(stage, frame)

    def _seen_by(self, area: str) -> int:
        for step in self.sheet.steps():
            used = step.area if isinstance(step, Touch | Set) else None
            if used is not None and area in self.sheet.rests_on(used):
                return self.stages.below(step.id)
        return self.stages.last

    def below(self, touch: str, frame: Frame) -> Encoded:
        """The picture below the touch or set with this id on ``frame``, a new array; KeyError if it is not there."""
        return self.draw_stage(self.stages.below(touch), frame)

    def above(self, touch: str, frame: Frame) -> Encoded:
        """The picture after a touch (after the set that holds it, if it is in one); KeyError if it is not there."""
        return self.draw_stage(self.stages.after(touch), frame)

    def reach(self, touch: str, frame: Frame) -> Coverage:
        """Where a touch works, 0…1 on ``frame``: its area × its tone limit; KeyError if it is not there."""
        step, below = self._step_of(touch), self.stages.below(touch)
        drawing = self._drawing(below, frame)
        if step.area is not None:
            drawing.want_area(step.area, below, frame)
        drawing.run()
        return drawing.mask(step, below, frame)

    def area_of(self, touch: str) -> str | None:
        """The area that a touch works in; KeyError if the touch is not there."""
        return self._step_of(touch).area

    def _step_of(self, touch: str) -> Touch | Set:
        for step in self.sheet.steps():
            if step.id == touch and isinstance(step, Touch | Set):
                return step
        raise KeyError(touch)

    def _is_there(self, touch: str) -> bool:
        return any(step.id == touch for step in self.sheet.steps())

    def reads(self, frame: Frame) -> int:
        """Pixels of the largest rectangle of a stage that a touch which owns patches reads for a finished ``frame``."""
        frame = self.shapes.placing.upright(frame)
        drawn = (s.asks_below(frame) for s in self.stages.all
                 if isinstance(s.step, Touch) and isinstance(s.step.settings, Drawn))  # fmt: skip
        return max((rect.w * rect.h for rect in drawn), default=0)

    def unseen(self, frame: Frame) -> dict[str, float]:
        """Touches of which this frame shows less than there is, by id: from which share of full size they are seen."""
        frame = self.shapes.placing.upright(frame)
        full = max(self.picture.width, self.picture.height)
        out = {}
        for stage in self.stages.all:
            finest = stage.step.settings.finest if isinstance(stage.step, Touch) else None
            if stage.step is not None and finest is not None and finest * frame.unit < 1:
                out[stage.step.id] = min(1.0, 1 / (finest * full))
        return out

    # --- what everybody looks at

    def original(self, frame: Frame) -> Encoded:
        """The original on ``frame``, encoded working colours; not to be changed."""
        known = self.cache.get(self._start, frame)
        if known is None:
            # An export keeps nothing, and its areas ask for the same rectangle again and again.
            last, held = self._read
            known = held if last == frame else self.picture.read(frame)
            self._read = frame, known
            self.cache.put(self._start, frame, known)
        return Encoded(known)

    def lab(self, frame: Frame, stage: Named | None = None) -> Lab:
        """OKLab of a stage, or of the original, on ``frame``, light clipped to 0…1.

        It is kept, as a ramp or a reach is dragged over it.
        """
        name, draw = stage or (self._start, self.original)
        key = digest_of("oklab", name)
        known = self.cache.get(key, frame)
        if known is None:
            picture, known = draw(frame), np.empty((*frame.shape, 3), np.float32)

            def work(rows: slice) -> None:
                known[rows] = clipped_oklab(Encoded(picture[rows]))

            in_bands(work, frame.h)
            self.cache.put(key, frame, known)
        return Lab(known)

    def finished(self, side: float) -> Frame:
        """The whole finished picture with at most ``side`` pixels on its long side."""
        return self.shapes.placing.whole(side)

    def scaled(self, unit: float) -> Frame:
        """The whole upright original at ``unit`` pixels on its long side, or at its own size if it has fewer."""
        share = min(1.0, unit / max(self.picture.width, self.picture.height))
        return Frame.whole(max(1, round(self.picture.width * share)), max(1, round(self.picture.height * share)))

    def found(self) -> Found | None:
        """What the program found on the picture; None while nothing was looked for."""
        if not self._looked:
            self._found, self._looked = self._find(), True
        return self._found

    def once(self, name: str, make: Callable[[], Floats]) -> Floats:
        """What ``make`` gives, made once for this picture and ``name``; not to be changed."""
        key = digest_of("once", self.picture.key, name)
        known = self._once.get(key)
        if known is None:
            known = self.cache.whole(key)
        if known is None:
            known = make()
            self.cache.put(key, Frame.whole(known.shape[1], known.shape[0]), known)
        self._once[key] = known
        return known

    def has_once(self, name: str) -> bool:
        """Whether what :meth:`once` gives for ``name`` is there."""
        key = digest_of("once", self.picture.key, name)
        return key in self._once or self.cache.whole(key) is not None

    def kept(self, name: str, frame: Frame) -> Floats | None:
        """What was kept of this picture under ``name`` on ``frame`` or one that holds it; not to be changed."""
        return self.cache.get(digest_of("kept", self.picture.key, name), frame)

    def keep(self, name: str, frame: Frame, values: Floats) -> None:
        """Keep ``values`` (``frame.shape`` …), which nobody changes afterwards."""
        self.cache.put(digest_of("kept", self.picture.key, name), frame, values, self.trying)

    # --- small maps of the whole picture

    def survey_name(self, step: Touch, below: str) -> tuple[str, Frame]:
        """The name of the survey that a wide touch makes of the stage with the key ``below``, and its frame."""
        kind = step.settings
        assert isinstance(kind, Wide)
        # Most of what a draft costs is its surveys and the stages below them.
        small = self.scaled(kind.side // kind.coarser if self.fineness == DRAFT else kind.side)
        where = self.where_name(step, below) if kind.within else ""
        if self._maps_of is not None and (standing := self._maps_of.standing_survey(step, small, where)) is not None:
            return standing, small
        return digest_of("survey", step.kind, str(kind.version), kind.depends, str(small), below, where), small

    def where_name(self, step: Touch | Set, below: str) -> str:
        """What stands for where a step works when the stage below it has the key ``below``."""
        limit = "" if step.limit is None else step.limit.digest
        return digest_of("" if step.area is None else self.area_key(step.area, below), limit)

    def area_key(self, area: str, stage: str) -> str:
        """What stands for an area's coverage when the picture below it is the stage with this key."""
        own = self.keys.area(area)
        return digest_of(own, stage) if self.sheet.looks_below(area) else own

    def standing_survey(self, step: Touch, small: Frame, where: str) -> str | None:
        """The name of the survey that this sheet's own touch with the same id made of the stage below it, if it did.

        A kind that looks only where it works has none if that is no longer the same place.
        """
        if not self._is_there(step.id):
            return None
        below = self.stages.all[self.stages.below(step.id)].key
        if where and where != self.where_name(step, below):
            return None
        name, _ = self.survey_name(step, below)
        return name if self._kept_maps(name) is not None else None

    def has_survey(self, name: str) -> bool:
        """Whether the survey with this name is there."""
        return self._kept_maps(name) is not None

    def maps(self, step: Touch, below: Named, within: Callable[[Frame], Coverage]) -> Maps:
        """The maps that a wide touch uses: what it makes of its survey of the whole stage ``below``."""
        kind = step.settings
        assert isinstance(kind, Wide)
        ready = digest_of("ready", self.survey_name(step, below[0])[0], kind.digest)
        known = self._kept_maps(ready)
        if known is None:
            known = kind.ready(self._survey(step, below, within))
            self._keep_maps(ready, known)
        return known

    def _survey(self, step: Touch, below: Named, within: Callable[[Frame], Coverage]) -> Maps:
        kind = step.settings
        assert isinstance(kind, Wide)
        name, small = self.survey_name(step, below[0])
        known = self._kept_maps(name)
        if known is None:
            inside = within(small) if kind.within else Coverage(np.ones(small.shape, np.float32))
            known = kind.survey(below[1](small), inside)
            self._keep_maps(name, known)
        return known

    def layer(self, touch: str, name: str, frame: Frame) -> Floats:
        """The lightness that one layer of a touch holds by itself (h × w); KeyError if there is none such."""
        step = self._step_of(touch)
        kind = step.settings if isinstance(step, Touch) else None
        if not isinstance(kind, Wide) or not isinstance(step, Touch) or name not in kind.layers:
            raise KeyError(name)
        maps = self._survey(step, self.stage(touch), lambda small: self.reach(touch, small))
        return kind.layer(name, self.below(touch, frame), tuple(spread_over(m, frame) for m in maps))

    def _kept_maps(self, name: str) -> Maps | None:
        known = self._maps.get(name)
        if known is None:
            layers: list[Floats] = []
            while (layer := self.cache.whole(f"{name} {len(layers)}")) is not None:
                layers.append(layer)
            if not layers or layers[0].shape[-1] != len(layers):
                return None
            known = self._maps[name] = tuple(layers[1:])
        return known

    def _keep_maps(self, name: str, maps: Maps) -> None:
        # The first layer says how many there are: some of the others may have been let go.
        for number, layer in enumerate((np.zeros((1, 1, len(maps) + 1), np.float32), *maps)):
            self.cache.put(f"{name} {number}", Frame.whole(layer.shape[1], layer.shape[0]), layer)
        self._maps[name] = maps

    def _waits(self, area: str, matte: str) -> bool:
        """Whether an area's matte is still being worked out; it is begun if it was not."""
        if self.later is None or self.sheet.looks_below(area) or self.has_once(matte):
            return False
        alone = Renderer(self.picture, self.sheet, self.cache, self.fineness, found=self._find)
        if not self.later(f"{self.picture.key} {matte}", lambda: alone.area(area, alone.scaled(SMALL))):
            return False
        self.waiting.add(area)
        return True
