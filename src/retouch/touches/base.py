"""What every touch kind is made of."""

from typing import Any, ClassVar, NamedTuple, Self

from pydantic import BaseModel, ConfigDict

from retouch.touches.blend import Blend
from retouch.types import Floats


class Start(NamedTuple):
    """A ready touch: what it is called, the words under which it is looked for, its settings, and how it is mixed."""

    title: str
    needs: tuple[str, ...]
    settings: dict[str, Any]
    strength: float = 1.0
    blend: Blend = "normal"


class Pick(NamedTuple):
    """Something that can be pointed at in the picture: its name, and the words on its button."""

    name: str
    words: str
    drag: bool = False
    """Whether it is then dragged up and down: the touch gets :meth:`Kind.pulled`."""


class Kind(BaseModel):
    """Settings of a touch and the rule they drive.

    A subclass names itself, and every setting says its unit, limits and neutral value (its default). The interface
    makes its controls and sentences from these.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    kind: ClassVar[str]
    title: ClassVar[str]
    stage: ClassVar[str]
    """The heading under which the sheet lists it: balance, light, clean, skin, eyes, shape or finish."""
    sentence: ClassVar[str]
    """``{where}`` and names of settings in braces are the controls in the sentence; ``{ev:More|Less}`` is a word by
    the sign of a setting."""
    starts: ClassVar[tuple[Start, ...]]
    """Ready sentences with a restrained start, found by need."""
    picks: ClassVar[tuple[Pick, ...]] = ()

    @property
    def channelwise(self) -> bool:
        """Whether the rule treats each channel by itself with one and the same function."""
        return False

    @property
    def neutral(self) -> bool:
        """Whether the rule gives every colour back as it was."""
        return self == type(self)()

    def rule(self, colours: Floats) -> Floats:
        """Encoded working colours ``(..., 3)``, unclipped, to changed colours of the same shape."""
        raise NotImplementedError

    def picked(self, name: str, colour: Floats, entry: int = 0) -> Self:
        """These settings after ``name`` of :attr:`picks` was pointed at: an encoded working colour (3,) below.

        ``entry`` is the one in hand where a setting is a list.
        """
        raise NotImplementedError

    def pulled(self, name: str, colour: Floats, by: float) -> tuple[Self, str]:
        """These settings after pressing on ``colour`` and dragging up by ``by`` (−1…1), and the value in words."""
        raise NotImplementedError


class Wide(Kind):
    """A kind that looks at neighbours: a small map of the whole picture, and then a use of it at every pixel.

    The map is made at one size whatever the view's, so that a view, a dab and the export agree.
    """

    map_side: ClassVar[int]
    """Pixels on the long side of the map."""

    def survey(self, small: Floats) -> Floats:
        """The map, float32 h × w × k, of the whole picture below, encoded working colours h × w × 3."""
        raise NotImplementedError

    def rule_with(self, colours: Floats, survey: Floats) -> Floats:
        """The rule that :meth:`apply` is held against: encoded working colours h × w × 3, and the map at them."""
        raise NotImplementedError

    def apply(self, picture: Floats, survey: Floats, mask: Floats | None, strength: float) -> None:
        """Change ``picture`` (float32 h × w × 3) in place; ``survey`` is brought to its pixels, h × w × k."""
        raise NotImplementedError


class Placed(Kind):
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
