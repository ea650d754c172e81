"""Names for the arrays and places that run through the core, and what settings are made of."""

import hashlib
from collections.abc import Mapping
from functools import cached_property
from typing import Annotated, Any, NewType, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationInfo

Floats = NDArray[np.floating[Any]]
"""Colours ``(..., 3)``, a picture ``(height, width, 3)`` or a coverage ``(height, width)``, float32 or float64."""

Encoded = NewType("Encoded", NDArray[np.floating[Any]])
"""Encoded working colours ``(..., 3)``: Rec. 2020 primaries behind an sRGB-like curve, unclipped."""
Linear = NewType("Linear", NDArray[np.floating[Any]])
"""Linear light ``(..., 3)``."""
Lab = NewType("Lab", NDArray[np.floating[Any]])
"""OKLab ``(..., 3)``: L 0…1 for black…white, a and b about ±0.4."""
Coverage = NewType("Coverage", NDArray[np.floating[Any]])
"""How far each pixel is covered, 0…1, h × w."""

Bytes = NDArray[np.uint8]
"""8-bit values: an encoded picture or a coverage from 0 (nothing) to 255 (all)."""

Place = tuple[Annotated[float, Field(ge=-1, le=2)], Annotated[float, Field(ge=-1, le=2)]]
"""A place in the picture, in long sides from the top left; it may lie outside."""


def printable(text: str) -> str:
    """What of a text out of a file can be shown and kept: no NUL, no half of a character, nothing that steers."""
    return "".join(sign for sign in text if sign.isprintable())


class PictureError(Exception):
    """Something about a picture or a sheet that the photographer must be told, in one plain sentence."""


def digest_of(*parts: str) -> str:
    """A short name for what ``parts`` say: the same parts, the same name."""
    return hashlib.blake2b("\0".join(parts).encode(), digest_size=16).hexdigest()


NEW = {"new": True}
"""The context in which what somebody has just made is validated; what was kept before is read without it."""


def is_new(info: ValidationInfo) -> bool:
    """Whether something is refused that an earlier program let in: it is then put right only if it is new."""
    return bool(info.context and info.context.get("new"))


class Record(BaseModel):
    """Settings, once made never changed: what is worked out of them is kept with them.

    Strict: a misspelt field is refused rather than lost, and numbers are finite.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, frozen=True)

    @cached_property
    def digest(self) -> str:
        """A name for these settings: the same settings, the same name."""
        return digest_of(self.model_dump_json())

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with some fields changed (not validated), without what was worked out of the old ones."""
        copy = super().model_copy(update=update, deep=deep)
        for name in set(copy.__dict__) - set(type(self).model_fields):
            del copy.__dict__[name]
        return copy
