"""Strokes that are being painted: their points so far, so that a dab sends only what is new."""

from dataclasses import dataclass, field
from threading import Lock
from typing import Any
from uuid import UUID

import numpy as np
from django.conf import settings

from retouch.areas.sources.strokes import Strokes
from retouch.brush.stroke import Stroke
from retouch.brush.tip import Way, Wet, lengths
from retouch.frame import Frame
from retouch.sheet import Set, Sheet, Touch
from retouch.touches.dodge_burn import DodgeBurn, LightStroke
from retouch.touches.repair import Mending, Patch, Repair
from retouch.touches.reshape import Reshape, ShapeStroke, WetShape
from retouch.types import Floats, PictureError
from studio.recent import Recent

MOST_POINTS = 20_000


class PointsMissing(Exception):
    """Points of the stroke before these are not here: it must be sent from its beginning."""


@dataclass
class Growing:
    """A stroke that is being painted, and where it has been laid so far."""

    stroke: Stroke
    points: Floats = field(default_factory=lambda: np.empty((256, 3)))
    along: Floats = field(default_factory=lambda: np.zeros(256))
    count: int = 0
    wet: Wet | WetShape | None = None
    lock: Any = field(default_factory=Lock)

    def add(self, start: int, points: list[tuple[float, float, float]]) -> None:
        """Take points that stand at ``start``; those that are here already are passed over."""
        if start > self.count:
            raise PointsMissing
        fresh = points[self.count - start :]
        if self.count + len(fresh) > MOST_POINTS:
            raise PictureError(f"A stroke has at most {MOST_POINTS} points. Lift the brush, and go on with another.")
        while self.count + len(fresh) > len(self.points):
            self.points = np.concatenate([self.points, np.empty_like(self.points)])
            self.along = np.concatenate([self.along, np.zeros_like(self.along)])
        if fresh:
            before, after = max(0, self.count - 1), self.count + len(fresh)
            self.points[self.count : after] = fresh
            self.along[before:after] = lengths(self.points[before:after], self.along[before])
            self.count = after

    def on(self, frame: Frame, name: str) -> Stroke:
        """The stroke as far as it is, on the view ``frame``."""
        if isinstance(self.stroke, ShapeStroke):
            self.wet = self.wet or WetShape()
        elif not isinstance(self.wet, Wet) or self.wet.frame != frame:
            self.wet = Wet(frame)
        way = Way(self.points[: self.count], self.along[: self.count])
        return self.stroke.growing(way, f"{name} {self.count}", self.wet)

    def reached(self, since: int) -> tuple[float, float, float, float]:
        """Left, top, right, bottom (long sides) of what the stroke covers anew since it had ``since`` points."""
        stroke = self.stroke
        # What it runs round is filled as a whole, and the last piece that keeps to edges is looked at anew.
        first = 0 if stroke.looks_back else max(0, since - 1)
        way = self.points[first : self.count, :2]
        reach = stroke.size * stroke.spreads
        low, high = way.min(0) - reach, way.max(0) + reach
        return float(low[0]), float(low[1]), float(high[0]), float(high[1])


GROWING: Recent[tuple[UUID, str], Growing] = Recent(settings.GROWING_STROKES)


def painted(sheet: Sheet, area: str, part: str | int, stroke: Stroke) -> Sheet:
    """The sheet with a stroke more in a part; it shares all else. PictureError if the part is not there."""
    found = sheet.by_id.get(area)
    parts = list(found.parts) if found is not None else []
    at = next((n for n, p in enumerate(parts) if part in (n, p.id) and isinstance(p, Strokes)), None)
    if found is None or at is None:
        raise PictureError("The area that is painted on is no longer there. The stroke was not kept.")
    strokes: Any = parts[at]
    parts[at] = strokes.with_one_more(stroke)
    areas = [a.model_copy(update={"parts": parts}) if a is found else a for a in sheet.areas]
    return sheet.model_copy(update={"areas": areas})


def painted_on(sheet: Sheet, touch: str, stroke: Stroke, mending: Mending | None = None) -> Sheet:
    """The sheet with a stroke more in a touch that owns strokes, or with ``mending`` patches.

    PictureError if there is no such touch.
    """
    changed = [_with_stroke(step, touch, stroke, mending) for step in sheet.touches]
    if all(new is old for new, old in zip(changed, sheet.touches, strict=True)):
        raise PictureError("The touch that is painted with is no longer there. The stroke was not kept.")
    return sheet.model_copy(update={"touches": changed})


def _with_stroke(step: Any, touch: str, stroke: Stroke, mending: Mending | None) -> Any:
    if isinstance(step, Set):
        inner = [_with_stroke(s, touch, stroke, mending) for s in step.touches]
        if all(new is old for new, old in zip(inner, step.touches, strict=True)):
            return step
        return step.model_copy(update={"touches": inner})
    kind = step.settings if isinstance(step, Touch) and step.id == touch else None
    if isinstance(kind, DodgeBurn) and isinstance(stroke, LightStroke):
        return step.model_copy(update={"settings": kind.with_one_more(stroke)})
    if isinstance(kind, Reshape) and isinstance(stroke, ShapeStroke):
        return step.model_copy(update={"settings": kind.with_one_more(stroke)})
    if isinstance(kind, Repair) and mending is not None:
        patch = Patch(**dict(mending), id="wet", strokes=[stroke])
        return step.model_copy(update={"settings": kind.with_one_more(patch)})
    return step
