"""A sheet on one frame: which stages there are, which are still known, and what is left to compute.

A stage is the picture after a touch. Its key is a hash of everything that went into it (the original, every touch
before it, the areas they use), so that a change to touch *k* finds the stage before *k* and starts there. Frames of
one scale share stages: a rectangle is cut from a larger stage that holds it.
"""

import hashlib
import json
from collections import OrderedDict
from collections.abc import Callable, Sequence
from functools import lru_cache, partial
from threading import Lock
from typing import Any, NamedTuple

import numpy as np

from retouch.areas.base import Part, Seen
from retouch.areas.recipe import recipe
from retouch.areas.refine import matte_name
from retouch.bands import in_bands
from retouch.colour.tones import lightness, oklab, ramp
from retouch.faces.found import Found
from retouch.frame import Frame, resample
from retouch.render.lay import blended, lay
from retouch.render.picture import Picture
from retouch.render.table import Table, apply_table, bake_lattice, bake_line, mix
from retouch.sheet import Area, Set, Sheet, ToneLimit, Touch
from retouch.sheet.model import UnknownTouch
from retouch.touches import KINDS
from retouch.touches.base import Placed, Wide
from retouch.touches.blend import NON_SEPARABLE, Blend, blend
from retouch.types import Floats

Step = Touch | Set | UnknownTouch
Draw = Callable[[Frame], Floats]
Later = Callable[[str, Callable[[], object]], bool]
"""Has work done in the background, once for each name; whether it is on its way (False: it has failed)."""

FINDS = ("person", "face-part", "thing")
"""The sources that ask what was found."""
SMALL = 64
"""Pixels on the long side of a frame on which an area is drawn for the sake of its matte alone."""
DRAFT, FINE = 33, 65
"""Nodes on a side of a table: while something is being dragged, and at rest."""


class Cache:
    """Stages and coverages by key and frame, the least recently used dropped first; safe between threads."""

    def __init__(self, limit: int = 400 * 2**20):
        self.limit, self.size = limit, 0
        self._kept: OrderedDict[tuple[str, Frame], Floats] = OrderedDict()
        self._lock = Lock()

    def get(self, key: str, frame: Frame) -> Floats | None:
        """What is kept under ``key`` on ``frame`` or on a frame that holds it: a view, not to be changed."""
        with self._lock:
            for entry in reversed(self._kept):
                if entry[0] == key and entry[1].holds(frame):
                    self._kept.move_to_end(entry)
                    return self._kept[entry][frame.slices_in(entry[1])]
        return None

    def whole(self, key: str) -> Floats | None:
        """What is kept under ``key`` on the frame it was put with, not to be changed."""
        with self._lock:
            for entry in reversed(self._kept):
                if entry[0] == key:
                    self._kept.move_to_end(entry)
                    return self._kept[entry]
        return None

    def put(self, key: str, frame: Frame, values: Floats) -> None:
        """Keep ``values`` (``frame.shape`` …); the caller must not change them afterwards."""
        if values.nbytes > self.limit:
            return
        with self._lock:
            if (old := self._kept.pop((key, frame), None)) is not None:
                self.size -= old.nbytes
            self._kept[(key, frame)] = values
            self.size += values.nbytes
            while self.size > self.limit:
                _, dropped = self._kept.popitem(last=False)
                self.size -= dropped.nbytes


class Stage(NamedTuple):
    """The picture after some touches: its key, and what draws it on a frame."""

    key: str
    draw: Draw


class Renderer:
    """A picture and a sheet, ready to be drawn on any frame.

    ``fineness`` is the tables' nodes on a side. ``keep`` is the id of the touch in hand: the stage before it is kept
    in ``cache``. ``found`` gives what the program found on the picture, if it looked; it is called once, and only if an
    area asks. With ``later``, mattes of hair are worked out there: until one is in ``cache`` its area is refined to
    edges, and stands in ``waiting``. Unknown touches and parts change nothing.
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
    ):
        self.picture, self.sheet, self.cache = picture, sheet, cache or Cache(0)
        self.fineness, self.keep = fineness, keep
        self._start = _hash("original", picture.key), self.original
        self._prints: dict[str, str] = {}
        self._surveys: dict[str, Floats] = {}
        self.later, self.waiting = later, set[str]()
        self._find, self._looked = found, False
        self._found: Found | None = None

    def draw(self, frame: Frame) -> Floats:
        """The finished picture on ``frame``: encoded working colours, a new float32 array of ``frame.shape`` × 3."""
        return self._run(self.sheet.touches, *self._start, frame)

    @property
    def key(self) -> str:
        """What stands for the finished picture: the same key, the same picture on the same frame."""
        return self._key(self.sheet.touches, self._start[0])

    def area(self, area: str, frame: Frame, stage: Stage | None = None) -> Floats:
        """Coverage 0…1 of the area with this id on ``frame``, float32; not to be changed.

        An area that looks at the picture below sees ``stage``; without one, what lies below the first touch that uses
        it, or the finished picture if none does.
        """
        # What lies in the picture decides where some areas are.
        key = _hash(self.picture.key, self._print(area))
        if not self._looks_below(area):
            stage = None
        else:
            stage = stage or self.stage_of(area)
            key = _hash(key, stage.key)
        known = self.cache.get(key, frame)
        if known is None:
            model = self.sheet.area(area)
            parts = [p for p in model.parts if isinstance(p, Part)]
            name = self._parts_print(area) if stage is None else _hash(self._parts_print(area), stage.key)
            look = _Seeing(self, stage)
            refine = "edges" if area in self.waiting else model.refine
            known = recipe(parts, model.grow, model.feather, model.invert, frame, look, refine, name)
            self.cache.put(key, frame, known)
        return known

    def stage_of(self, area: str) -> Stage:
        """The picture that an area sees as *below* where no touch asks: see :meth:`area`."""
        for step in self.sheet.steps():
            if isinstance(step, Touch | Set) and step.area is not None and self._rests_on(step.area, area):
                return self.stage(step.id)
        return Stage(self.key, self.draw)

    def _rests_on(self, area: str, other: str) -> bool:
        used = [p.area for p in self.sheet.area(area).parts if getattr(p, "source", "") == "area"]  # type: ignore[union-attr]
        return area == other or any(self._rests_on(a, other) for a in used)

    def _looks_below(self, area: str) -> bool:
        parts = [p for p in self.sheet.area(area).parts if isinstance(p, Part) and p.on]
        return any(getattr(p, "of", "") == "below" for p in parts) or any(
            self._looks_below(p.area)  # type: ignore[attr-defined]
            for p in parts
            if getattr(p, "source", "") == "area"
        )

    def below(self, touch: str, frame: Frame) -> Floats:
        """The picture below the touch or set with this id on ``frame``, a new array; KeyError if it is not there."""
        return self.stage(touch).draw(frame)

    def above(self, touch: str, frame: Frame) -> Floats:
        """The picture after a touch (after the set that holds it, if it is in one); KeyError if it is not there."""
        for number, step in enumerate(self.sheet.touches):
            if step.id == touch or (isinstance(step, Set) and any(s.id == touch for s in step.steps())):
                return self._run(self.sheet.touches[: number + 1], *self._start, frame)
        raise KeyError(touch)

    def reach(self, touch: str, frame: Frame) -> Floats:
        """Where a touch works, 0…1 on ``frame``: its area × its tone limit; KeyError if it is not there."""
        step, stage = self._step_of(touch), self.stage(touch)
        mask = self._mask(step, stage.draw(frame), frame, stage)
        return np.ones(frame.shape, np.float32) if mask is None else mask

    def area_of(self, touch: str) -> str | None:
        """The area that a touch works in; KeyError if the touch is not there."""
        return self._step_of(touch).area

    def _step_of(self, touch: str) -> Any:
        for step in self.sheet.steps():
            if step.id == touch:
                return step
        raise KeyError(touch)

    def stage(self, touch: str) -> Stage:
        """The stage below the touch or set with this id; KeyError if it is not there."""
        found = self._stage_in(self.sheet.touches, *self._start, touch)
        if found is None:
            raise KeyError(touch)
        return found

    def _stage_in(self, steps: Sequence[Step], key: str, start: Draw, touch: str) -> Stage | None:
        for number, step in enumerate(steps):
            before = steps[:number]
            stage = Stage(self._key(before, key), partial(self._run, before, key, start))
            if step.id == touch:
                return stage
            if isinstance(step, Set) and step.touches:
                inner = self._stage_in(step.touches, _hash("within", stage.key), stage.draw, touch)
                if inner is not None:
                    return inner
        return None

    def _key(self, steps: Sequence[Step], key: str) -> str:
        """The key of the stage that ``steps`` make of the stage ``key``."""
        for step in steps:
            if self._acts(step):
                key = _hash(key, self._step_print(step), str(self.fineness))
        return key

    def original(self, frame: Frame) -> Floats:
        """The original on ``frame``, encoded working colours; not to be changed."""
        key = _hash("original", self.picture.key)
        known = self.cache.get(key, frame)
        if known is None:
            known = self.picture.read(frame)
            self.cache.put(key, frame, known)
        return known

    def lab(self, frame: Frame, stage: Stage | None = None) -> Floats:
        """OKLab of a stage, or of the original, on ``frame``, light clipped to 0…1.

        It is kept, as a ramp or a reach is dragged over it.
        """
        stage = stage or Stage(*self._start)
        key = _hash("oklab", stage.key)
        known = self.cache.get(key, frame)
        if known is None:
            picture, known = stage.draw(frame), np.empty((*frame.shape, 3), np.float32)

            def work(rows: slice) -> None:
                known[rows] = oklab(picture[rows])

            in_bands(work, frame.h)
            self.cache.put(key, frame, known)
        return known

    def scaled(self, unit: float) -> Frame:
        """The whole picture at ``unit`` pixels on its long side, or at its own size if it has fewer."""
        share = min(1.0, unit / max(self.picture.width, self.picture.height))
        return Frame.whole(max(1, round(self.picture.width * share)), max(1, round(self.picture.height * share)))

    def found(self) -> Found | None:
        """What the program found on the picture; None while nothing was looked for."""
        if not self._looked:
            self._found, self._looked = self._find(), True
        return self._found

    def once(self, name: str, make: Callable[[], Floats]) -> Floats:
        """What ``make`` gives, made once for this picture and ``name``; not to be changed."""
        key = _hash("once", self.picture.key, name)
        known = self._surveys.get(key)
        if known is None:
            known = self.cache.whole(key)
        if known is None:
            known = make()
            self.cache.put(key, Frame.whole(known.shape[1], known.shape[0]), known)
        self._surveys[key] = known
        return known

    def _run(self, steps: Sequence[Step], key: str, start: Draw, frame: Frame) -> Floats:
        """Run ``steps`` on the stage ``key`` that ``start(frame)`` gives; the result is the caller's own array."""
        key_at_start = key
        plan: list[tuple[str, Any]] = [(key, None)]
        for step in steps:
            if self._acts(step):
                key = self._key([step], key)
                plan.append((key, step))
        first, picture = 0, None
        for first in range(len(plan) - 1, 0, -1):
            if (picture := self.cache.get(plan[first][0], frame)) is not None:
                break
        else:
            first = 0
        picture = (start(frame) if picture is None else picture).copy()
        for at in range(first, len(plan) - 1):
            below, step = plan[at][0], plan[at + 1][1]
            # The stage that this run began with is kept already.
            if at > first and self._holds_kept(step):
                self.cache.put(below, frame, picture.copy())
            before = [s for _, s in plan[1 : at + 1]]
            self._step(step, below, picture, frame, partial(self._run, before, key_at_start, start))
        return picture

    def _acts(self, step: Touch | Set | UnknownTouch) -> bool:
        if isinstance(step, UnknownTouch) or not step.on or step.strength == 0:
            return False
        if isinstance(step, Set):
            return any(self._acts(inner) for inner in step.touches)
        return step.blend != "normal" or not step.settings.neutral

    def _holds_kept(self, step: Touch | Set) -> bool:
        return step.id == self.keep or (isinstance(step, Set) and any(self._holds_kept(s) for s in step.touches))  # type: ignore[arg-type]

    def _step(self, step: Touch | Set, key: str, picture: Floats, frame: Frame, below: Draw) -> None:
        """Change ``picture``, the stage ``key`` on ``frame``; ``below`` draws that stage on another frame."""

        def start(at: Frame) -> Floats:
            return picture if at == frame else below(at)

        mask = self._mask(step, picture, frame, Stage(key, start))
        if mask is not None and not mask.any():
            return
        if isinstance(step, Set):
            inner = self._run(step.touches, _hash("within", key), start, frame)
            mix(picture, inner, mask, step.strength)
            return
        kind = step.settings
        if mask is not None:
            covered = np.flatnonzero(mask.any(axis=1))
            rows = slice(int(covered[0]), int(covered[-1]) + 1)
            picture, mask, frame = picture[rows], mask[rows], frame.rows(rows.start, rows.stop)
        if isinstance(kind, Wide):
            survey = self._survey(kind, key, frame, below)
            if step.blend == "normal":
                kind.apply(picture, survey, mask, step.strength)
            else:
                changed = picture.copy()
                kind.apply(changed, survey, None, 1.0)
                mix(picture, blended(picture, changed, step.blend), mask, step.strength)
        elif isinstance(kind, Placed) and not kind.everywhere:
            lay(picture, *kind.laid(*frame.places()), step.blend, mask, step.strength)
        else:
            table = table_of(step.kind, kind.model_dump_json(), step.blend, self.fineness)
            apply_table(picture, table, mask, step.strength)

    def _survey(self, kind: Wide, key: str, frame: Frame, below: Draw) -> Floats:
        """The map that a wide kind makes of the whole stage ``key``, brought to ``frame``."""
        # A draft's map is half as long: about 0.1 of an 8-bit step away, and its stages cost a quarter.
        small = self.scaled(kind.map_side // 2 if self.fineness == DRAFT else kind.map_side)
        # The same map for every setting of the kind: a drag makes it once, and an export for all its bands.
        name = _hash("survey", kind.kind, key)
        known = self._surveys.get(name)
        if known is None:
            known = self.cache.get(name, small)
        if known is None:
            stage = below(small)
            # The next wide touch starts from here.
            self.cache.put(key, small, stage)
            known = kind.survey(stage)
            self.cache.put(name, small, known)
        self._surveys[name] = known
        return resample(known, small, frame)

    def _mask(self, step: Touch | Set, below: Floats, frame: Frame, stage: Stage) -> Floats | None:
        mask = None if step.area is None else self.area(step.area, frame, stage)
        if step.limit is not None and step.limit != ToneLimit():
            source = below if step.limit.of == "below" else self.original(frame)
            through = ramp(lightness(source), step.limit.ramp)
            mask = through if mask is None else mask * through
        return mask

    def _print(self, area: str) -> str:
        """The fingerprint of an area: its recipe and those of the areas it uses."""
        if area not in self._prints:
            rest = self.sheet.area(area).model_dump_json(exclude={"id", "name", "needs_look", "parts"})
            # What is shown meanwhile is never kept as what is waited for.
            waits = "waits" if self._waits(area) else ""
            self._prints[area] = _hash("area", rest, self._parts_print(area), waits)
        return self._prints[area]

    def _waits(self, area: str) -> bool:
        """Whether an area's matte is still being worked out; it is begun if it was not."""
        if self.later is None or self.sheet.area(area).refine != "hair" or self._looks_below(area):
            return False
        name = matte_name(self._parts_print(area))
        if self.cache.whole(_hash("once", self.picture.key, name)) is not None:
            return False
        alone = Renderer(self.picture, self.sheet, self.cache, self.fineness, found=self._find)
        if not self.later(f"{self.picture.key} {name}", lambda: alone.area(area, alone.scaled(SMALL))):
            return False
        self.waiting.add(area)
        return True

    def _parts_print(self, area: str) -> str:
        """The fingerprint of what an area is joined from."""
        model: Area = self.sheet.area(area)
        used = [self._print(p.area) for p in model.parts if getattr(p, "source", "") == "area"]  # type: ignore[union-attr]
        asked = any(getattr(p, "source", "") in FINDS for p in model.parts)
        found = self.found() if asked else None
        return _hash("parts", model.model_dump_json(include={"parts"}), "" if found is None else found.key, *used)

    def _step_print(self, step: Any) -> str:
        own = step.model_dump_json(exclude={"id", "name", "note", "area", "touches", "on"})
        area = "" if step.area is None else self._print(step.area)
        inner = [self._step_print(s) for s in step.touches if self._acts(s)] if isinstance(step, Set) else []
        return _hash(own, area, *inner)


class _Seeing:
    """What the sources of an area look at when the picture below is ``stage``: see :class:`retouch.areas.base.Look`."""

    def __init__(self, renderer: Renderer, stage: Stage | None):
        self._renderer, self._stage = renderer, stage
        self.original, self.scaled = renderer.original, renderer.scaled
        self.found, self.once = renderer.found, renderer.once

    def area(self, area: str, frame: Frame) -> Floats:
        return self._renderer.area(area, frame, self._stage)

    def lab(self, frame: Frame, of: Seen = "original") -> Floats:
        return self._renderer.lab(frame, self._stage if of == "below" else None)


@lru_cache(maxsize=64)
def table_of(kind: str, settings: str, mode: Blend, n: int) -> Table:
    """The table of a touch kind with ``settings`` (JSON) blended by ``mode``, on n nodes a side."""
    touch = KINDS[kind].model_validate(json.loads(settings))

    def rule(colours: Floats) -> Floats:
        return blend(colours, colours if touch.neutral else touch.rule(colours), mode)

    if touch.channelwise and mode not in NON_SEPARABLE:
        return bake_line(rule)
    return bake_lattice(rule, n)


def _hash(*parts: str) -> str:
    return hashlib.blake2b("\0".join(parts).encode(), digest_size=16).hexdigest()
