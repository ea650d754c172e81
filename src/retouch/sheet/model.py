"""The sheet as pydantic models: what may stand in it, within which limits, and in which version.

The models of area sources and touch kinds come from their registries; what this version does not know is kept as
it stands and passed on (``UnknownPart``, ``UnknownTouch``).
"""

import json
from collections.abc import Iterator
from functools import cached_property, reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any, Literal, cast

from pydantic import (
    BaseModel,
    ConfigDict,
    Discriminator,
    Field,
    Tag,
    ValidationError,
    ValidationInfo,
    create_model,
    model_validator,
)

from retouch.areas import SOURCES
from retouch.areas.base import Id, Part, Unit
from retouch.areas.recipe import SHORTEST
from retouch.areas.refine import Refine
from retouch.shape.geometry import Geometry
from retouch.sheet.migrations import VERSION, migrate
from retouch.touches import KINDS
from retouch.touches.base import Kind
from retouch.touches.blend import Blend
from retouch.types import NEW, PictureError, Record, digest_of, is_new

DEEPEST_SET = 4
Name = Annotated[str, Field(max_length=120)]


def _one_of(models: dict[str, Any], field: str) -> Any:
    """The type of "one of ``models``", told apart by ``field``; any other name is read by the model "?"."""

    def tag(value: Any) -> str:
        name = value.get(field) if isinstance(value, dict) else getattr(value, field, None)
        return name if isinstance(name, str) and name in models else "?"

    return Annotated[reduce(or_, (Annotated[m, Tag(n)] for n, m in models.items())), Discriminator(tag)]


class UnknownPart(BaseModel):
    """A part from a newer program: kept, shown as not understood, covering nothing."""

    model_config = ConfigDict(extra="allow")
    source: str
    id: Id | None = None
    on: bool = True


if TYPE_CHECKING:
    AnyPart = Part | UnknownPart
else:
    AnyPart = _one_of({**SOURCES, "?": UnknownPart}, "source")


class Area(Record):
    """A named place in the picture: a recipe of parts that yields coverage 0…1 for every pixel."""

    id: Id
    name: Name = ""
    parts: list[AnyPart] = Field(default_factory=list, max_length=200)
    refine: Refine = Field("no", description="bring the parts' edges to the picture's: its edges, or single hairs")
    grow: float = Field(0.0, ge=-0.5, le=0.5, description="widen (negative: narrow) by this length, in long sides")
    feather: float = Field(0.0, ge=0, le=0.5, description="an edge rises from 16 % to 84 % over it, in long sides")
    invert: bool = False

    @model_validator(mode="after")
    def _long_enough(self, info: ValidationInfo) -> "Area":
        for name, length in (("feather", self.feather), ("growth", self.grow)):
            if is_new(info) and 0 < abs(length) < SHORTEST:
                raise ValueError(
                    f"a {name} of {length:.1g} of the long side is shorter than any pixel: take 0 for none"
                )
        return self

    needs_look: bool = Field(False, description="came from another portrait and was placed by hand there")

    @cached_property
    def shaping(self) -> str:
        """A name for what is done with the joined parts: refined, grown, feathered, inverted."""
        return digest_of(self.model_dump_json(include={"refine", "grow", "feather", "invert"}))

    @property
    def known(self) -> list[Part]:
        """The parts that are on and understood, in their order."""
        return [p for p in self.parts if isinstance(p, Part) and p.on]


class ToneLimit(Record):
    """Lets a touch work only in some tones: 0 below ``ramp[0]``, rising to 1 at ``ramp[1]``, falling from ``ramp[2]``.

    The four numbers are OKLab lightness 0…1 and do not fall.
    """

    ramp: tuple[Unit, Unit, Unit, Unit] = (0.0, 0.0, 1.0, 1.0)
    of: Literal["below", "original"] = "below"

    @model_validator(mode="after")
    def _rises(self) -> "ToneLimit":
        if list(self.ramp) != sorted(self.ramp):
            raise ValueError("the four tones of a tone limit must not fall")
        return self


class Step(Record):
    """What touches and sets have in common."""

    id: Id
    name: Name = Field("", description="empty: the sentence writes itself")
    note: Annotated[str, Field(max_length=2000)] = Field("", description="what the photographer wants to remember")
    area: Id | None = Field(None, description="none: the whole picture")
    strength: Unit = 1.0
    limit: ToneLimit | None = None
    on: bool = True

    @cached_property
    def doing(self) -> str:
        """A name for what it does by itself, wherever it works and whatever it is called."""
        said = self.model_dump_json(exclude={"id", "name", "note", "area", "touches", "on", "settings", "needs_look"})
        # What the settings say has a name already, and stands for a stroke that still grows.
        own = (self.settings.digest, str(self.settings.version)) if isinstance(self, Touch) else ()
        return digest_of(said, *own)


class Touch(Step):
    """One change: ``mix(below, blend(below, change(below)), coverage × tone limit × strength)``."""

    kind: str
    settings: Kind
    blend: Blend = "normal"
    needs_look: bool = Field(False, description="came from another portrait with what was placed by hand there")


class UnknownTouch(BaseModel):
    """A touch from a newer program: kept, shown as not understood, changing nothing."""

    model_config = ConfigDict(extra="allow")
    id: Id
    kind: str
    name: Name = ""
    area: Id | None = None
    on: bool = True


class Set(Step):
    """Touches kept together: they run on what is below the set, which is then mixed in once."""

    kind: Literal["set"] = "set"
    touches: list["AnyTouch"] = Field(default_factory=list, max_length=500)

    def steps(self) -> Iterator["Touch | Set | UnknownTouch"]:
        """Every touch and set within, sets before their own touches."""
        return _steps(self.touches)


def _steps(touches: "list[AnyTouch]") -> Iterator["Touch | Set | UnknownTouch"]:
    stack = list(reversed(touches))
    while stack:
        step = stack.pop()
        yield step
        if isinstance(step, Set):
            stack += reversed(step.touches)


def touch_model(kind: type[Kind]) -> type[Touch]:
    """The model of touches of a kind."""
    return create_model(
        f"{kind.__name__}Touch",
        __base__=Touch,
        __doc__=kind.__doc__,
        kind=(cast(Any, Literal[kind.kind]), kind.kind),
        settings=(kind, Field(default_factory=kind)),
    )


TOUCHES: dict[str, type[Touch]] = {name: touch_model(kind) for name, kind in KINDS.items()}

if TYPE_CHECKING:
    AnyTouch = Touch | Set | UnknownTouch
else:
    AnyTouch = _one_of({**TOUCHES, "set": Set, "?": UnknownTouch}, "kind")

Set.model_rebuild()


class Sheet(Record):
    """The retouch of one portrait: areas, and touches in working order."""

    format: Literal["needlepoint-sheet"] = "needlepoint-sheet"
    version: Annotated[int, Field(ge=VERSION, le=VERSION)] = VERSION
    people: list[Annotated[str, Field(max_length=60)]] = Field(
        default_factory=list, max_length=500,
        description="names of the people, by the number of their face from the left; empty: not named",
    )  # fmt: skip
    geometry: Geometry = Field(default_factory=Geometry, description="turned, straightened, cropped: at the end")
    areas: list[Area] = Field(default_factory=list, max_length=500)
    touches: list[AnyTouch] = Field(default_factory=list, max_length=500)

    @cached_property
    def by_id(self) -> dict[str, Area]:
        """The areas by their ids."""
        return {a.id: a for a in self.areas}

    def area(self, area: str) -> Area:
        """The area with this id; KeyError if there is none."""
        return self.by_id[area]

    @cached_property
    def _resting(self) -> dict[str, tuple[str, ...]]:
        return {}

    def rests_on(self, area: str) -> tuple[str, ...]:
        """Ids of the areas from which this one is made, those first that others are made from, and itself last."""
        if area not in self._resting:
            order: dict[str, None] = {}
            stack = [(area, False)]
            while stack:
                name, ready = stack.pop()
                if ready:
                    order[name] = None
                elif name not in order:
                    stack.append((name, True))
                    stack += [(other, False) for p in self.area(name).known for other in p.others]
            self._resting[area] = tuple(order)
        return self._resting[area]

    def looks_below(self, area: str) -> bool:
        """Whether an area, or one that it is made from, looks at the picture below the touch that uses it."""
        return any(p.looks_below for name in self.rests_on(area) for p in self.area(name).known)

    def steps(self) -> Iterator[Touch | Set | UnknownTouch]:
        """Every touch and set, sets before their own touches."""
        return _steps(self.touches)

    @model_validator(mode="after")
    def _holds_together(self) -> "Sheet":
        _unique(a.id for a in self.areas)
        _unique(s.id for s in self.steps())
        names = {a.id: a.name or a.id for a in self.areas}
        needs = {a.id: [o for p in a.parts if isinstance(p, Part) for o in p.others] for a in self.areas}
        for name, others in needs.items():
            for other in others:
                if other not in names:
                    raise ValueError(f"area “{names[name]}” uses an area that is not there ({other})")
        for step in self.steps():
            if step.area is not None and step.area not in names:
                raise ValueError(f"touch {step.id} works on an area that is not there ({step.area})")
            for area in step.settings.others if isinstance(step, Touch) else ():
                if area not in names:
                    raise ValueError(f"touch {step.id} names an area that is not there ({area})")
        _no_circle(needs, names)
        _not_too_deep(self.touches, 1)
        return self


def _unique(ids: Iterator[str]) -> None:
    seen: set[str] = set()
    for name in ids:
        if name in seen:
            raise ValueError(f"the id {name} is used twice")
        seen.add(name)


def _no_circle(needs: dict[str, list[str]], names: dict[str, str]) -> None:
    done: set[str] = set()
    for start in needs:
        path = [start]
        branches = [iter(needs[start])]
        while branches:
            if (step := next(branches[-1], None)) is None:
                branches.pop()
                done.add(path.pop())
            elif step in path:
                circle = " → ".join(f"“{names[a]}”" for a in [*path[path.index(step) :], step])
                raise ValueError(f"these areas go round in a circle: {circle}")
            elif step not in done:
                path.append(step)
                branches.append(iter(needs[step]))


def _not_too_deep(touches: list[Any], depth: int) -> None:
    for step in touches:
        if isinstance(step, Set):
            if depth > DEEPEST_SET:
                raise ValueError(f"sets stand inside each other more than {DEEPEST_SET} deep")
            _not_too_deep(step.touches, depth + 1)


def read_sheet(data: str | bytes | dict[str, Any]) -> Sheet:
    """Read a sheet of this or an older version.

    Raises
    ------
    PictureError
        In one sentence: what is wrong and where.
    """
    try:
        raw = data if isinstance(data, dict) else json.loads(data)
    except (ValueError, RecursionError) as error:
        raise PictureError("This sheet is not readable JSON.") from error
    if not isinstance(raw, dict) or raw.get("format") != "needlepoint-sheet":
        raise PictureError("This file is not a Needlepoint sheet.")
    try:
        return Sheet.model_validate(migrate(raw), context=NEW)
    except (ValidationError, RecursionError) as error:
        raise PictureError(f"This sheet cannot be used: {plain(error)}.") from error


def plain(error: ValidationError | RecursionError) -> str:
    """The first complaint of a validation error as half a sentence."""
    if isinstance(error, RecursionError):
        return "it is nested too deeply"
    first = error.errors()[0]
    message = first["msg"].removeprefix("Value error, ")
    if first["type"] == "value_error":
        return message
    where = ".".join(str(p) for p in first["loc"])
    return f"{where}: {message[:1].lower()}{message[1:]}" if where else message
