"""Brush strokes: points with pressure, never pixels."""

from dataclasses import replace
from functools import cached_property
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, ValidationInfo, model_validator

from retouch.areas.base import Made, Part, Sight, Unit
from retouch.areas.edges import kept
from retouch.areas.sources.outline import inside_of
from retouch.areas.structure import calm
from retouch.areas.tip import Tip, Way, Wet, lay
from retouch.frame import Frame
from retouch.types import Floats, Record, digest_of, is_new

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

    @model_validator(mode="after")
    def _short_enough(self, info: ValidationInfo) -> Self:
        if is_new(info) and self.way.length > LONGEST:
            raise ValueError(f"this stroke is longer than {LONGEST} times the picture: paint it in several")
        return self

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

    def growing(self, points: Floats, name: str) -> Self:
        """This stroke with other points (n × 3), while it is being painted: ``name`` stands for them."""
        stroke = self.model_copy()
        stroke.__dict__.update(way=Way(points), digest=name)
        return stroke


class Strokes(Part):
    """Painted by hand. Strokes that build add what is missing to 1; strokes that erase take their share away."""

    title: ClassVar[str] = "brush"
    detail: ClassVar[str] = "{strokes#stroke}"
    bare: ClassVar[str] = "nothing painted yet"
    made_by: ClassVar[Made] = "brush"
    source: Literal["strokes"] = "strokes"
    strokes: list[Stroke] = Field(default_factory=list, max_length=5_000)

    @cached_property
    def names(self) -> list[str]:
        """Names for all strokes but the last LATEST … none of them: what was laid of those is found by them."""
        digests = [stroke.digest for stroke in self.strokes]
        ends = range(max(0, len(digests) - LATEST), len(digests) + 1)
        return [digest_of("strokes", str(self.version), *digests[:end]) for end in ends]

    @cached_property
    def digest(self) -> str:
        """See :class:`retouch.types.Record`; of the strokes' own names, so that one more costs little."""
        return digest_of(self.names[-1], self.join, str(self.on))

    def coverage(self, frame: Frame, sight: Sight) -> Floats:
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
        return out


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
