"""Raw files of cameras, and DNG: demosaiced into linear light, with what lies above white kept."""

import logging
import math
from pathlib import Path
from typing import Any

import numpy as np
import rawpy
import tifffile

from retouch.types import PictureError

log = logging.getLogger(__name__)

DNG_VERSION, BASELINE_EXPOSURE = 50706, 50730
MOSAIC, LINEAR_RAW = 32803, 34892
OTHER_MAGIC = (b"FUJIFILMCCD-RAW", b"IIRO", b"IIRS", b"MMOR", b"IIU\0", b"FOVb", b"\0MRM")


def is_raw(path: Path, head: bytes) -> bool:
    """Whether the file is a raw file, from its first 16 bytes and, where these are those of a TIFF, its directory."""
    if head.startswith(OTHER_MAGIC) or head[4:12] == b"ftypcrx " or head[8:10] == b"CR":
        return True
    if not head.startswith((b"II*\0", b"MM\0*")):
        return False
    try:
        with tifffile.TiffFile(path) as tiff:
            page: Any = tiff.pages.first
            kinds = {int(page.photometric)} | {int(p.photometric) for p in page.pages or ()}
            return DNG_VERSION in page.tags or bool(kinds & {MOSAIC, LINEAR_RAW})
    except Exception:
        log.info("%s looks like a TIFF and cannot be read as one", path, exc_info=True)
        return False


def measure(path: Path) -> tuple[int, int, float]:
    """Upright width and height, and the headroom: EV from white to the most that :func:`demosaic` can give.

    Raises
    ------
    PictureError
        If the raw file is of a kind that cannot be opened.
    """
    with _opened(path) as file:
        sizes = file.sizes
        width, height = sizes.iwidth, sizes.iheight
        if sizes.flip in (5, 6):
            width, height = height, width
        return width, height, _baseline(path) + math.log2(_spread(file))


def demosaic(path: Path) -> np.ndarray[Any, Any]:
    """The upright picture, uint16 height × width × 3 in linear light with Rec. 2020 primaries.

    65535 is white × 2^headroom: channels are balanced by lowering the stronger ones, so that none is cut off, and
    highlights in which one channel ran full are blended from the others (LibRaw's highlight mode 2).
    """
    with _opened(path) as file:
        out = file.postprocess(
            gamma=(1, 1), no_auto_bright=True, output_bps=16, output_color=rawpy.ColorSpace.Rec2020,
            use_camera_wb=True, adjust_maximum_thr=0, highlight_mode=rawpy.HighlightMode.Blend,
            demosaic_algorithm=rawpy.DemosaicAlgorithm.AHD,
        )  # fmt: skip
    return np.ascontiguousarray(out)


def _opened(path: Path) -> Any:
    try:
        return rawpy.imread(str(path))
    except rawpy.LibRawFileUnsupportedError as error:
        raise PictureError(
            "This camera's raw files are not understood yet. Turn the file into DNG and bring that."
        ) from error


def _spread(file: Any) -> float:
    """The ratio of the strongest to the weakest channel's balance."""
    balance = [v for v in file.camera_whitebalance[:3] if v > 0] or [v for v in file.daylight_whitebalance[:3] if v > 0]
    return max(balance) / min(balance) if balance else 1.0


def _baseline(path: Path) -> float:
    """DNG's BaselineExposure in EV; 0 where none is said."""
    try:
        with tifffile.TiffFile(path) as tiff:
            tag = tiff.pages.first.tags.get(BASELINE_EXPOSURE)
            if tag is None:
                return 0.0
            top, bottom = tag.value
            value = top / bottom
    except Exception:
        log.warning("the baseline exposure of %s is not understood", path, exc_info=True)
        return 0.0
    return value if -5 <= value <= 5 else 0.0
