"""Small made-up pictures for tests."""

import io
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from retouch.frame import Frame
from retouch.render.picture import shrink
from retouch.types import Floats


def smooth(width: int, height: int, seed: int = 0) -> Floats:
    """A smooth picture of many colours, float32 in 0…1, as encoded working colours."""
    rng = np.random.default_rng(seed)
    return np.clip(cv2.resize(rng.random((6, 5, 3), np.float32), (width, height), interpolation=cv2.INTER_CUBIC), 0, 1)


def grainy(width: int, height: int, seed: int = 0) -> Floats:
    """As :func:`smooth`, with the fine grain of a real picture."""
    grain = np.random.default_rng(seed + 1).standard_normal((height, width, 1)).astype(np.float32)
    return np.clip(smooth(width, height, seed) + 0.02 * grain, 0, 1)


class Held:
    """Working colours held in memory, as the renderer reads a picture."""

    def __init__(self, colours: Floats, key: str = "held"):
        self.colours, self.key = colours, key
        self.height, self.width = colours.shape[:2]

    def read(self, frame: Frame) -> Floats:
        """A copy of the rectangle, averaged down to its scale."""
        return shrink(self.colours, frame)


def bytes_of(form: str, width: int = 240, height: int = 300, seed: int = 0, **options: object) -> bytes:
    """An 8-bit sRGB file in one of Pillow's formats."""
    out = io.BytesIO()
    Image.fromarray((smooth(width, height, seed) * 255).astype(np.uint8)).save(out, form, **options)
    return out.getvalue()


def file_of(path: Path, *arguments: object, **options: object) -> Path:
    """Write :func:`bytes_of` to ``path``."""
    path.write_bytes(bytes_of(*arguments, **options))  # type: ignore[arg-type]
    return path
