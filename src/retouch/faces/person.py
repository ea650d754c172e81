"""The person's outline, made exact by the picture's colours, and whose pixel is whose."""

import cv2
import numpy as np

from retouch.faces import mesh
from retouch.segment.cells import eight
from retouch.segment.cut import cut8_from_half
from retouch.types import Floats

OUTLINE_BAND = 0.012
"""Half the width of the band round the model's outline in which colours decide, of the long side."""
SOFT = 0.02
"""From which coverage on a pixel is somebody's."""


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


def owners(lab: Floats, person: Floats, meshes: list[Floats], boxes: list[tuple[float, ...]]) -> np.ndarray:
    """Whose each pixel is: 0 nobody's, otherwise a face's number (h × w int).

    Watershed from each head and the breast below it, over the picture's own edges (F. Meyer, 1992).
    """
    there = person > SOFT
    if not boxes:
        return np.zeros(person.shape, int)
    if len(boxes) == 1:
        # A lone face owns everything that is a person's: nobody else is there to own it.
        return there.astype(int)
    markers = np.zeros(person.shape, np.int32)
    for number, (points, box) in enumerate(zip(meshes, boxes, strict=True), 1):
        x, y, w, h = box
        middle, down, length = np.array([x + w / 2, y + h / 2]), np.array([0.0, 1.0]), h
        if len(points):
            up, length = mesh.upright(points)
            middle, down = points.mean(0), -up
        (cx, cy), (ex, ey) = np.round(middle).astype(int).tolist(), np.round(middle + 2.2 * length * down).tolist()
        cv2.ellipse(markers, (cx, cy), (round(0.4 * length), round(0.5 * length)), 0, 0, 360, number, -1)
        cv2.line(markers, (cx, cy), (int(ex), int(ey)), number, max(1, round(0.3 * length)))
    markers[~there] = 0
    nobody = len(boxes) + 1
    markers[cv2.erode((~there).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0] = nobody
    flooded = cv2.watershed(cv2.GaussianBlur(eight(lab), (0, 0), 1.5), markers.copy())
    flooded[(flooded == nobody) | (flooded < 1)] = 0
    # The line between two is nobody's: it goes to the nearest.
    missing = (flooded == 0).astype(np.uint8)
    _, nearest = cv2.distanceTransformWithLabels(missing, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    names = np.zeros(nearest.max() + 1, int)
    names[nearest[flooded > 0]] = flooded[flooded > 0]
    return np.where(there, names[nearest], 0)
