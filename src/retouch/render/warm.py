"""Load or compile every kernel before somebody waits for it."""

from typing import Any

import numpy as np

from retouch.frame import Frame
from retouch.mend.fill import choose
from retouch.render.output import to_jpeg
from retouch.render.picture import shrink
from retouch.render.plan import Renderer
from retouch.sheet import read_sheet
from retouch.touches.repair import Filling, packed
from retouch.types import Encoded


class _Grey:
    key, width, height = "warm", 96, 96

    def read(self, frame: Frame) -> Encoded:
        stored = np.full((self.height, self.width, 3), 18_000, np.uint16)
        # As levels lie on the disk.
        stored.flags.writeable = False
        return Encoded(shrink(stored, frame, 2.0**-14, -0.5))


def _filled() -> dict[str, Any]:
    """A fill whose labels are chosen here, so that what chooses them is compiled too."""
    hole = np.zeros((40, 40), bool)
    hole[16:24, 16:24] = True
    picture = np.random.default_rng(0).random((40, 40, 3), np.float32)
    chosen = choose(picture, hole, ~hole, 0)
    assert chosen is not None
    labels, offsets = chosen
    by = [(float(x) / 40, float(y) / 40) for x, y in offsets]
    filling = Filling(unit=40, x=0, y=0, w=40, h=40, offsets=by, labels=packed(labels))
    return {"id": "2", "way": "fill", "filling": filling.model_dump()}


def warm() -> None:
    """Render a tiny sheet that touches every kernel; a second or so, longer on a new machine."""
    points = [[0.2, 0.2, 0.5], [0.6, 0.7, 1.0]]
    # A shape's stroke costs by its length.
    short = [[0.5, 0.5, 1.0], [0.501, 0.5, 1.0]]
    gradient = {"of": "gradient", "stops": [{"at": 0, "colour": "#204060"}, {"at": 1, "colour": "#806040"}]}
    limit = {"ramp": [0.1, 0.2, 0.8, 0.9]}
    sheet = read_sheet(
        {
            "format": "needlepoint-sheet",
            "version": 1,
            "areas": [
                {"id": "a", "feather": 0.3, "grow": 0.2, "parts": [
                    {"source": "strokes", "strokes": [{"size": 0.2, "flow": 0.5, "points": points}]}]},
            ],
            "touches": [
                {"id": "e", "kind": "exposure", "settings": {"ev": 1}, "area": "a", "limit": limit},
                {"id": "s", "kind": "set", "area": "a", "touches": [
                    {"id": "c", "kind": "curve", "settings": {"points": [[0, 0], [0.5, 0.6], [1, 1]]}}]},
                {"id": "z", "kind": "zones", "settings": {"shadow": 1, "contrast": 0.1}},
                {"id": "y", "kind": "zones", "settings": {"light": -1}, "area": "a"},
                {"id": "w", "kind": "wash", "settings": gradient, "blend": "soft-light"},
                {"id": "v", "kind": "wash", "settings": gradient, "area": "a"},
                {"id": "d", "kind": "detail", "settings": {"medium": -0.5, "medium_size": 0.03}, "area": "a"},
                {"id": "dc", "kind": "detail", "settings": {"medium": 0.5, "medium_size": 0.03, "colour": True}},
                {"id": "ds", "kind": "detail", "settings": {"spots": 0.5, "medium_size": 0.03}},
                {"id": "n", "kind": "even", "settings": {"light": 0.5, "smaller": 0.1, "larger": 0.5}},
                {"id": "h", "kind": "haze", "settings": {"amount": 0.3}},
                {"id": "i", "kind": "shine", "settings": {"amount": 0.3, "size": 0.2}},
                {"id": "b", "kind": "blur", "settings": {"radius": 0.05, "grows": True}},
                {"id": "k", "kind": "dodge-burn", "settings": {"strokes": [{"size": 0.2, "points": points}]}},
                {"id": "p", "kind": "sharpen", "settings": {"amount": 1, "radius": 0.005}},
                {"id": "r", "kind": "repair", "settings": {"patches": [
                    {"id": "1", "way": "heal", "source": [0.2, 0], "strokes": [{"size": 0.2, "points": points[:1]}]},
                    {"id": "2", "way": "spot", "source": [0.2, 0], "forms": 0.5,
                     "strokes": [{"size": 0.2, "points": points[:1]}]},
                    _filled()]}},
                {"id": "m", "kind": "reshape", "settings": {"strokes": [
                    {"does": does, "size": 0.1, "points": short} for does in ("push", "swell", "turn", "smooth")]}},
                {"id": "o", "kind": "reshape", "area": "a", "settings": {"strokes": [{"size": 0.1, "points": short}]}},
            ],
        }
    )  # fmt: skip
    # What moves uncovers something, or does not.
    moved = sheet.model_copy(update={"touches": [t for t in sheet.touches if t.id in ("e", "m")]})
    for size, of in ((96, sheet), (80, sheet), (96, moved)):
        to_jpeg(Renderer(_Grey(), of).draw(Frame.whole(size, size)))


if __name__ == "__main__":
    warm()
