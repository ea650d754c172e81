"""How far a view of the neighbour kinds is from the reduced export, in 8-bit steps: ``uv run python -m bench.same``.

A picture of 12, 24 and 50 MP is drawn whole, reduced to a view of 1400 pixels, and held against the view drawn at once.
"""

import numpy as np

from bench.near import ELLIPSE, KINDS
from bench.view import InMemory, synthetic
from retouch.frame import Frame
from retouch.render.picture import shrink
from retouch.render.plan import Renderer
from retouch.sheet import read_sheet
from retouch.types import Floats

SIZES = {"12": (4000, 3000), "24": (6000, 4000), "50": (8700, 5800)}
VIEW = 1400


class Shrunk(InMemory):
    """A picture in memory that is averaged down for smaller frames, as a pyramid does."""

    def read(self, frame: Frame) -> Floats:
        """See :class:`InMemory`."""
        return shrink(self.colours, frame)


def main() -> None:
    """Print the table."""
    for name, (width, height) in SIZES.items():
        picture = Shrunk(synthetic(width, height))
        small = Frame.whole(VIEW, round(VIEW * height / width))
        for kind, (settings, _, _) in KINDS.items():
            touch = {"id": "t", "kind": kind, "settings": settings, "area": "a"}
            areas = [{"id": "a", "parts": [ELLIPSE]}]
            sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": areas, "touches": [touch]})
            whole = shrink(Renderer(picture, sheet).draw(Frame.whole(width, height)), small)
            off = 255 * np.abs(whole - Renderer(picture, sheet).draw(small))
            covered = off[off.max(-1) > 0]
            mean, most = float(covered.mean()), float(np.quantile(covered, 0.99))
            print(f"{name} MP  {kind:<10} mean {mean:5.2f} ≤ 0.4   p99 {most:5.2f} ≤ 2.5", flush=True)


if __name__ == "__main__":
    main()
