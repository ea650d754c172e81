"""What every area source is made of."""

from collections.abc import Callable
from typing import Annotated, Any, ClassVar, Literal, NamedTuple, Protocol

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from retouch.faces.found import Found
from retouch.frame import Frame
from retouch.types import Floats

Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
Join = Literal["add", "take", "only", "either"]
Seen = Literal["original", "below"]
OF_PICTURE: Any = Field(
    "original", title="of", description="what is looked at: the original, or the picture below the touch that uses it",
    json_schema_extra={"control": "choice"},
)  # fmt: skip
Of = Annotated[
    int, Field(ge=0, le=500, title="whose", description="number of the face from the left, from 1; 0: everybody",
               json_schema_extra={"control": "face"})
]  # fmt: skip
Unit = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class Look(Protocol):
    """What a source may look at while it works out its coverage."""

    def area(self, area: str, frame: Frame) -> Floats:
        """Coverage of another area of the sheet on ``frame``, shape ``frame.shape``."""
        ...

    def original(self, frame: Frame) -> Floats:
        """The original on ``frame``, encoded working colours ``frame.shape`` × 3; not to be changed."""
        ...

    def lab(self, frame: Frame, of: Seen = "original") -> Floats:
        """OKLab on ``frame``, float32 ``frame.shape`` × 3, light clipped to 0…1; not to be changed.

        ``of`` the original, or of the picture below the touch that uses the area.
        """
        ...

    def scaled(self, unit: float) -> Frame:
        """The whole picture at ``unit`` pixels on its long side, or at its own size if it has fewer."""
        ...

    def found(self) -> Found | None:
        """What the program found on the picture; None while nothing was looked for."""
        ...

    def once(self, name: str, make: Callable[[], Floats]) -> Floats:
        """What ``make`` gives, made once for this picture, ``name`` and all frames; not to be changed."""
        ...


class Start(NamedTuple):
    """A ready part: its name and what it is made of."""

    title: str
    settings: dict[str, Any]


class Part(BaseModel):
    """One source in an area's recipe, joined to the parts before it.

    ``join``: *add* = max, *take* = min(a, 1−b), *only* = min, *either* = max(min(a, 1−b), min(1−a, b)).
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    title: ClassVar[str] = ""
    starts: ClassVar[tuple[Start, ...]] = ()
    """Ready parts, by name."""
    picks: ClassVar[bool] = False
    """Whether it is made by pointing at places of the picture."""
    id: Id | None = Field(None, description="stays with the part, so that an edit finds it again")
    join: Join = Field("add", description="how it meets the parts before it")
    on: bool = Field(True, description="off: the recipe runs as if the part were not there")

    def coverage(self, frame: Frame, look: Look) -> Floats:
        """Coverage 0…1 on ``frame``, float32 of ``frame.shape``; a new array that the caller may change."""
        raise NotImplementedError


def from_found(look: Look, name: str, of: int, frame: Frame) -> Floats:
    """Coverage of something that the program found, nothing if it did not look or there is none."""
    found = look.found()
    return np.zeros(frame.shape, np.float32) if found is None else found.coverage(name, of, frame, look.original)
