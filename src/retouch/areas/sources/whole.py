"""The whole picture."""

from typing import ClassVar, Literal

import numpy as np

from retouch.areas.base import Made, Part, Sight
from retouch.frame import Frame
from retouch.types import Coverage


class Whole(Part):
    """Every pixel: the start for an area that is painted away."""

    title: ClassVar[str] = "whole picture"
    detail: ClassVar[str] = "every pixel"
    made_by: ClassVar[Made] = "itself"
    by_hand: ClassVar[bool] = False
    source: Literal["whole"] = "whole"

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage 1 everywhere on ``frame``."""
        return Coverage(np.ones(frame.shape, np.float32))
