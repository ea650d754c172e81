"""A sheet on one frame: which stages there are, which are still known, and what is left to compute.

A stage is the picture after a touch. Its key is a hash of everything that went into it (the original, every touch
before it, the areas they use), so that a change to touch *k* finds the stage before *k* and starts there. Frames of
one scale share stages: a rectangle is cut from a larger stage that holds it.
"""

import hashlib
import json
from collections import OrderedDict
from functools import lru_cache
from threading import Lock
from typing import Any

from retouch.areas.base import Part
from retouch.areas.recipe import recipe
from retouch.frame import Frame
from retouch.render.limit import lightness, ramp
from retouch.render.picture import Picture
from retouch.render.table import Table, apply_table, bake_lattice, bake_line, mix
from retouch.sheet import Area, Set, Sheet, ToneLimit, Touch
from retouch.sheet.model import UnknownTouch
from retouch.touches import KINDS
from retouch.touches.blend import NON_SEPARABLE, Blend, blend
from retouch.types import Floats

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


class Renderer:
    """A picture and a sheet, ready to be drawn on any frame.

    ``fineness`` is the tables' nodes on a side. ``keep`` is the id of the touch in hand: the stage before it is kept
    in ``cache``. Unknown touches and parts change nothing.
    """

    def __init__(
        self,
        picture: Picture,
        sheet: Sheet,
        cache: Cache | None = None,
        fineness: int = FINE,
        keep: str | None = None,
    ):
        self.picture, self.sheet, self.cache = picture, sheet, cache or Cache(0)
        self.fineness, self.keep = fineness, keep
        self._prints: dict[str, str] = {}

    def draw(self, frame: Frame) -> Floats:
        """The finished picture on ``frame``: encoded working colours, a new float32 array of ``frame.shape`` × 3."""
        start = _hash("original", self.picture.key)
        return self._run(self.sheet.touches, start, lambda: self._original(frame), frame)

    def area(self, area: str, frame: Frame) -> Floats:
        """Coverage 0…1 of the area with this id on ``frame``, float32; not to be changed."""
        key = self._print(area)
        known = self.cache.get(key, frame)
        if known is None:
            model = self.sheet.area(area)
            parts = [p for p in model.parts if isinstance(p, Part)]
            known = recipe(parts, model.grow, model.feather, model.invert, frame, self)
            self.cache.put(key, frame, known)
        return known

    def _original(self, frame: Frame) -> Floats:
        key = _hash("original", self.picture.key)
        known = self.cache.get(key, frame)
        if known is None:
            known = self.picture.read(frame)
            self.cache.put(key, frame, known)
        return known

    def _run(self, steps, key, start, frame):  # type: ignore[no-untyped-def]
        """Run ``steps`` on the stage ``key`` that ``start()`` gives; the result is the caller's own array."""
        plan: list[tuple[str, Any]] = [(key, None)]
        for step in steps:
            if self._acts(step):
                key = _hash(key, self._step_print(step), str(self.fineness))
                plan.append((key, step))
        first, picture = 0, None
        for first in range(len(plan) - 1, 0, -1):
            if (picture := self.cache.get(plan[first][0], frame)) is not None:
                break
        else:
            first = 0
        picture = (start() if picture is None else picture).copy()
        for at in range(first, len(plan) - 1):
            step = plan[at + 1][1]
            if at and self._holds_kept(step):
                self.cache.put(plan[at][0], frame, picture.copy())
            self._step(step, plan[at][0], picture, frame)
        return picture

    def _acts(self, step: Touch | Set | UnknownTouch) -> bool:
        if isinstance(step, UnknownTouch) or not step.on or step.strength == 0:
            return False
        if isinstance(step, Set):
            return any(self._acts(inner) for inner in step.touches)
        return step.blend != "normal" or not step.settings.neutral

    def _holds_kept(self, step: Touch | Set) -> bool:
        return step.id == self.keep or (isinstance(step, Set) and any(self._holds_kept(s) for s in step.touches))  # type: ignore[arg-type]

    def _step(self, step: Touch | Set, key: str, picture: Floats, frame: Frame) -> None:
        mask = self._mask(step, picture, frame)
        if mask is not None and not mask.any():
            return
        if isinstance(step, Set):
            inner = self._run(step.touches, _hash("within", key), lambda: picture, frame)
            mix(picture, inner, mask, step.strength)
        else:
            settings = step.settings.model_dump_json()
            apply_table(picture, table_of(step.kind, settings, step.blend, self.fineness), mask, step.strength)

    def _mask(self, step: Touch | Set, below: Floats, frame: Frame) -> Floats | None:
        mask = None if step.area is None else self.area(step.area, frame)
        if step.limit is not None and step.limit != ToneLimit():
            source = below if step.limit.of == "below" else self._original(frame)
            through = ramp(lightness(source), step.limit.ramp)
            mask = through if mask is None else mask * through
        return mask

    def _print(self, area: str) -> str:
        """The fingerprint of an area: its recipe and those of the areas it uses."""
        if area not in self._prints:
            model: Area = self.sheet.area(area)
            used = [self._print(p.area) for p in model.parts if getattr(p, "source", "") == "area"]  # type: ignore[union-attr]
            self._prints[area] = _hash("area", model.model_dump_json(exclude={"id", "name"}), *used)
        return self._prints[area]

    def _step_print(self, step: Touch | Set) -> str:
        own = step.model_dump_json(exclude={"id", "name", "area", "touches", "on"})
        area = "" if step.area is None else self._print(step.area)
        inner = [self._step_print(s) for s in step.touches if self._acts(s)] if isinstance(step, Set) else []  # type: ignore[arg-type]
        return _hash(own, area, *inner)


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
