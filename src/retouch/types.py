"""Names for the arrays and places that run through the core."""

from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

Floats = NDArray[np.floating[Any]]
"""Colours ``(..., 3)``, a picture ``(height, width, 3)`` or a coverage ``(height, width)``, float32 or float64."""

Bytes = NDArray[np.uint8]
"""8-bit values: an encoded picture or a coverage from 0 (nothing) to 255 (all)."""

Place = tuple[Annotated[float, Field(ge=-1, le=2)], Annotated[float, Field(ge=-1, le=2)]]
"""A place in the picture, in long sides from the top left; it may lie outside."""


class PictureError(Exception):
    """Something about a picture or a sheet that the photographer must be told, in one plain sentence."""
