"""Brush strokes: points with pressure, never pixels."""

import hashlib
from dataclasses import replace
from functools import cached_property
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from retouch.areas.base import Made, Part, Sight
from retouch.areas.edges import kept
from retouch.areas.structure import calm
from retouch.brush import stroke as brush
from retouch.brush.inside import ran_round
from retouch.brush.tip import lay
from retouch.frame import Frame
from retouch.types import Coverage, Floats, digest_of

LATEST = 3
"""How many of the last strokes may have come or gone for what was laid before them to be found again."""


class Stroke(brush.Stroke):
    """A stroke that paints coverage."""

    keep_edges: bool = Field(False, description="cover only what is connected in colour to the stroke's core")
    spare_structure: bool = Field(False, description="stay off fine structure: lashes, brows, lips, hair")
    fill_inside: bool = Field(False, description="cover also what it runs round, closed from its end to its start")

    @property
    def plain(self) -> bool:
        """Whether it covers what its tip runs over and nothing else."""
        return not (self.keep_edges or self.spare_structure or self.fill_inside)

    @property
    def spreads(self) -> float:
        """See :class:`retouch.brush.stroke.Stroke`."""
        return 2.0 if self.keep_edges else 0.5

    @property
    def looks_back(self) -> bool:
        """What it runs round is filled as a whole."""
        return self.fill_inside


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
        stroke.lay(out, frame)
        return
    own = np.zeros(frame.shape, np.float32)
    lay(own, replace(stroke.tip, erase=False), stroke.way, frame)
    inside = ran_round(stroke.way.points, frame) if stroke.fill_inside else None
    if not own.any() and (inside is None or not inside.any()):
        return
    if stroke.spare_structure:
        own *= calm(frame, sight)
    if stroke.keep_edges:
        own *= kept(stroke.way.points, stroke.size, frame, sight)
    if inside is not None:
        own = np.maximum(own, inside * np.float32(stroke.ceiling * stroke.flow))
    np.copyto(out, out * (1 - own) if stroke.erase else out + own * (1 - out))
