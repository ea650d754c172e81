"""What every touch kind is made of."""

from typing import Any, ClassVar, NamedTuple

from pydantic import BaseModel, ConfigDict

from retouch.types import Floats


class Start(NamedTuple):
    """A ready touch: what it is called, the words under which it is looked for, and its settings."""

    title: str
    needs: tuple[str, ...]
    settings: dict[str, Any]


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
