"""Shape: things pushed, swollen, drawn in or turned a little, with strokes and by the parts of a face."""

import hashlib
from collections.abc import Iterator
from functools import cached_property
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field as Setting
from pydantic import model_validator

from retouch.brush.stroke import Stroke
from retouch.frame import Frame
from retouch.shape.field import NODES, Dab, Field
from retouch.shape.forms import FaceForm, FormAmounts, form_dabs
from retouch.touches.base import Heading, Memory, Moved, ReadyPlace, ReadyTouch, found_part
from retouch.types import Coverage, Floats, Place, digest_of

STEP = 0.125
"""Way from dab to dab, in diameters of the brush."""
SWELL, TURN, RELAX = 0.06, 0.06, 0.3
"""What one dab of full flow does: share, radians, share of what was done."""
SOFTEST, RIM = 0.4, 0.014
"""Share of the radius, and length, over which a dab falls off at least: between the nodes a harder one would tear."""
MOST_OF_ONE, MOST_OF_ALL = 4e7, 4e8
"""Nodes that the dabs of one stroke, and of all strokes of a touch, may cover together: some seconds, a minute."""
LATEST = 3
"""How many of the last strokes may have come or gone for what was laid before them to be found again."""
HAIR = ReadyPlace("the hair", (found_part("hair"),), 0.002)
Does = Literal["push", "swell", "draw-in", "turn", "turn-back", "smooth", "back"]


class ShapeStroke(Stroke):
    """A stroke that moves what lies under it.

    ``mirror``: two places of a line; the stroke is laid on the other side of it as well.
    """

    size: float = Setting(ge=0.005, le=2, description="diameter, in long sides")
    does: Does = Setting("push", description="what it does")
    mirror: tuple[Place, Place] | None = None

    def dabs(self, growing: bool = False) -> Iterator[Dab]:
        """Its dabs in their order; of a stroke that grows those that will not change any more."""
        line, step = self.way, STEP * self.size
        count = self._count
        ends = list(np.arange(count + 1) * step)
        if not growing and ends[-1] + 1e-9 < line.length < ends[-1] + step:
            ends.append(line.length)
        x, y, pressure = (np.interp(ends, line.along, line.points[:, n]) for n in range(3))
        if self.does == "push":
            for n in range(1, len(ends)):
                share = self.flow * self._force(pressure[n])
                dx, dy = share * (x[n] - x[n - 1]), share * (y[n] - y[n - 1])
                yield from self._both(x[n] - dx / 2, y[n] - dy / 2, pressure[n], dx, dy, 0.0)
        else:
            for n in range(len(ends)):
                amount = self.flow * self._force(pressure[n]) * _FULL[self.does]
                yield from self._both(x[n], y[n], pressure[n], 0.0, 0.0, amount)

    @cached_property
    def _covers(self) -> float:
        """Nodes that one dab covers."""
        return max(16.0, min(1.0, self.size) ** 2 * NODES**2)

    @property
    def _count(self) -> int:
        # A way without an end moves nothing any more beyond what can be worked out while somebody waits.
        return int(min(self.way.length / (STEP * self.size), MOST_OF_ONE / self._covers))

    @property
    def cost(self) -> float:
        """Nodes that all its dabs cover together."""
        return (self._count + 1) * self._covers * (1 if self.mirror is None else 2)

    def _force(self, pressure: float) -> float:
        return float(pressure) if self.pressure == "flow" else 1.0

    def _both(self, x: float, y: float, pressure: float, dx: float, dy: float, amount: float) -> Iterator[Dab]:
        radius = self.size / 2 * (max(float(pressure), 0.1) if self.pressure == "size" else 1.0)
        does: Any = "turn" if self.does == "turn-back" else self.does
        soft = min(1.0, max(self.softness, SOFTEST, RIM / radius))
        yield Dab(does, float(x), float(y), radius, soft, float(dx), float(dy), amount)
        if self.mirror is not None:
            (px, py), (dx2, dy2) = _mirrored(self.mirror, (x, y), False), _mirrored(self.mirror, (dx, dy), True)
            yield Dab(does, px, py, radius, soft, dx2, dy2, -amount if does == "turn" else amount)


_FULL = {"swell": SWELL, "draw-in": SWELL, "turn": TURN, "turn-back": -TURN, "smooth": RELAX, "back": RELAX}


def _mirrored(line: tuple[Place, Place], at: tuple[float, float], way: bool) -> tuple[float, float]:
    """A place, or a way, on the other side of a line."""
    start = np.zeros(2) if way else np.array(line[0])
    along = np.array(line[1]) - np.array(line[0])
    along = along / max(float(np.hypot(*along)), 1e-9)
    off = np.array(at) - start
    out = start + 2 * (off @ along) * along - off
    return float(out[0]), float(out[1])


def _small(title: str, low: float, high: float, said: str) -> Any:
    extra: Any = {"unit": "%", "step": 0.25, "scale": 100, "needs": "forms"}
    return Setting(0.0, ge=low, le=high, title=title, description=said, json_schema_extra=extra)


class Reshape(Moved):
    """Small displacements, one to one, laid last over the finished picture.

    With an area what lies in it moves over its surroundings, which stay. Strokes lie in the upright original, so that
    each goes along with what it was laid on. The amounts for a face are shares of its height.
    """

    kind: ClassVar[str] = "reshape"
    title: ClassVar[str] = "Shape"
    stage: ClassVar[Heading] = "shape"
    sentence: ClassVar[str] = "Shape {where}"
    refers: ClassVar[tuple[str, ...]] = ("pinned",)
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Push into shape", ("push", "shape", "reshape", "collar", "lock", "straighten", "move", "form"), {}),
        ReadyTouch("Give flat hair body", ("hair", "volume", "flat", "body", "fuller", "swell"),
              {"next": "swell"}, place=HAIR),
        ReadyTouch("Draw in a little", ("narrower", "smaller", "slimmer", "draw in", "shape"), {"next": "draw-in"}),
        ReadyTouch("Eyes a little larger", ("eyes", "larger", "bigger", "open"), {"eyes": 0.03}, from_face=True),
        ReadyTouch("Even the height of the eyes", ("eyes", "level", "height", "even"), {"eyes_level": 0.5},
              from_face=True),
        ReadyTouch("Raise the corners of the mouth", ("mouth", "corners", "smile", "lift"), {"mouth": 0.008},
              from_face=True),
        ReadyTouch("Draw the jaw in", ("jaw", "chin", "narrower", "slimmer"), {"jaw": -0.01}, from_face=True),
        ReadyTouch("Narrow the nose", ("nose", "narrower"), {"nose": -0.006}, from_face=True),
        ReadyTouch("Sink a raised shoulder", ("shoulder", "shoulders", "raised", "lower"), {"right_shoulder": -0.05},
              from_face=True),
        ReadyTouch("Straighten the head", ("posture", "head", "tilt", "turn", "straighten", "neck"), {"posture": 1.0},
              from_face=True),
    )  # fmt: skip

    strokes: list[ShapeStroke] = Setting(
        default_factory=list, max_length=5_000, title="strokes", json_schema_extra={"control": "shapes"}
    )
    next: Does = Setting("push", title="the next stroke", json_schema_extra={"control": "part"})
    pinned: str | None = Setting(
        None, title="stays where it is", description="an area that never moves", json_schema_extra={"control": "area"}
    )
    forms: list[FaceForm] = Setting(
        default_factory=list, max_length=40, title="faces", json_schema_extra={"control": "part"}
    )
    eyes: float = _small("eyes larger", -0.06, 0.08, "share of their size")
    eyes_level: float = Setting(0.0, ge=0, le=1, title="eyes level", description="share of what lies between them",
                                json_schema_extra={"unit": "%", "step": 5, "scale": 100, "needs": "forms"})  # fmt: skip
    mouth: float = _small("mouth corners", -0.02, 0.02, "raised; share of the face's height")
    jaw: float = _small("jaw wider", -0.03, 0.03, "share of the face's height")
    nose: float = _small("nose wider", -0.015, 0.015, "share of the face's height")
    right_shoulder: float = _small(
        "right shoulder", -0.12, 0.12, "raised; the sitter's right; share of the face's height"
    )
    left_shoulder: float = _small("left shoulder", -0.12, 0.12, "raised; the sitter's left; share of the face's height")
    posture: float = Setting(0.0, ge=-4, le=4, title="head turned", description="about the neck",
                             json_schema_extra={"unit": "°", "step": 0.25, "needs": "forms"})  # fmt: skip

    @model_validator(mode="after")
    def _can_be_worked_out(self) -> Self:
        if sum(stroke.cost for stroke in self.strokes) > MOST_OF_ALL:
            raise ValueError("this shape has as many strokes as one can hold: begin another shape")
        return self

    @property
    def stays(self) -> str | None:
        """See :class:`Moved`."""
        return self.pinned

    @property
    def neutral(self) -> bool:
        """Nothing moves."""
        return not self.strokes and not (self.forms and any(self._amounts.model_dump().values()))

    @property
    def by_hand(self) -> bool:
        """Strokes lie where they were placed, and so do a face's parts."""
        return not self.neutral

    @cached_property
    def _amounts(self) -> FormAmounts:
        return FormAmounts(**{name: getattr(self, name) for name in FormAmounts.model_fields})

    @cached_property
    def digest(self) -> str:
        """See :class:`retouch.types.Record`; of the strokes' own names, so that one more costs little."""
        return digest_of(self._names[-1], self.pinned or "")

    @cached_property
    def _names(self) -> list[str]:
        """Names for all strokes but the last LATEST … none of them."""
        forms = [form.digest for form in self.forms] + [self._amounts.digest] if self.forms else []
        digests = [stroke.digest for stroke in self.strokes]
        start = max(0, len(digests) - LATEST)
        hashed = hashlib.blake2b("".join(["shape", *forms, *digests[:start]]).encode(), digest_size=16)
        names = [hashed.hexdigest()]
        for digest in digests[start:]:
            hashed.update(digest.encode())
            names.append(hashed.hexdigest())
        return names

    def with_one_more(self, stroke: ShapeStroke) -> "Reshape":
        """These strokes and another one, not validated."""
        return self.model_copy(update={"strokes": [*self.strokes, stroke]})

    def bent(self, grid: Frame, pinned: Coverage | None, name: str, memory: Memory) -> Floats:
        """See :class:`Moved`."""
        wet = self.strokes[-1].__dict__.get("wet") if self.strokes else None
        if wet is not None and wet.goes_on(self._names[-2] + name):
            return np.asarray(wet.grown(self.strokes[-1]))
        fresh, base = self.strokes, None
        for back, own in enumerate(reversed(self._names)):
            if (known := memory.kept(f"{own} {name}", grid)) is not None:
                fresh = self.strokes[len(self.strokes) - back :]
                base = known
                break
        if base is not None and not fresh:
            return base
        out = Field(grid, pinned) if base is None else Field.of(grid, pinned, base)
        if base is None:
            for form in self.forms:
                for dabs in form_dabs(form, self._amounts):
                    out.begin()
                    out.lay(dabs)
        for stroke in fresh:
            out.begin()
            if "wet" in stroke.__dict__:
                stroke.__dict__["wet"].start(self._names[-2] + name, out)
                return np.asarray(stroke.__dict__["wet"].grown(stroke))
            out.lay(stroke.dabs())
        kept = out.kept
        memory.keep(f"{self._names[-1]} {name}", grid, kept)
        return kept


class WetShape:
    """A stroke that still grows: what its finished dabs have done, so that each new one costs what is new in it."""

    def __init__(self) -> None:
        self._base, self._laid = "", 0
        self._field: Field | None = None

    def goes_on(self, base: str) -> bool:
        """Whether it lies over what has this name."""
        return self._field is not None and base == self._base

    def start(self, base: str, below: Field) -> None:
        """Begin over what has the name ``base``."""
        self._base, self._field, self._laid = base, below, 0

    def grown(self, stroke: ShapeStroke) -> Floats:
        """Moves with the stroke as far as it is."""
        assert self._field is not None
        dabs = list(stroke.dabs(growing=True))
        self._field.lay(dabs[self._laid :])
        self._laid = max(self._laid, len(dabs))
        return self._field.kept
