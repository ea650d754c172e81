"""Dodge and burn: light strokes, lighter and darker in one touch, that build up and can be taken back."""

import hashlib
from functools import cached_property
from typing import Any, ClassVar

import numpy as np
from pydantic import Field

from retouch.bands import at_once, in_bands
from retouch.brush.stroke import Share, Stroke
from retouch.brush.tip import added_up
from retouch.colour.logs import ROOT
from retouch.frame import Frame, resample
from retouch.kernels import kernel
from retouch.touches.base import SKIN, Drawn, Heading, Memory, ReadyTouch, Standing
from retouch.touches.gain import scaled
from retouch.types import Encoded, Floats, Record, digest_of

LATEST = 3
"""How many of the last strokes may have come or gone for what was laid before them to be found again."""


MAP_SIDES, SOFT = (400, 800, 1600), 8.0
"""Pixels on the long side of the maps of soft strokes, and how many of them an edge is wide at least on its map."""
MANY = 40
"""Strokes from which on they are laid by all processors."""


class LightStroke(Stroke):
    """A stroke that makes lighter, or darker."""

    darker: bool = Field(False, description="burns instead of dodging")

    @property
    def sign(self) -> int:
        """1 where it makes lighter, −1 darker; what would be taken away from nothing is nothing."""
        return 0 if self.erase else -1 if self.darker else 1


class Weaker(Record):
    """How far the strokes of one size count."""

    size: float = Field(gt=0, le=2, description="diameter, in long sides")
    share: Share = 1.0


class DodgeBurn(Drawn):
    """EV painted by strokes: those that make lighter less those that make darker, added up.

    A pass with ``flow`` 0.07 makes 0.07 × ``range`` of difference; the same way painted darker takes it back whole.
    Light is scaled, so that colour neither washes out nor turns grey.
    """

    kind: ClassVar[str] = "dodge-burn"
    title: ClassVar[str] = "Dodge and burn"
    stage: ClassVar[Heading] = "skin"
    sentence: ClassVar[str] = "Dodge and burn {where}, at most {range}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Dodge and burn with light strokes", ("dodge", "burn", "lighten", "darken", "strokes"),
              {}, place=SKIN),
        ReadyTouch("Give the face form", ("form", "contour", "shape", "dodge", "burn", "cheekbones", "model"), {}, 0.8,
              place=SKIN, from_face=True),
    )  # fmt: skip

    strokes: list[LightStroke] = Field(
        default_factory=list, max_length=5_000, title="strokes", json_schema_extra={"control": "strokes"}
    )
    range: float = Field(1.0, ge=0.1, le=2, title="at most", description="EV where strokes have built up whole",
                         json_schema_extra={"unit": "EV", "step": 0.05})  # fmt: skip
    weaker: list[Weaker] = Field(
        default_factory=list, max_length=100, title="strokes of a size", json_schema_extra={"control": "part"}
    )

    @property
    def neutral(self) -> bool:
        """Nothing was painted."""
        return not self.strokes

    @cached_property
    def digest(self) -> str:
        """See :class:`retouch.types.Record`; of the strokes' own names, so that one more costs little."""
        groups = [f"{size} {names[-1]}" for size, names in self._names.items()]
        return digest_of(str(self.range), self.weaker_said, *groups)

    @property
    def weaker_said(self) -> str:
        """What stands for the shares of sizes."""
        return " ".join(f"{w.size} {w.share}" for w in self.weaker)

    @cached_property
    def by_size(self) -> dict[float, list[LightStroke]]:
        """The strokes of every size."""
        out: dict[float, list[LightStroke]] = {}
        for stroke in self.strokes:
            out.setdefault(stroke.size, []).append(stroke)
        return out

    @cached_property
    def _names(self) -> dict[float, list[str]]:
        """For every size names for all strokes but the last LATEST … none of them."""
        return {size: _chain([s.digest for s in strokes]) for size, strokes in self.by_size.items()}

    def with_one_more(self, stroke: LightStroke) -> "DodgeBurn":
        """These strokes and another one, not validated."""
        return self.model_copy(update={"strokes": [*self.strokes, stroke]})

    def ev(self, frame: Frame, memory: Memory) -> Floats:
        """EV that stand at every pixel of ``frame`` (h × w), −``range`` … ``range``."""
        shares = {w.size: w.share for w in self.weaker}
        total = np.zeros(frame.shape, np.float32)
        for size, strokes in self.by_size.items():
            share = np.float32(shares.get(size, 1.0))
            # A stroke that is being painted is laid where one looks, the others where all can find them again.
            growing = [s for s in strokes if "wet" in s.__dict__]
            settled = strokes[: len(strokes) - len(growing)]
            if share and settled:
                names = self._names[size] if not growing else _chain([s.digest for s in settled])
                at = _map_of(size, settled, frame)
                laid = self._laid(names, settled, frame if at is None else at, memory)
                total += share * (laid if at is None else resample(laid, at, frame))
            for stroke in growing:
                built = np.zeros(frame.shape, np.float32)
                stroke.lay(built, frame)
                total += share * stroke.sign * built
        return np.asarray(np.clip(total, -1, 1) * np.float32(self.range))

    def _laid(self, names: list[str], strokes: list[LightStroke], frame: Frame, memory: Memory) -> Floats:
        out, fresh = np.zeros(frame.shape, np.float32), strokes
        for back, name in enumerate(reversed(names)):
            if (known := memory.kept(name, frame)) is not None:
                fresh = strokes[len(strokes) - back :]
                out = known.copy() if fresh else known
                break
        if len(fresh) > MANY:
            # They add up, in whatever order.
            half = len(fresh) // 2
            out += sum(at_once(lambda: _sum(fresh[:half], frame), lambda: _sum(fresh[half:], frame)))
        else:
            out += _sum(fresh, frame)
        if fresh:
            memory.keep(names[-1], frame, out)
        return out

    def spread(self, frame: Frame) -> Frame:
        """See :class:`Drawn`."""
        return frame

    def reached(self, frame: Frame) -> Frame:
        """See :class:`Drawn`."""
        return frame

    def draw(self, canvas: Encoded, frame: Frame, wanted: Frame, memory: Standing) -> None:
        """See :class:`Drawn`."""
        ev = self.ev(frame, memory)
        in_bands(lambda rows: _lift(canvas[rows], ev[rows]), frame.h)


def _chain(digests: list[str]) -> list[str]:
    start = max(0, len(digests) - LATEST)
    hashed: Any = hashlib.blake2b("".join(["dodge and burn", *digests[:start]]).encode(), digest_size=16)
    names = [hashed.hexdigest()]
    for digest in digests[start:]:
        hashed.update(digest.encode())
        names.append(hashed.hexdigest())
    return names


def _map_of(size: float, strokes: list[LightStroke], frame: Frame) -> Frame | None:
    """The whole picture, so small that the edges of strokes just show, laid once for all views; None for hard ones."""
    edge = size / 2 * min(s.softness for s in strokes)
    side = next((side for side in MAP_SIDES if edge * side >= SOFT), None)
    if side is None:
        return None
    share = side / frame.unit
    return Frame.whole(max(1, round(frame.width * share)), max(1, round(frame.height * share)))


def _sum(strokes: list[LightStroke], frame: Frame) -> Floats:
    """What strokes build together on ``frame``, lighter less darker."""
    return added_up([s.tip for s in strokes], [s.way for s in strokes], [s.sign for s in strokes], frame)


@kernel(fastmath=True)
def _lift(picture, ev):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            e = ev[y, x]
            if e == 0:
                continue
            root = np.float32(2) ** (e * np.float32(ROOT))
            for c in range(3):
                picture[y, x, c] = scaled(picture[y, x, c], root)
