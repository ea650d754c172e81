"""Repair: patches that take away what distracts, each with its strokes, its way, and what it works on."""

from functools import cached_property
from typing import Annotated, ClassVar, Literal, Self

import cv2
import numpy as np
from pydantic import Field

from retouch.brush.stroke import Share, Stroke
from retouch.colour.hex import Hex, from_hex, to_hex
from retouch.frame import Frame
from retouch.mend.halves import Smoother, reach, shading
from retouch.mend.heal import cell_of, difference
from retouch.mend.smear import displacement
from retouch.touches.base import Drawn, Heading, Pick, ReadyTouch, Standing
from retouch.types import Coverage, Encoded, Floats, Record, digest_of

Way = Literal["spot", "heal", "clone", "smear", "paint"]
Half = Literal["everything", "shading", "texture"]
TAKES = ("spot", "heal", "clone")
"""Ways that take pixels from a source."""
WHOLE_PIXEL = 1e-3
"""Offsets nearer than this to whole pixels are not resampled."""
AROUND = 2
"""Pixels round a source that resampling reads."""

Offset = Annotated[float, Field(ge=-2, le=2)]


class PatchStroke(Stroke):
    """A stroke of a patch."""


class Mending(Record):
    """How a patch works: everything but where.

    ``source`` is where its pixels come from, as an offset in long sides from every place of the patch; *turn*,
    *mirror* and *scale* are about the first point of its first stroke.
    """

    way: Way = "spot"
    of: Half = Field("everything", description="what it works on")
    source: tuple[Offset, Offset] | None = Field(None, description="from each place to its source; none: no source yet")
    turn: float = Field(0.0, ge=-180, le=180, description="degrees, clockwise")
    mirror: bool = Field(False, description="left and right of the source change places")
    scale: float = Field(1.0, ge=0.25, le=4, description="how much larger it is than its source")
    colour: Hex = Field("#808080", description="what is painted")
    strength: Share = 1.0
    on: bool = True


class Patch(Mending):
    """One patch, as it stands in a sheet."""

    id: str = Field(min_length=1, max_length=40)
    strokes: list[PatchStroke] = Field(min_length=1, max_length=200)

    @cached_property
    def digest(self) -> str:
        """See :class:`retouch.types.Record`; of the strokes' own names."""
        said = self.model_dump_json(exclude={"strokes", "id"})
        return digest_of(said, *(s.digest for s in self.strokes))

    @property
    def works(self) -> bool:
        """Whether it changes anything."""
        return self.on and self.strength > 0 and (self.way not in TAKES or self.source is not None)

    @cached_property
    def bounds(self) -> tuple[float, float, float, float]:
        """Left, top, right, bottom of what its strokes may cover, in long sides."""
        low = np.min([s.way.points[:, :2].min(0) - s.size / 2 for s in self.strokes], axis=0)
        high = np.max([s.way.points[:, :2].max(0) + s.size / 2 for s in self.strokes], axis=0)
        return float(low[0]), float(low[1]), float(high[0]), float(high[1])

    @property
    def cell(self) -> float:
        """The cell of its membrane, in long sides."""
        left, top, right, bottom = self.bounds
        return cell_of(max(right - left, bottom - top), max(s.size for s in self.strokes))

    def covered(self, frame: Frame) -> Coverage:
        """How far it covers each pixel of ``frame``."""
        out = np.zeros(frame.shape, np.float32)
        for stroke in self.strokes:
            stroke.lay(out, frame)
        return Coverage(out)

    def to_source(self, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """Where the content of places (long sides) comes from."""
        assert self.source is not None
        if self.turn == 0 and self.scale == 1 and not self.mirror:
            return x + self.source[0], y + self.source[1]
        px, py = self.strokes[0].points[0][:2]
        angle = np.deg2rad(-self.turn)
        cos, sin = np.cos(angle) / self.scale, np.sin(angle) / self.scale
        dx, dy = x - px, y - py
        rx, ry = cos * dx - sin * dy, sin * dx + cos * dy
        return px + self.source[0] + (-rx if self.mirror else rx), py + self.source[1] + ry


class Repair(Drawn):
    """Patches, later ones seeing those before them; what they take they read from the picture below this touch."""

    kind: ClassVar[str] = "repair"
    title: ClassVar[str] = "Repair"
    stage: ClassVar[Heading] = "clean"
    sentence: ClassVar[str] = "Repair {where}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Take away a spot", ("spot", "repair", "heal", "blemish", "pimple", "mole", "dust", "clean"), {}),
        ReadyTouch("Heal along a stroke", ("heal", "repair", "scar", "wrinkle", "line", "crease"), {"next": "heal"}),
        ReadyTouch("Clone from elsewhere", ("clone", "repair", "copy", "stamp", "cover", "knit"), {"next": "clone"}),
        ReadyTouch("Calm stray hairs", ("stray", "hair", "flyaway", "repair", "heal"), {"next": "heal"}),
        ReadyTouch("Soften a shadow's edge", ("shadow", "edge", "nose", "shading", "smear", "hard light"),
              {"next": "smear", "next_of": "shading", "size": 0.02}),
        ReadyTouch("Take a scratch from the texture", ("scratch", "texture", "line"),
              {"next": "heal", "next_of": "texture"}),
    )  # fmt: skip
    picks: ClassVar[tuple[Pick, ...]] = (Pick("colour", "pick the colour"),)

    patches: list[Patch] = Field(
        default_factory=list, max_length=2_000, title="patches", json_schema_extra={"control": "patches"}
    )
    next: Way = Field("spot", title="way", description="of the next patch", json_schema_extra={"control": "part"})
    next_of: Half = Field("everything", title="works on", json_schema_extra={"control": "part"})
    next_colour: Hex = Field("#808080", title="colour", json_schema_extra={"control": "part"})
    size: float = Field(
        0.006, ge=0.001, le=0.08, title="shading from", description="what parts shading from texture, in long sides",
        json_schema_extra={"unit": "length", "control": "part"},
    )  # fmt: skip
    smoother: Smoother = Field("gaussian", title="parted by", json_schema_extra={"control": "part"})

    @property
    def neutral(self) -> bool:
        """No patch works."""
        return not any(p.works for p in self.patches)

    @cached_property
    def digest(self) -> str:
        """See :class:`retouch.types.Record`; what the next patch will be changes nothing."""
        return digest_of(str(self.size), self.smoother, *(p.digest for p in self.patches if p.works))

    def picked(self, name: str, colour: Encoded, entry: int = 0) -> Self:
        """With the colour that is painted next."""
        return self.model_copy(update={"next_colour": to_hex(colour), "next": "paint"})

    def with_one_more(self, patch: Patch) -> Self:
        """These patches and another one, not validated."""
        return self.model_copy(update={"patches": [*self.patches, patch]})

    # --- where patches lie

    def box(self, patch: Patch, frame: Frame) -> Frame | None:
        """The rectangle of the whole picture at this scale on which a patch is worked out; None outside the picture."""
        grow = 2 / frame.unit
        if patch.way in ("spot", "heal"):
            grow += 2 * patch.cell
        if patch.of != "everything":
            grow += reach(self.size)
        left, top, right, bottom = patch.bounds
        whole = Frame.whole(*frame.scale)
        return whole.within(left - grow, top - grow, right + grow, bottom + grow)

    def _source_box(self, patch: Patch, box: Frame) -> Frame | None:
        """The rectangle that a patch reads its source from; None outside the picture."""
        if patch.source is None or patch.way not in TAKES:
            return None
        x = np.array([box.x, box.x + box.w]) / box.unit
        y = np.array([box.y, box.y + box.h]) / box.unit
        xs, ys = patch.to_source(*(a.ravel() for a in np.meshgrid(x, y)))
        edge = AROUND / box.unit
        return Frame.whole(*box.scale).within(xs.min() - edge, ys.min() - edge, xs.max() + edge, ys.max() + edge)

    def spread(self, frame: Frame) -> Frame:
        """See :class:`Drawn`: from the last patch to the first, those that are met are needed with their sources."""
        for patch in reversed(self.patches):
            box = self.box(patch, frame) if patch.works else None
            if box is not None and frame.met(box) is not None:
                frame = frame.joined(box)
                if (source := self._source_box(patch, box)) is not None:
                    frame = frame.joined(source)
        return frame

    def reached(self, frame: Frame) -> Frame:
        """See :class:`Drawn`: from the first to the last, those that read what has changed look different."""
        for patch in self.patches:
            box = self.box(patch, frame) if patch.works else None
            if box is None:
                continue
            source = self._source_box(patch, box)
            if frame.met(box) is not None or (source is not None and frame.met(source) is not None):
                frame = frame.joined(box)
        return frame

    # --- laying them

    def draw(self, canvas: Encoded, frame: Frame, memory: Standing) -> None:
        """See :class:`Drawn`. What a patch gives is kept under all that it depends on: the picture below, those
        before it that it meets, and itself; so another source of one leaves the others as they are.
        """
        laid: list[tuple[Frame, str]] = []
        for patch in self.patches:
            box = self.box(patch, frame) if patch.works else None
            source = None if box is None else self._source_box(patch, box)
            if box is None or not frame.holds(box) or (source is None and patch.way in TAKES):
                continue
            if source is not None and not frame.holds(source):
                continue
            met = [n for b, n in laid if b.met(box) is not None or (source is not None and b.met(source) is not None)]
            name = digest_of("patch", memory.below, str(self.size), self.smoother, patch.digest, *met)
            laid.append((box, name))
            part = canvas[box.slices_in(frame)]
            known = memory.kept(name, box)
            if known is None:
                known = self._patched(patch, canvas, frame, box)
                memory.keep(name, box, known)
            part[:] = known

    def _patched(self, patch: Patch, canvas: Encoded, frame: Frame, box: Frame) -> Floats:
        """The picture on a patch's box with the patch on it, a new array."""
        below = canvas[box.slices_in(frame)].astype(np.float32)
        covered = patch.covered(box)
        texture = shade = None
        if patch.of != "everything":
            shade = shading(below, self.size * frame.unit, self.smoother)
            texture = below - shade
        works_on = below if shade is None or texture is None else shade if patch.of == "shading" else texture
        if patch.way == "paint":
            new: Floats = np.broadcast_to(from_hex(patch.colour).astype(np.float32), below.shape)
            if patch.of == "texture":
                new = np.zeros_like(below)
        elif patch.way == "smear":
            new = _smeared(patch, works_on, box)
        else:
            new, there = self._taken(patch, canvas, frame, box)
            covered = Coverage(covered * there)
            if patch.of != "everything":
                lower = shading(new, self.size * frame.unit, self.smoother)
                new = lower if patch.of == "shading" else new - lower
            if patch.way != "clone":
                left, top = patch.bounds[:2]
                origin = left - 2 * patch.cell, top - 2 * patch.cell
                at = origin[0] * box.unit - box.x, origin[1] * box.unit - box.y
                new = new + difference(works_on, new, covered, at, patch.cell * box.unit)
        if patch.way == "smear":
            return below + np.float32(patch.strength) * (new - works_on)
        share: Floats = (covered * np.float32(patch.strength))[..., None]
        return np.where(share > 0, below + share * (new - works_on), below)

    def _taken(self, patch: Patch, canvas: Encoded, frame: Frame, box: Frame) -> tuple[Floats, Floats]:
        """What lies at a patch's source, brought to its box, and where that lies within the picture, 0 or 1."""
        assert patch.source is not None
        if patch.turn or patch.mirror or patch.scale != 1:
            columns, rows = np.meshgrid(np.arange(box.w) + box.x + 0.5, np.arange(box.h) + box.y + 0.5)
            x, y = (v * box.unit for v in patch.to_source(columns / box.unit, rows / box.unit))
            there = (x >= 0) & (y >= 0) & (x <= frame.width) & (y <= frame.height)
            at = (x - frame.x - 0.5).astype(np.float32), (y - frame.y - 0.5).astype(np.float32)
            taken = cv2.remap(canvas, *at, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
            return np.asarray(taken, np.float32), there.astype(np.float32)
        dx, dy = (v * box.unit for v in patch.source)
        x, y = np.arange(box.w) + box.x + dx, np.arange(box.h) + box.y + dy
        there = np.outer((y >= -0.5) & (y < frame.height - 0.5), (x >= -0.5) & (x < frame.width - 0.5))
        near = [
            np.clip(np.floor(v + WHOLE_PIXEL).astype(int), 0, n - 1) for v, n in ((x, frame.width), (y, frame.height))
        ]
        if all(abs(v - round(v)) < WHOLE_PIXEL for v in (dx, dy)):
            columns, rows = near[0] - frame.x, near[1] - frame.y
            return canvas[rows[:, None], columns].astype(np.float32), there.astype(np.float32)
        shift = np.array([[1, 0, x[0] - frame.x], [0, 1, y[0] - frame.y]])
        taken = cv2.warpAffine(canvas, shift, (box.w, box.h), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
                               borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
        return np.asarray(taken, np.float32), there.astype(np.float32)


def _smeared(patch: Patch, values: Floats, box: Frame) -> Floats:
    """Values on a patch's box, pushed along its strokes."""
    left, top, right, bottom = patch.bounds
    moved, cell = displacement(patch.strokes, (left, top), (right, bottom))
    columns, rows = np.meshgrid(np.arange(box.w), np.arange(box.h))
    x = (((columns + box.x + 0.5) / box.unit - left) / cell).astype(np.float32)
    y = (((rows + box.y + 0.5) / box.unit - top) / cell).astype(np.float32)
    by = cv2.remap(moved, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=0)
    from_x = columns.astype(np.float32) + by[..., 0] * box.unit
    from_y = rows.astype(np.float32) + by[..., 1] * box.unit
    still = (by[..., 0] == 0) & (by[..., 1] == 0)
    pushed = cv2.remap(values, from_x, from_y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.where(still[..., None], values, pushed)
