"""The whole picture."""

from typing import ClassVar, Literal

import numpy as np

from retouch.areas.base import Look, Part
from retouch.frame import Frame
from retouch.types import Floats


class Whole(Part):
    """Every pixel: the start for an area that is painted away."""

    title: ClassVar[str] = "whole picture"
    source: Literal["whole"] = "whole"

    def coverage(self, frame: Frame, look: Look) -> Floats:
        """Coverage 1 everywhere on ``frame``."""
        return np.ones(frame.shape, np.float32)
