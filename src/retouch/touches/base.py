"""What touch kinds are made of: the settings of all, and the families that the engine tells apart by base class."""

from collections.abc import Sequence
from typing import Any, ClassVar, Literal, NamedTuple, Protocol, Self

from retouch.frame import Frame
from retouch.touches.blend import Blend
from retouch.types import Coverage, Encoded, Floats, Place, Record

Heading = Literal["balance", "light", "clean", "skin", "eyes", "shape", "finish"]
"""The stages of the work, under which the sheet lists its touches."""


class ReadyPlace(NamedTuple):
    """Where a ready touch is meant to lie: the area's name, its parts, and its feather for a face of middling size.

    ``parts`` stand as in a sheet; ``spare``: left out where it was not found, as is all that is taken away.
    """

    name: str
    parts: tuple[dict[str, Any], ...]
    feather: float = 0.0


def found_part(name: str, join: str = "add", **more: Any) -> dict[str, Any]:
    """A part that covers something found."""
    source = "person" if name in ("person", "backdrop") else "face-part"
    return {"source": source, "part": name, "join": join, **more}


_FEATURES = tuple(found_part(n, "take") for n in ("eye-whites", "irises", "brows", "lips", "hair"))
SKIN = ReadyPlace("the skin", (found_part("skin"), *_FEATURES), 0.003)
"""Skin, without eyes, brows and lips."""
BACKDROP = ReadyPlace("the backdrop", (found_part("backdrop"),))
SHINY_SKIN = ReadyPlace(
    "the skin and its shine", (found_part("skin"), found_part("face", spare=True), *_FEATURES), 0.003
)
"""The same with all that lies within the face: a hot highlight is too pale to be found as skin."""


class ReadyTouch(NamedTuple):
    """A ready touch: what it is called, the words under which it is looked for, its settings, and how it is mixed.

    ``place`` is where it is meant to lie, none: wherever one is; ``from_face``: its strokes are laid by the landmarks.
    """

    title: str
    needs: tuple[str, ...]
    settings: dict[str, Any]
    strength: float = 1.0
    blend: Blend = "normal"
    place: ReadyPlace | None = None
    from_face: bool = False


class Pick(NamedTuple):
    """Something that can be pointed at in the picture: its name, and the words on its button."""

    name: str
    words: str
    drag: bool = False
    """Whether it is then dragged up and down: the touch gets :meth:`Kind.pulled`."""
    place: bool = False
    """Whether it is the place that counts, not its colour: the touch gets :meth:`Kind.pointed`."""


class Kind(Record):
    """Settings of a touch; what drives them is one of the families below.

    A subclass names itself, and every setting says its unit, limits and neutral value (its default). The interface
    makes its controls and sentences from these.
    """

    kind: ClassVar[str]
    version: ClassVar[int] = 1
    """Counted up when the same settings give another picture: what was kept of the old one is not used again."""
    title: ClassVar[str]
    stage: ClassVar[Heading]
    sentence: ClassVar[str]
    """``{where}`` and names of settings in braces are the controls in the sentence; ``{ev:More|Less}`` is a word by
    the sign of a setting."""
    starts: ClassVar[tuple[ReadyTouch, ...]]
    """Ready sentences with a restrained start, found by need."""
    picks: ClassVar[tuple[Pick, ...]] = ()
    refers: ClassVar[tuple[str, ...]] = ()
    """Settings that hold the id of an area, besides the one that it works in."""

    @property
    def others(self) -> tuple[str, ...]:
        """Ids of the areas that its settings name."""
        return tuple(area for name in self.refers if (area := getattr(self, name)) is not None)

    @property
    def by_hand(self) -> bool:
        """Whether something of it was placed on this picture: on another one it must be looked at."""
        return False

    @property
    def neutral(self) -> bool:
        """Whether the touch gives every colour back as it was."""
        return self == type(self)()

    @property
    def finest(self) -> float | None:
        """The shortest length, in long sides, that a view must show for the touch to be seen; None: any view does.

        Where a pixel is longer, the touch does what it can at that scale, and the page says from where it is seen.
        """
        return None

    def picked(self, name: str, colour: Encoded, entry: int = 0) -> Self:
        """These settings after ``name`` of :attr:`picks` was pointed at: an encoded working colour (3,) below.

        ``entry`` is the one in hand where a setting is a list.
        """
        raise NotImplementedError

    def pointed(self, name: str, at: Place, irises: Sequence[tuple[float, float, float]]) -> Self:
        """These settings after a place (long sides) was pointed at, where ``irises`` (x, y, radius) were found."""
        raise NotImplementedError

    def pulled(self, name: str, colour: Encoded, by: float) -> tuple[Self, str]:
        """These settings after pressing on ``colour`` and dragging up by ``by`` (−1…1), and the value in words."""
        raise NotImplementedError


class Point(Kind):
    """A rule from colours to colours; the engine bakes it, with the blend mode, into a table."""

    @property
    def channelwise(self) -> bool:
        """Whether the rule treats each channel by itself with one and the same function."""
        return False

    def rule(self, colours: Encoded) -> Encoded:
        """Encoded working colours ``(..., 3)``, unclipped, to changed colours of the same shape."""
        raise NotImplementedError


class Placed(Point):
    """A kind whose source depends on where it is laid, not only on what is below."""

    @property
    def everywhere(self) -> bool:
        """Whether the settings at hand make a point rule all the same."""
        return False

    def laid(self, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """The source at places ``x`` (w,) and ``y`` (h,) in long sides from the top left.

        Returns a ramp of encoded working colours (n × 3) and, for each place, where on it, 0…1 (h × w).
        """
        raise NotImplementedError


Maps = tuple[Floats, ...]
"""Small maps of the whole picture, each float32 h × w × k at a size of its own; of one pixel: numbers."""


class Wide(Kind):
    """A kind that looks at neighbours: small maps of the whole picture, and then a use of them at every pixel.

    The maps are made at one size whatever the view's, so that a view, a dab and the export agree.
    """

    coarser: ClassVar[int] = 4
    """How many times shorter the long side that a draft surveys is, while something is dragged."""
    within: ClassVar[bool] = False
    """Whether the maps are made of what lies where the touch works, and of nothing else."""

    @property
    def side(self) -> int:
        """Pixels on the long side of the picture that is surveyed; it may come from the settings."""
        raise NotImplementedError

    @property
    def depends(self) -> str:
        """What of the settings the survey depends on: a drag of any other setting finds the maps that were made."""
        return self.digest

    layers: ClassVar[tuple[str, ...]] = ()
    """What of the picture can be shown by itself: see :meth:`layer`."""

    def layer(self, name: str, picture: Encoded, maps: Maps) -> Floats:
        """The lightness that one of :attr:`layers` holds, h × w, 0 where there is none of it.

        ``maps`` are those of the survey, brought to the picture's pixels.
        """
        raise NotImplementedError

    def survey(self, small: Encoded, within: Coverage) -> Maps:
        """The maps of the whole picture below, encoded working colours h × w × 3.

        ``within`` is where the touch works, 0…1, h × w; 1 everywhere unless :attr:`within` asks for it.
        """
        raise NotImplementedError

    def ready(self, maps: Maps) -> Maps:
        """The maps as :meth:`apply` wants them: what the other settings make of a survey, once for all views."""
        return maps

    def apply(self, picture: Encoded, maps: Maps, mask: Coverage | None, strength: float) -> None:
        """Change ``picture`` (float32 h × w × 3) in place; ``maps`` are brought to its pixels, h × w × k each.

        A map of one pixel stays as it is.
        """
        raise NotImplementedError


class Near(Kind):
    """A kind that reads its pixels' neighbours within a reach, at the frame's own scale: what is finer than any map."""

    @property
    def reach(self) -> float:
        """How far it reads, in long sides."""
        raise NotImplementedError

    def changed(self, around: Encoded, unit: int) -> Encoded:
        """The changed picture, float32 h × w × 3, of encoded working colours ``around`` at ``unit`` pixels a long side.

        What lies nearer to a border than the reach is used only where that is the picture's own border.
        """
        raise NotImplementedError


class Memory(Protocol):
    """Where a kind keeps what it worked out on a frame."""

    def kept(self, name: str, frame: Frame) -> Floats | None:
        """What was kept under ``name`` on ``frame`` or one that holds it; not to be changed."""
        ...

    def keep(self, name: str, frame: Frame, values: Floats) -> None:
        """Keep ``values`` (``frame.shape`` …), which nobody changes afterwards."""
        ...


class Standing(Memory, Protocol):
    """A memory over one picture below."""

    @property
    def below(self) -> str:
        """What stands for the picture below: the same, the same pixels."""
        ...


class Drawn(Kind):
    """A kind that owns strokes or patches as data, laid in their order.

    It samples the picture below it and its own earlier patches.
    """

    @property
    def by_hand(self) -> bool:
        """Strokes and patches lie where they were placed."""
        return not self.neutral

    def spread(self, frame: Frame) -> Frame:
        """The rectangle, holding ``frame``, of which the picture below is needed for ``frame`` to come out right."""
        raise NotImplementedError

    def reached(self, frame: Frame) -> Frame:
        """The rectangle, holding ``frame``, that looks different when the picture below changes in ``frame``."""
        raise NotImplementedError

    def ev(self, frame: Frame, memory: Memory) -> Floats | None:
        """EV that it lays at every pixel of ``frame`` (h × w); None if it is not light that it lays."""
        return None

    def draw(self, canvas: Encoded, frame: Frame, wanted: Frame, memory: Standing) -> None:
        """Lay the patches on ``canvas``, in place: the picture below on ``frame``, float32, encoded working colours.

        ``frame`` is what :meth:`spread` gave for ``wanted``; only that must come out right.
        ``memory`` holds what was worked out, by a name that says all that it depends on: ``memory.below`` with it, if
        on the picture below.
        """
        raise NotImplementedError


class Moved(Kind):
    """A displacement. All of a sheet are gathered; the finished picture goes through them once, at the end.

    Its strength weakens the displacement. With an area what lies in it moves over its surroundings, which stay and are
    continued behind it. A tone limit or a blend mode has no meaning here.
    """

    @property
    def stays(self) -> str | None:
        """The id of an area that never moves."""
        return None

    def bent(self, grid: Frame, pinned: Coverage | None, name: str, memory: Memory) -> Floats:
        """Moves on ``grid`` (:func:`retouch.shape.field.grid_of`): from where each node takes its content.

        float32 h × w × 3: what is added to x and y, in long sides, and 1 in the first node's third value if anything
        was cut short. ``pinned``: coverage on the grid of what never moves, of which ``name`` says all.
        """
        raise NotImplementedError
