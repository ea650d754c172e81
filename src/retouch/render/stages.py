"""The stages of a sheet: the picture after each touch, in the order in which they are drawn."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil

from retouch.frame import Frame
from retouch.render.keys import Keys, Step, acts
from retouch.sheet import Set, Sheet, Touch
from retouch.touches.base import Drawn, Moved, Near
from retouch.types import digest_of


@dataclass(frozen=True)
class Stage:
    """The picture after some steps.

    ``below`` is the number of the stage that ``step`` works on; without a step it is the original (no ``below``) or,
    within a set, the picture below the set once more. ``inner`` is the last stage within a set.
    """

    key: str
    step: Touch | Set | None = None
    below: int | None = None
    inner: int | None = None

    def asks_below(self, frame: Frame) -> Frame:
        """Which rectangle of the stage below it reads for ``frame``."""
        kind = self.step.settings if isinstance(self.step, Touch) else None
        if isinstance(kind, Near):
            return frame.grown(halo(kind.reach, frame))
        return kind.spread(frame) if isinstance(kind, Drawn) else frame

    def spreads(self, frame: Frame) -> Frame:
        """The rectangle that looks different when the stage below changes in ``frame``."""
        kind = self.step.settings if isinstance(self.step, Touch) else None
        if isinstance(kind, Near):
            return frame.grown(halo(kind.reach, frame))
        return kind.reached(frame) if isinstance(kind, Drawn) else frame


def halo(reach: float, frame: Frame) -> int:
    """Pixels of ``frame`` that hold a length (long sides)."""
    return ceil(reach * frame.unit)


class Stages:
    """All stages of a sheet, each after those that it is made of.

    ``last`` is the finished picture before it is moved; ``moved`` the steps that move it, in their order.
    """

    def __init__(self, start: str, sheet: Sheet, keys: Keys, fineness: int):
        self.all: list[Stage] = [Stage(start)]
        self.moved: list[Touch] = []
        self._below: dict[str, int] = {}
        self._after: dict[str, int] = {}
        self._keys, self._fineness = keys, str(fineness)
        self.last = self._run(sheet.touches, 0, True)
        shaped = [keys.step(step) for step in self.moved]
        self.key = digest_of(self.all[self.last].key, *shaped) if shaped else self.all[self.last].key

    def below(self, touch: str) -> int:
        """The number of the stage below the touch or set with this id; KeyError if it is not there."""
        return self._below[touch]

    def after(self, touch: str) -> int:
        """The stage after a touch (after the outermost set that holds it); KeyError if it is not there."""
        return self._after[touch]

    def _run(self, steps: Sequence[Step], now: int, counts: bool) -> int:
        """Add the stages of ``steps`` on the stage ``now``; the last's number. ``counts``: the result shows them."""
        for step in steps:
            self._below[step.id] = now
            works = acts(step)
            if isinstance(step, Set) and step.touches:
                within = self._add(Stage(digest_of("within", self.all[now].key), below=now))
                inner = self._run(step.touches, within, counts and works)
                if works:
                    now = self._add(Stage(self._key(now, step), step, now, inner))
            elif works and isinstance(step, Touch):
                if isinstance(step.settings, Moved):
                    self.moved += [step] if counts else []
                else:
                    now = self._add(Stage(self._key(now, step), step, now))
            self._after[step.id] = now
            if isinstance(step, Set):
                self._after |= {s.id: now for s in step.steps()}
        return now

    def _key(self, below: int, step: Touch | Set) -> str:
        return digest_of(self.all[below].key, self._keys.step(step), self._fineness)

    def _add(self, stage: Stage) -> int:
        self.all.append(stage)
        return len(self.all) - 1
