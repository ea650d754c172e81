"""What every area source is made of."""

from typing import Annotated, Any, ClassVar, Literal, NamedTuple, Protocol

import numpy as np
from pydantic import Field

from retouch.faces.found import Found
from retouch.frame import Frame
from retouch.types import Coverage, Encoded, Floats, Lab, Record

Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
Join = Literal["add", "take", "only", "either"]
Ground = Literal["original", "below"]
Made = Literal["settings", "brush", "file", "area", "itself"]
"""How a part is made in the chain: by its settings, by painting, from a file, of another area, or of nothing else."""
OF_PICTURE: Any = Field(
    "original", title="of", description="what is looked at: the original, or the picture below the touch that uses it",
    json_schema_extra={"control": "choice"},
)  # fmt: skip
Of = Annotated[
    int, Field(ge=0, le=500, title="whose", description="number of the face from the left, from 1; 0: everybody",
               json_schema_extra={"control": "face"})
]  # fmt: skip
Unit = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class Sight(Protocol):
    """What a source may look at while it works out its coverage."""

    def area(self, area: str, frame: Frame) -> Coverage:
        """Coverage of another area of the sheet on ``frame``, shape ``frame.shape``; not to be changed."""
        ...

    def original(self, frame: Frame) -> Encoded:
        """The original on ``frame``, encoded working colours ``frame.shape`` × 3; not to be changed."""
        ...

    def lab(self, frame: Frame, of: Ground = "original") -> Lab:
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

    def once(self, name: str, make: Any) -> Floats:
        """What ``make()`` gives, made once for this picture, ``name`` and all frames; not to be changed."""
        ...

    def kept(self, name: str, frame: Frame) -> Floats | None:
        """What was kept under ``name`` on ``frame`` or one that holds it, if it still is; not to be changed."""
        ...

    def keep(self, name: str, frame: Frame, values: Floats) -> None:
        """Keep ``values`` (``frame.shape`` …) for the next time; nobody changes them afterwards."""
        ...


class ReadyPart(NamedTuple):
    """A ready part: its name and what it is made of."""

    title: str
    settings: dict[str, Any]


class Part(Record):
    """One source in an area's recipe, joined to the parts before it.

    ``join``: *add* = max, *take* = min(a, 1−b), *only* = min, *either* = max(min(a, 1−b), min(1−a, b)).
    """

    version: ClassVar[int] = 1
    """Counted up when the same settings cover something else: what was kept of the old is not used again."""
    title: ClassVar[str] = ""
    detail: ClassVar[str] = ""
    """What it holds, in a few words, its settings in braces: ``{points#point}`` counts a list, ``{ramp%}`` are shares,
    ``{outside?all but it|it}`` is a switch. Pieces between commas that come out empty are left out."""
    bare: ClassVar[str] = ""
    """What is said where nothing comes out."""
    area_name: ClassVar[str] = ""
    """What a new area that begins with it is called."""
    offer: ClassVar[str] = ""
    """The words on the menu that makes an area of it; empty: it is not offered there."""
    made_by: ClassVar[Made] = "settings"
    starts: ClassVar[tuple[ReadyPart, ...]] = ()
    """Ready parts, by name."""
    picks: ClassVar[bool] = False
    """Whether it is made by pointing at places of the picture."""
    narrows: ClassVar[bool] = False
    """Whether, after other parts, it is there to leave them *only where* it is."""
    finds: ClassVar[bool] = False
    """Whether it asks what was found on the picture."""
    by_hand: ClassVar[bool] = True
    """Whether it was placed on this picture: on another one it must be looked at."""
    refers: ClassVar[tuple[str, ...]] = ()
    """The settings that hold the id of another area; each is looked at on the frame that is asked of this part."""

    id: Id | None = Field(None, description="stays with the part, so that an edit finds it again")
    join: Join = Field("add", description="how it meets the parts before it")
    on: bool = Field(True, description="off: the recipe runs as if the part were not there")

    @property
    def others(self) -> tuple[str, ...]:
        """Ids of the other areas that it is made from."""
        return tuple(getattr(self, name) for name in self.refers)

    @property
    def looks_below(self) -> bool:
        """Whether it looks at the picture below, on the frame that is asked of it."""
        return getattr(self, "of", None) == "below"

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage 0…1 on ``frame``, float32 of ``frame.shape``; not to be changed afterwards by anybody."""
        raise NotImplementedError


def from_found(sight: Sight, name: str, of: int, frame: Frame) -> Coverage:
    """Coverage of something that the program found, nothing if it did not look or there is none."""
    found = sight.found()
    return Coverage(
        np.zeros(frame.shape, np.float32) if found is None else found.coverage(name, of, frame, sight.original)
    )
