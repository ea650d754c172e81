"""The original as the renderer reads it: rectangles at any scale, in working colours."""

from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

import cv2
import numba
import numpy as np

from retouch.bands import in_bands
from retouch.files.reading import Original
from retouch.frame import Frame
from retouch.types import Encoded, Floats

STORED_LOW, STORED_STEP = -0.5, 2.0**-14
"""Level files hold encoded values as uint16: value = LOW + n × STEP, up to 3.5 (about 4 EV above white)."""
SMALLEST = 400
ROWS = 256


class Picture(Protocol):
    """An original picture: its key (for caches), its upright size, and its colours."""

    key: str
    width: int
    height: int

    def read(self, frame: Frame) -> Encoded:
        """Encoded working colours on ``frame``: a new float32 array of ``frame.shape`` × 3."""
        ...


class Pyramid:
    """An original kept at full, half, quarter … size, each level a memory-mapped file.

    A view reads only its own rectangle from the next finer level, so that its cost does not grow with the original.
    """

    def __init__(self, folder: Path, key: str):
        self.key = key
        paths = sorted(folder.glob("level-*.npy"), key=lambda p: int(p.stem.split("-")[1]))
        if not paths:
            raise FileNotFoundError(folder)
        self.levels: list[Any] = [np.load(p, mmap_mode="r") for p in paths]
        self.height, self.width = self.levels[0].shape[:2]

    @staticmethod
    def store(picture: Picture, folder: Path, progress: Callable[[float], None] = lambda share: None) -> None:
        """Write the levels of ``picture``, which is read in bands of rows, into ``folder``.

        ``progress`` is told the finished share 0…1; what it raises ends the work.
        """
        folder.mkdir(parents=True, exist_ok=True)
        whole, number = Frame.whole(picture.width, picture.height), 0
        # The largest goes to the disk band by band: it is never held beside the original.
        with (folder / "level-0.npy").open("wb") as file:
            header = {"descr": "<u2", "fortran_order": False, "shape": (picture.height, picture.width, 3)}
            np.lib.format.write_array_header_1_0(file, header)
            for top in range(0, picture.height, ROWS):
                band = whole.rows(top, min(top + ROWS, picture.height))
                file.write(np.ascontiguousarray(_pack(picture.read(band)), "<u2").data)
                progress(0.8 * (top + band.h) / picture.height)
        level: Any = np.load(folder / "level-0.npy", mmap_mode="r")
        while max(level.shape) > SMALLEST:
            size = (max(1, level.shape[1] // 2), max(1, level.shape[0] // 2))
            level = cv2.resize(level, size, interpolation=cv2.INTER_AREA)
            number += 1
            np.save(folder / f"level-{number}.npy", level)
        progress(1.0)

    def read(self, frame: Frame) -> Encoded:
        """See :class:`Picture`."""
        fitting = [v for v in self.levels if v.shape[1] >= frame.width and v.shape[0] >= frame.height]
        return Encoded(shrink(fitting[-1], frame, STORED_STEP, STORED_LOW))


class Decoded:
    """An original held in memory at full size, as the decoder gave it; converted to working colours as it is read.

    Smaller frames, which wide touches ask for, are read from levels that are made when the first is wanted.
    """

    key = "decoded"

    def __init__(self, original: Original):
        self.original = original
        self.height, self.width = original.raw.shape[:2]
        self._levels: list[Any] = []

    def read(self, frame: Frame) -> Encoded:
        """See :class:`Picture`."""
        if (frame.width, frame.height) != (self.width, self.height):
            levels = self._levels or self._halved()
            fitting = [v for v in levels if v.shape[1] >= frame.width and v.shape[0] >= frame.height]
            if fitting:
                return Encoded(shrink(fitting[-1], frame, STORED_STEP, STORED_LOW))
            whole = self.read(Frame.whole(self.width, self.height))
            return Encoded(shrink(whole, frame))
        rows, columns = slice(frame.y, frame.y + frame.h), slice(frame.x, frame.x + frame.w)
        return Encoded(self.original.to_working(self.original.raw[rows, columns]))

    def _halved(self) -> list[Any]:
        """The levels from half the size down, as :class:`Pyramid` has them; the full one is never held."""
        if min(self.width, self.height) < 2:
            return []
        half = np.empty((self.height // 2, self.width // 2, 3), np.uint16)
        for top in range(0, 2 * half.shape[0], ROWS):
            bottom = min(top + ROWS, 2 * half.shape[0])
            band = _pack(self.read(Frame(self.width, self.height, 0, top, self.width, bottom - top)))
            size = (half.shape[1], (bottom - top) // 2)
            half[top // 2 : bottom // 2] = cv2.resize(band, size, interpolation=cv2.INTER_AREA)
        self._levels = [half]
        while max(self._levels[-1].shape) > SMALLEST:
            last = self._levels[-1]
            size = (max(1, last.shape[1] // 2), max(1, last.shape[0] // 2))
            self._levels.append(cv2.resize(last, size, interpolation=cv2.INTER_AREA))
        return self._levels


def shrink(stored: np.ndarray[Any, Any], frame: Frame, scale: float = 1.0, offset: float = 0.0) -> Floats:
    """Average ``stored`` (height × width × 3) down to ``frame``, as ``offset + scale × value`` in float32.

    Every pixel is the exact mean of the rectangle it covers, so that a part of a view has the same pixels as the
    whole. A frame is never larger than the picture.
    """
    height, width = stored.shape[:2]
    if (width, height) == (frame.width, frame.height):
        out = stored[frame.y : frame.y + frame.h, frame.x : frame.x + frame.w].astype(np.float32)
        if scale != 1 or offset != 0:
            out *= np.float32(scale)
            out += np.float32(offset)
        return out
    columns, column_weights = _box(frame.x, frame.w, width / frame.width, width)
    rows, row_weights = _box(frame.y, frame.h, height / frame.height, height)
    out = np.empty((*frame.shape, 3), np.float32)

    def work(band: slice) -> None:
        _average(
            stored, out[band], rows[band], row_weights[band], columns, column_weights,
            np.float32(scale), np.float32(offset),
        )  # fmt: skip

    in_bands(work, frame.h)
    return out


def _box(start: int, count: int, ratio: float, size: int) -> tuple[np.ndarray[Any, Any], Floats]:
    """For ``count`` pixels from ``start``: the first stored pixel each covers, and the share of each it covers."""
    left = (np.arange(count) + start) * ratio
    first = np.minimum(np.floor(left + 1e-9).astype(np.int64), size - 1)
    taps = int(np.ceil(ratio)) + 1
    cells = first[:, None] + np.arange(taps)
    share = np.clip(np.minimum(cells + 1, (left + ratio)[:, None]) - np.maximum(cells, left[:, None]), 0, None)
    share[cells >= size] = 0
    return first, (share / share.sum(1, keepdims=True)).astype(np.float32)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _average(stored, out, rows, row_weights, columns, column_weights, scale, offset):  # type: ignore[no-untyped-def]
    # Down first, along whole rows; then across the sums.
    first, last = columns[0], min(columns[-1] + column_weights.shape[1], stored.shape[1])
    line = np.empty((last - first) * 3, np.float32)
    for y in range(out.shape[0]):
        line[:] = 0
        for j in range(row_weights.shape[1]):
            wy = row_weights[y, j]
            if wy != 0:
                row = stored[rows[y] + j, first:last].reshape(-1)
                for i in range(line.shape[0]):
                    line[i] += wy * np.float32(row[i])
        for x in range(out.shape[1]):
            at = (columns[x] - first) * 3
            a, b, c = np.float32(0), np.float32(0), np.float32(0)
            for i in range(column_weights.shape[1]):
                w = column_weights[x, i]
                if w != 0:
                    k = at + 3 * i
                    a += w * line[k]
                    b += w * line[k + 1]
                    c += w * line[k + 2]
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = offset + scale * a, offset + scale * b, offset + scale * c


def _pack(picture: Floats) -> np.ndarray[Any, Any]:
    return np.asarray(np.clip((picture - STORED_LOW) / STORED_STEP + 0.5, 0, 65535).astype(np.uint16))
