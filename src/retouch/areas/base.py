"""What every area source is made of."""

from typing import Annotated, Any, ClassVar, Literal, NamedTuple, Protocol

from pydantic import BaseModel, ConfigDict, Field

from retouch.frame import Frame
from retouch.types import Floats

Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
Join = Literal["add", "take", "only", "either"]
Unit = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class Look(Protocol):
    """What a source may look at while it works out its coverage."""

    def area(self, area: str, frame: Frame) -> Floats:
        """Coverage of another area of the sheet on ``frame``, shape ``frame.shape``."""
        ...

    def original(self, frame: Frame) -> Floats:
        """The original on ``frame``, encoded working colours ``frame.shape`` × 3; not to be changed."""
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
