"""The person's outline, made exact by the picture's colours."""

import cv2
import numpy as np

from retouch.segment.cells import eight
from retouch.segment.cut import cut8_from_half
from retouch.types import Floats

OUTLINE_BAND = 0.012
"""Half the width of the band round the model's outline in which colours decide, of the long side."""


def cut_out(lab: Floats, likely: Floats) -> Floats:
    """Coverage 0…1 of the people: ``likely`` (h × w), its edge decided by the colours (OKLab, h × w × 3) on both sides.

    Within a band round the model's outline a graph cut decides (Y. Boykov, M.-P. Jolly, 2001, as GrabCut by C. Rother
    et al., 2004), its colours learnt at half the size; the model's own soft edge is narrow and often a few pixels off.
    """
    sure = likely > 0.5
    if not sure.any() or sure.all():
        return sure.astype(np.float32)
    reach = max(2, round(OUTLINE_BAND * max(likely.shape)))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    inner = cv2.erode(sure.astype(np.uint8), disc, borderType=cv2.BORDER_REPLICATE) > 0
    outer = cv2.dilate(sure.astype(np.uint8), disc, borderType=cv2.BORDER_REPLICATE) > 0
    inner |= likely > 0.98
    outer |= likely > 0.15
    labels = np.where(sure, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[inner], labels[~outer] = cv2.GC_FGD, cv2.GC_BGD
    return cut8_from_half(eight(lab), labels, 2).astype(np.float32)
