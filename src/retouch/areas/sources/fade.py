"""A straight fade from all to nothing."""

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from retouch.areas.base import Part, Sight
from retouch.bands import in_bands
from retouch.frame import Frame
from retouch.types import Coverage, Place


class Fade(Part):
    """All before its start, nothing beyond its end, a smoothstep between."""

    title: ClassVar[str] = "fade"
    detail: ClassVar[str] = "from all to nothing"
    area_name: ClassVar[str] = "the fade"
    offer: ClassVar[str] = "A fade"
    source: Literal["fade"] = "fade"
    start: Place = Field((0.4, 0.1), title="from", json_schema_extra={"control": "stage"})
    end: Place = Field((0.4, 0.6), title="to", json_schema_extra={"control": "stage"})

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage on ``frame``, along the line from start to end and the same across it."""
        x, y = frame.places()
        (ax, ay), (bx, by) = self.start, self.end
        dx, dy = bx - ax, by - ay
        length = max(dx * dx + dy * dy, 1e-8)
        across, down = ((along / length).astype(np.float32) for along in ((x - ax) * dx, (y - ay) * dy))
        out = np.empty(frame.shape, np.float32)

        def work(rows: slice) -> None:
            t = np.clip(1 - (across + down[rows, None]), 0, 1)
            out[rows] = t * t * (3 - 2 * t)

        in_bands(work, frame.h)
        return Coverage(out)
