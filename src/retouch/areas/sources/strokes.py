"""Brush strokes: points with pressure, never pixels."""

import hashlib
from dataclasses import replace
from functools import cached_property
from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, ValidationInfo, field_validator

from retouch.areas.base import Made, Part, Sight, Unit
from retouch.areas.edges import kept
from retouch.areas.sources.outline import inside_of
from retouch.areas.structure import calm
from retouch.areas.tip import Tip, Way, Wet, lay
from retouch.frame import Frame
from retouch.types import Coverage, Floats, Record, digest_of, is_new

LONGEST = 200
"""The longest way of a stroke, in long sides."""
LATEST = 3
"""How many of the last strokes may have come or gone for what was laid before them to be found again."""

Coordinate = Annotated[float, Field(ge=-4, le=5)]


class Stroke(Record):
    """One stroke of the brush.

    The coverage of a pixel is ``ceiling × tip × (1 − (1 − flow)^passes)``, where ``tip`` is the tip's profile at the
    stroke's nearest point and ``passes`` (≥ 1 under the stroke) counts how often the stroke went over the pixel.
    So a straight pass builds exactly ``flow × ceiling`` along its middle, crossing it again builds more, the soft
    edge keeps its profile, and the result depends neither on the picture's scale nor on the pointer's speed.
    """

    size: float = Field(gt=0, le=2, description="diameter, in long sides")
    softness: Unit = Field(0.5, description="share of the radius over which the edge falls off")
    flow: Unit = Field(1.0, description="what one pass builds")
    ceiling: Unit = Field(1.0, description="the most coverage this stroke can build")
    erase: bool = Field(False, description="takes coverage away instead")
    keep_edges: bool = Field(False, description="cover only what is connected in colour to the stroke's core")
    spare_structure: bool = Field(False, description="stay off fine structure: lashes, brows, lips, hair")
    fill_inside: bool = Field(False, description="cover also what it runs round, closed from its end to its start")
    pressure: Literal["none", "size", "flow"] = Field("none", description="what the pen's pressure changes")
    points: list[tuple[Coordinate, Coordinate, Unit]] = Field(
        min_length=1, max_length=20_000, description="x, y in long sides from the top left; pressure 0…1"
    )

    @field_validator("points")
    @classmethod
    def _short_enough(cls, points: list[Any], info: ValidationInfo) -> list[Any]:
        if is_new(info) and Way(np.array(points, np.float64)).length > LONGEST:
            raise ValueError(f"this stroke is longer than {LONGEST} times the picture: paint it in several")
        return points

    @cached_property
    def way(self) -> Way:
        """Its points, and how far along each lies."""
        return Way(np.array(self.points, np.float64))

    @cached_property
    def tip(self) -> Tip:
        """How it lays itself down."""
        return Tip(self.size, self.softness, self.flow, self.ceiling, self.erase, self.pressure)

    @property
    def plain(self) -> bool:
        """Whether it covers what its tip runs over and nothing else."""
        return not (self.keep_edges or self.spare_structure or self.fill_inside)

    def growing(self, way: Way, name: str, wet: Wet) -> Self:
        """This stroke with another way, while it is being painted: ``name`` stands for it, ``wet`` is what was laid."""
        stroke = self.model_copy()
        stroke.__dict__.update(way=way, digest=name, wet=wet)
        return stroke


class Strokes(Part):
    """Painted by hand. Strokes that build add what is missing to 1; strokes that erase take their share away."""

    title: ClassVar[str] = "brush"
    detail: ClassVar[str] = "{strokes#stroke}"
    bare: ClassVar[str] = "nothing painted yet"
    made_by: ClassVar[Made] = "brush"
    source: Literal["strokes"] = "strokes"
    strokes: list[Stroke] = Field(default_factory=list, max_length=5_000)

    def with_one_more(self, stroke: Stroke) -> Self:
        """These strokes and another one, not validated: whatever was worked out of these is used for it."""
        more = self.model_copy(update={"strokes": [*self.strokes, stroke]})
        hashed = self._hashed.copy()
        hashed.update(stroke.digest.encode())
        more.__dict__.update(_hashed=hashed, names=[*self.names[-LATEST:], hashed.hexdigest()])
        return more

    @cached_property
    def _hashed(self) -> Any:
        digests = (stroke.digest for stroke in self.strokes)
        return hashlib.blake2b("".join(["strokes", str(self.version), *digests]).encode(), digest_size=16)

    @cached_property
    def names(self) -> list[str]:
        """Names for all strokes but the last LATEST … none of them: what was laid of those is found by them."""
        digests = [stroke.digest for stroke in self.strokes]
        start = max(0, len(digests) - LATEST)
        # One hash that goes on: however many strokes there are, only the last few are looked at more than once.
        hashed = hashlib.blake2b("".join(["strokes", str(self.version), *digests[:start]]).encode(), digest_size=16)
        names = [hashed.hexdigest()]
        for digest in digests[start:]:
            hashed.update(digest.encode())
            names.append(hashed.hexdigest())
        return names

    @cached_property
    def digest(self) -> str:
        """See :class:`retouch.types.Record`; of the strokes' own names, so that one more costs little."""
        return digest_of(self.names[-1], self.join, str(self.on))

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage of all strokes in their order on ``frame``."""
        out, fresh = np.zeros(frame.shape, np.float32), self.strokes
        for back, name in enumerate(reversed(self.names)):
            if (known := sight.kept(name, frame)) is not None:
                fresh = self.strokes[len(self.strokes) - back :]
                out = known.copy() if fresh else known
                break
        for stroke in fresh:
            _lay(out, stroke, frame, sight)
        if fresh:
            sight.keep(self.names[-1], frame, out)
        return Coverage(out)


def _lay(out: Floats, stroke: Stroke, frame: Frame, sight: Sight) -> None:
    if stroke.plain:
        wet: Wet | None = stroke.__dict__.get("wet")
        if wet is not None and wet.frame.holds(frame):
            wet.lay(out, stroke.tip, stroke.way, frame)
        else:
            lay(out, stroke.tip, stroke.way, frame)
        return
    own = np.zeros(frame.shape, np.float32)
    lay(own, replace(stroke.tip, erase=False), stroke.way, frame)
    inside = None
    if stroke.fill_inside and len(stroke.way.points) > 2:
        inside = inside_of(_closed(stroke), frame)
    if not own.any() and (inside is None or not inside.any()):
        return
    if stroke.spare_structure:
        own *= calm(frame, sight)
    if stroke.keep_edges:
        own *= kept(stroke.way.points, stroke.size, frame, sight)
    if inside is not None:
        own = np.maximum(own, inside * np.float32(stroke.ceiling * stroke.flow))
    np.copyto(out, out * (1 - own) if stroke.erase else out + own * (1 - out))


def _closed(stroke: Stroke) -> str:
    """The stroke's way as SVG path data, closed."""
    return "M" + "L".join(f"{x:.5f} {y:.5f}" for x, y, _ in stroke.way.points) + "Z"
