"""A raw file, as a camera would have written it: one colour a pixel, with room above white."""

import io

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray

BLACK, WHITE = 256, 4095
HEADROOM = 1.5
"""EV by which the sensor was spared: what the picture calls white lies that far below what the sensor can hold."""
XYZ_TO_SRGB = (
    (3.2404542, -1.5371385, -0.4985314),
    (-0.9692660, 1.8760108, 0.0415560),
    (0.0556434, -0.2040259, 1.0572252),
)


def dng(linear: NDArray[np.float32], neutral: tuple[float, float, float] = (1.0, 1.0, 1.0)) -> bytes:
    """A DNG (open specification, version 1.4) of linear sRGB (even height × even width × 3): RGGB, 12 bits, lossless.

    The camera's colours are linear sRGB times ``neutral`` (its answer to white, at most 1), with a daylight (D65)
    calibration; ``BaselineExposure`` gives back HEADROOM.
    """
    answer = np.array(neutral, np.float32)
    scaled = np.clip(linear * answer * np.float32(2.0**-HEADROOM), 0, 1) * (WHITE - BLACK) + BLACK
    mosaic = np.empty(linear.shape[:2], np.uint16)
    for row, column, channel in ((0, 0, 0), (0, 1, 1), (1, 0, 1), (1, 1, 2)):
        mosaic[row::2, column::2] = scaled[row::2, column::2, channel] + 0.5
    camera = answer[:, None] * XYZ_TO_SRGB
    matrix = [part for value in camera.ravel() for part in (round(float(value) * 10**7), 10**7)]
    white = [part for value in neutral for part in (round(value * 10**6), 10**6)]
    coded = imagecodecs.ljpeg_encode(mosaic, bitspersample=12)
    out = io.BytesIO()
    tifffile.imwrite(
        out, iter([coded]), shape=mosaic.shape, dtype=np.uint16, photometric=32803, compression=7,
        rowsperstrip=mosaic.shape[0], metadata=None, software=None,
        extratags=[
            (271, "s", 0, "Saltmarsh", True), (272, "s", 0, "Made-up camera", True), (274, "H", 1, 1, True),
            (33421, "H", 2, (2, 2), True), (33422, "B", 4, (0, 1, 1, 2), True),
            (50706, "B", 4, (1, 4, 0, 0), True), (50707, "B", 4, (1, 1, 0, 0), True),
            (50708, "s", 0, "Saltmarsh made-up camera", True),
            (50714, "H", 1, BLACK, True), (50717, "H", 1, WHITE, True),
            (50721, "2i", 9, tuple(matrix), True), (50728, "2I", 3, tuple(white), True),
            (50730, "2i", 1, (round(HEADROOM * 100), 100), True), (50778, "H", 1, 21, True),
        ],
    )  # fmt: skip
    return out.getvalue()
