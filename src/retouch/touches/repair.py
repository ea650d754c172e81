"""Repair: patches that take away what distracts, each with its strokes, its way, and what it works on."""

import base64
import zlib
from dataclasses import replace
from functools import cached_property
from math import ceil, inf
from typing import Annotated, Any, ClassVar, Literal, Self

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from retouch.bands import in_bands
from retouch.brush.inside import ran_round
from retouch.brush.stroke import Share, Stroke
from retouch.brush.tip import lay
from retouch.colour.hex import Hex, from_hex, to_hex
from retouch.frame import Frame, resample
from retouch.kernels import kernel
from retouch.mend.fill import NONE, evened
from retouch.mend.forms import with_forms
from retouch.mend.halves import Smoother, reach, shading
from retouch.mend.heal import cell_of, difference
from retouch.mend.smear import displacement
from retouch.touches.base import Drawn, Heading, Pick, ReadyTouch, Standing
from retouch.types import Coverage, Encoded, Floats, Record, digest_of

Way = Literal["spot", "heal", "clone", "fill", "smear", "paint"]
Half = Literal["everything", "shading", "texture"]
TAKES = ("spot", "heal", "clone")
"""Ways that take pixels from a source."""
WHOLE_PIXEL = 1e-3
"""Offsets nearer than this to whole pixels are not resampled."""
LATEST, MANY = 4, 40
"""Patches from which on all are kept together as well, and how many of the last may be new to those that were."""
LARGEST, FARTHEST = 400, 800
"""Pixels on a side of a filling's grid, and from a place to its source, at most."""
EDGE = 4
"""Pixels of a filling's grid that are looked at beyond it."""
FORMS_FROM, TEXTURE_TO = 0.02, 0.06
"""Standard deviations below which a spot's own structure is no form, and its source's is texture, in thicknesses."""
AROUND = 2
"""Pixels round a source that resampling reads."""

Offset = Annotated[float, Field(ge=-2, le=2)]


class PatchStroke(Stroke):
    """A stroke of a patch, or with ``fill_inside`` an outline."""

    fill_inside: bool = Field(False, description="cover also what it runs round, closed from its end to its start")

    def lay(self, out: Floats, frame: Frame) -> None:
        """See :class:`retouch.brush.stroke.Stroke`."""
        if not self.fill_inside:
            super().lay(out, frame)
            return
        own = np.zeros(frame.shape, np.float32)
        lay(own, replace(self.tip, erase=False), self.way, frame)
        own = np.maximum(own, ran_round(self.way.points, frame) * np.float32(self.ceiling * self.flow))
        np.copyto(out, out * (1 - own) if self.erase else out + own * (1 - out))


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
    forms: Share = Field(
        0.0, description="of a spot: the log of light by which forms seen in it stay, that its colour does not explain"
    )
    on: bool = True


class Filling(Record):
    """What a patch is made up from: for every place of a grid one of some offsets.

    The grid lies in the whole picture drawn at ``unit`` pixels on its long side: its first pixel, and its size. A label
    is the number of an offset, 255 where nothing is filled.
    """

    unit: int = Field(ge=1, le=40_000)
    x: int = Field(ge=0, le=40_000)
    y: int = Field(ge=0, le=40_000)
    w: int = Field(ge=1, le=LARGEST)
    h: int = Field(ge=1, le=LARGEST)
    offsets: list[tuple[Offset, Offset]] = Field(min_length=1, max_length=64)
    labels: str = Field(max_length=400_000, description="h × w bytes, deflated (RFC 1950), in base 64")

    @model_validator(mode="after")
    def _whole(self) -> Self:
        try:
            most = self.w * self.h
            said = zlib.decompressobj().decompress(base64.b64decode(self.labels, validate=True), most + 1)
        except (ValueError, zlib.error) as error:
            raise ValueError("the filling of a patch cannot be read") from error
        values = np.frombuffer(said, np.uint8)
        if len(said) != most or (values[values != NONE] >= len(self.offsets)).any():
            raise ValueError("the filling of a patch is not whole")
        if np.abs(self.offsets).max() * self.unit > FARTHEST:
            raise ValueError("the filling of a patch comes from too far away")
        return self

    @cached_property
    def grid(self) -> NDArray[np.uint8]:
        """The labels, h × w."""
        return np.frombuffer(zlib.decompress(base64.b64decode(self.labels)), np.uint8).reshape(self.h, self.w)

    def at(self, frame: Frame) -> Frame:
        """The grid as a rectangle of the whole picture at its own scale."""
        share = self.unit / frame.unit
        width, height = max(1, round(frame.width * share)), max(1, round(frame.height * share))
        return Frame(width, height, self.x, self.y, self.w, self.h)


def packed(labels: NDArray[np.uint8]) -> str:
    """Labels as a sheet holds them."""
    return base64.b64encode(zlib.compress(labels.tobytes(), 9)).decode()


class Patch(Mending):
    """One patch, as it stands in a sheet: its strokes, or what it is filled with."""

    id: str = Field(min_length=1, max_length=40)
    strokes: list[PatchStroke] = Field(default_factory=list, max_length=200)
    filling: Filling | None = Field(None, description="what a fill is made up from")

    @model_validator(mode="after")
    def _somewhere(self) -> Self:
        if not self.strokes and self.filling is None:
            raise ValueError("a patch has strokes, or a filling")
        if not self.strokes and self.way != "fill":
            raise ValueError("only a fill has no strokes")
        return self

    @cached_property
    def digest(self) -> str:
        """See :class:`retouch.types.Record`; of the strokes' own names."""
        said = self.model_dump_json(exclude={"strokes", "id", "filling"})
        filling = "" if self.filling is None else self.filling.digest
        return digest_of(said, filling, *(s.digest for s in self.strokes))

    @property
    def works(self) -> bool:
        """Whether it changes anything."""
        ready = self.filling is not None if self.way == "fill" else self.way not in TAKES or self.source is not None
        return self.on and self.strength > 0 and ready

    @cached_property
    def bounds(self) -> tuple[float, float, float, float]:
        """Left, top, right, bottom of what it may cover, in long sides."""
        if self.way == "fill" and self.filling is not None:
            grid = self.filling
            return tuple(v / grid.unit for v in (grid.x, grid.y, grid.x + grid.w, grid.y + grid.h))  # type: ignore[return-value]
        low = np.min([s.way.points[:, :2].min(0) - s.size / 2 for s in self.strokes], axis=0)
        high = np.max([s.way.points[:, :2].max(0) + s.size / 2 for s in self.strokes], axis=0)
        return float(low[0]), float(low[1]), float(high[0]), float(high[1])

    @property
    def extent(self) -> float:
        """Its longer side, in long sides."""
        left, top, right, bottom = self.bounds
        return max(right - left, bottom - top)

    @property
    def thickness(self) -> float:
        """Of its widest stroke, or of an outline's whole, in long sides."""
        return max(self.extent if s.fill_inside else s.size for s in self.strokes)

    @property
    def cell(self) -> float:
        """The cell of its membrane, in long sides."""
        return cell_of(self.extent, self.thickness)

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
        ReadyTouch("Take away a thing", ("thing", "remove", "clamp", "object", "distraction", "fill", "repair"),
              {"next": "fill"}),
        ReadyTouch("Stroke a stray hair away", ("stray", "hair", "flyaway", "repair", "heal"), {"next": "heal"}),
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
        edge = AROUND / box.unit
        whole = Frame.whole(*box.scale)
        if patch.way == "fill" and patch.filling is not None:
            by = np.array(patch.filling.offsets)
            low, high = by.min(0), by.max(0)
            left, top, right, bottom = (v / box.unit for v in (box.x, box.y, box.x + box.w, box.y + box.h))
            return whole.within(
                left + low[0] - edge, top + low[1] - edge, right + high[0] + edge, bottom + high[1] + edge
            )
        if patch.source is None or patch.way not in TAKES:
            return None
        if patch.turn == 0 and patch.scale == 1 and not patch.mirror:
            dx, dy = patch.source
            left, top = box.x / box.unit + dx - edge, box.y / box.unit + dy - edge
            return whole.within(left, top, left + box.w / box.unit + 2 * edge, top + box.h / box.unit + 2 * edge)
        x = np.array([box.x, box.x + box.w]) / box.unit
        y = np.array([box.y, box.y + box.h]) / box.unit
        xs, ys = patch.to_source(*(a.ravel() for a in np.meshgrid(x, y)))
        return whole.within(xs.min() - edge, ys.min() - edge, xs.max() + edge, ys.max() + edge)

    def _places(self, frame: Frame) -> list[tuple[Patch, Frame, Frame | None]]:
        """The patches that work at a frame's scale, each with its box and where its source lies, worked out once."""
        kept: dict[tuple[int, int], list[tuple[Patch, Frame, Frame | None]]] = self.__dict__.setdefault("_kept", {})
        if frame.scale not in kept:
            places = (self._place(patch, frame) for patch in self.patches if patch.works)
            kept[frame.scale] = [place for place in places if place is not None]
        return kept[frame.scale]

    def _place(self, patch: Patch, frame: Frame) -> tuple[Patch, Frame, Frame | None] | None:
        kept: dict[object, tuple[Patch, Frame, Frame | None] | None] = patch.__dict__.setdefault("_kept", {})
        key = (frame.scale, self.size)
        if key not in kept:
            box = self.box(patch, frame)
            source = None if box is None else self._source_box(patch, box)
            there = box is not None and (source is not None or patch.way not in TAKES)
            kept[key] = (patch, box, source) if there and box is not None else None
        return kept[key]

    def _laid(self, frame: Frame) -> "_Laid":
        """How the patches at a frame's scale lie to each other, worked out once."""
        kept: dict[tuple[int, int], _Laid] = self.__dict__.setdefault("_all_laid", {})
        if frame.scale not in kept:
            kept[frame.scale] = _Laid(self._places(frame))
        return kept[frame.scale]

    def spread(self, frame: Frame) -> Frame:
        """See :class:`Drawn`: with all patches that are needed, and their sources."""
        laid = self._laid(frame)
        needed = laid.needed(frame)
        return _around(frame, laid.lies[needed], laid.sources[needed])

    def reached(self, frame: Frame) -> Frame:
        """See :class:`Drawn`: from the first to the last, those that read what has changed look different."""
        laid = self._laid(frame)
        return _around(frame, laid.lies[laid.changed(frame)])

    # --- laying them

    def draw(self, canvas: Encoded, frame: Frame, wanted: Frame, memory: Standing) -> None:
        """See :class:`Drawn`. What a patch gives is kept under all that it depends on: the picture below, those
        before it that it meets, and itself; so another source of one leaves the others as they are.
        """
        places, laid = self._places(wanted), self._laid(wanted)
        needed, own = laid.needed(wanted), laid.names((memory.below, str(self.size), self.smoother))
        names = [own[n] for n in needed]
        first = self._known(canvas, frame, names, memory)
        for n in needed[first:]:
            patch, box, _ = places[n]
            known = memory.kept(own[n], box)
            if known is None:
                known = self._patched(patch, canvas, frame, box)
                memory.keep(own[n], box, known)
            canvas[box.slices_in(frame)] = known
        if len(names) - first > LATEST:
            memory.keep(_together(names), frame, canvas.copy())

    def _known(self, canvas: Encoded, frame: Frame, names: list[str], memory: Standing) -> int:
        """How many of the patches are laid already on what was kept of them together; it is put on the canvas."""
        for stop in range(len(names), max(0, len(names) - MANY), -1):
            if stop > LATEST and (known := memory.kept(_together(names[:stop]), frame)) is not None:
                canvas[:] = known
                return stop
        return 0

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
        elif patch.way == "fill":
            new, covered = self._filled(patch, canvas, frame, box, below)
            if patch.of != "everything":
                lower = shading(new, self.size * frame.unit, self.smoother)
                new = lower if patch.of == "shading" else new - lower
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
                thick = patch.thickness * box.unit
                spot = patch.way == "spot" and patch.of == "everything"
                pores = TEXTURE_TO * thick if spot else inf
                new = new + difference(works_on, new, covered, at, patch.cell * box.unit, pores)
                if spot and patch.forms:
                    new = with_forms(new, below, FORMS_FROM * thick, patch.forms)
        if patch.way == "smear":
            return below + np.float32(patch.strength) * (new - works_on)
        _mend(below, np.ascontiguousarray(new), works_on, covered, np.float32(patch.strength))
        return below

    def _filled(
        self, patch: Patch, canvas: Encoded, frame: Frame, box: Frame, below: Floats
    ) -> tuple[Floats, Coverage]:
        """A fill's pixels on its box, from where its labels say, their seams evened; and what it covers."""
        filling = patch.filling
        assert filling is not None
        grid = filling.at(box)
        # With nothing round it, as far as the box goes beyond it at the grid's own scale.
        labels = np.pad(filling.grid, EDGE, constant_values=NONE)
        around = Frame(*grid.scale, grid.x - EDGE, grid.y - EDGE, grid.w + 2 * EDGE, grid.h + 2 * EDGE)
        new = np.zeros_like(below)
        total = np.zeros(box.shape, np.float32)
        rim = np.ones((2 * ceil(box.unit / grid.unit) + 1,) * 2, np.uint8)
        for n, (dx, dy) in enumerate(filling.offsets):
            here = labels == n
            if not here.any():
                continue
            rows, columns = np.flatnonzero(here.any(1)), np.flatnonzero(here.any(0))
            low = around.x + columns[0] - 1, around.y + rows[0] - 1
            high = around.x + columns[-1] + 2, around.y + rows[-1] + 2
            own = box.within(*(v / grid.unit for v in (*low, *high)))
            if own is None:
                continue
            share = resample(here.astype(np.float32), around, own)
            one = patch.model_copy(update={"source": (dx, dy)})
            taken, there = self._taken(one, canvas, frame, own)
            if not there.all():
                # A label's rim runs half a pixel of the grid further, also beyond the picture.
                share *= cv2.dilate(there, rim)
            cut = own.slices_in(box)
            new[cut] += share[..., None] * taken
            total[cut] += share
        covered = np.clip(total * 2, 0, 1)
        new /= np.maximum(total, 1e-6)[..., None]
        # Steps of light are evened at the grid's own size, of the picture as it lies below now.
        by = np.rint(np.array(filling.offsets) * grid.unit).astype(np.int64)
        margin = int(np.abs(by).max())
        even = evened(_at_grid(canvas, frame, around, margin), margin, labels, by)
        # Beyond the last of the grid's pixels goes on what it says there.
        said = resample((labels != NONE).astype(np.float32), around, box)
        new += resample(even, around, box) / np.maximum(said, 1e-6)[..., None]
        return new, Coverage(covered)

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
        shifted: Floats = np.empty((*box.shape, 3), np.float32)

        def work(rows: slice) -> None:
            shift = np.array([[1, 0, x[0] - frame.x], [0, 1, y[rows.start] - frame.y]])
            size = box.w, rows.stop - rows.start
            cv2.warpAffine(canvas, shift, size, shifted[rows], cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
                           cv2.BORDER_REPLICATE)  # fmt: skip

        in_bands(work, box.h)
        return shifted, there.astype(np.float32)


def _sides(frame: Frame) -> tuple[int, int, int, int]:
    return frame.x, frame.y, frame.x + frame.w, frame.y + frame.h


class _Laid:
    """How patches lie to each other: where they lie and where they take from (n × 4, as :func:`_sides`), and for each
    which of those before it are met by either (n × n)."""

    def __init__(self, places: list[tuple[Patch, Frame, Frame | None]]):
        lies = [_sides(box) for _, box, _ in places]
        sources = [_sides(source or box) for _, box, source in places]
        self.lies = np.array(lies, np.int64).reshape(-1, 4)
        self.sources = np.array(sources, np.int64).reshape(-1, 4)
        self.met = np.tril(_meet(self.lies, self.lies) | _meet(self.sources, self.lies), -1)
        self._needed: dict[Frame, list[int]] = {}
        self._digests = [patch.digest for patch, _, _ in places]
        self._named: tuple[tuple[str, ...], list[str]] = ((), [])

    def names(self, said: tuple[str, ...]) -> list[str]:
        """What each is kept under: by what all depend on, itself, and those before it that it meets."""
        before, names = self._named
        if before != said:
            names, ends = [], np.cumsum(self.met.sum(1)).tolist()
            earlier = np.nonzero(self.met)[1].tolist()
            for digest, start, stop in zip(self._digests, [0, *ends], ends, strict=False):
                names.append(digest_of("patch", *said, digest, *(names[m] for m in earlier[start:stop])))
            self._named = said, names
        return names

    def needed(self, frame: Frame) -> list[int]:
        """Those that ``frame`` looks different by: those on it, and those that these read, in their order."""
        if frame not in self._needed:
            if len(self._needed) > LATEST:
                # A view that is moved asks for ever new rectangles.
                self._needed.clear()
            needed = _meet(self.lies, np.array([_sides(frame)]))[:, 0]
            for n in range(len(needed) - 1, -1, -1):
                if needed[n]:
                    needed |= self.met[n]
            self._needed[frame] = np.flatnonzero(needed).tolist()
        return self._needed[frame]

    def changed(self, frame: Frame) -> list[int]:
        """Those that look different when what lies below changes in ``frame``."""
        here = np.array([_sides(frame)])
        changed = (_meet(self.lies, here) | _meet(self.sources, here))[:, 0]
        for n in range(len(changed)):
            changed[n] |= (self.met[n] & changed).any()
        return np.flatnonzero(changed).tolist()


def _around(frame: Frame, *rectangles: NDArray[np.int64]) -> Frame:
    """The rectangle round a frame and others, n × 4 each."""
    sides = np.concatenate([[_sides(frame)], *rectangles])
    (x, y), (right, bottom) = sides[:, :2].min(0).tolist(), sides[:, 2:].max(0).tolist()
    return Frame(*frame.scale, x, y, right - x, bottom - y)


def _meet(these: NDArray[np.int64], those: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Which rectangles (n × 4) have something in common with which others (m × 4): n × m."""
    (left, top, right, bottom), (x0, y0, x1, y1) = these.T[..., None], those.T[:, None]
    return np.asarray((left < x1) & (x0 < right) & (top < y1) & (y0 < bottom))


def _together(names: list[str]) -> str:
    return digest_of("patches", *names)


def _at_grid(canvas: Encoded, frame: Frame, grid: Frame, margin: int) -> Floats:
    """The picture on ``frame`` at a grid's pixels, with a margin on every side."""
    share = min(1.0, grid.unit / frame.unit)
    small = canvas if share == 1 else cv2.resize(canvas, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)

    def along(start: int, count: int, begins: int) -> Floats:
        middles = (np.arange(-margin, count + margin) + start + 0.5) / grid.unit * frame.unit - begins
        return (middles * share - 0.5).astype(np.float32)

    x, y = np.meshgrid(along(grid.x, grid.w, frame.x), along(grid.y, grid.h, frame.y))
    return np.asarray(cv2.remap(small, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)


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


@kernel(fastmath=True)
def _mend(picture: Any, new: Any, old: Any, covered: Any, strength: Any) -> None:
    """Add to a picture what is new against what was, in place, as far as it is covered."""
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            m = strength * covered[y, x]
            if m > 0:
                for c in range(3):
                    picture[y, x, c] += m * (new[y, x, c] - old[y, x, c])
