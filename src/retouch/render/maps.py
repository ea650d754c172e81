"""Small maps of the whole picture, brought to where they are used."""

from retouch.frame import Frame, resample
from retouch.types import Floats


def spread_over(values: Floats, frame: Frame) -> Floats:
    """A map of the whole picture (h × w × k) at the pixels of ``frame``; of one pixel it stays as it is."""
    if values.size == values.shape[2]:
        return values
    return resample(values, Frame.whole(values.shape[1], values.shape[0]), frame)
