"""The inside of closed shapes and of ways that run round something."""

import numpy as np
import pyvips

from retouch.frame import Frame
from retouch.types import Floats


def inside_of(path: str, frame: Frame) -> Floats:
    """The inside of SVG path data (even–odd, long sides) as coverage on ``frame``, drawn by librsvg.

    Source: SVG 2, chapter 9: path data is drawn up to its first mistake, so that nothing before it is lost.
    """
    x, y, w, h = (v / frame.unit for v in (frame.x, frame.y, frame.w, frame.h))
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{frame.w}" height="{frame.h}" viewBox="{x} {y} {w} {h}" '
        f'preserveAspectRatio="none"><path d="{path}" fill="#fff" fill-rule="evenodd"/></svg>'
    )
    alpha = pyvips.Image.svgload_buffer(svg.encode(), unlimited=True)[3]
    return np.asarray(alpha.numpy(), np.float32) / np.float32(255)


def ran_round(points: Floats, frame: Frame) -> Floats:
    """What a way (n × 2 or more columns, long sides) runs round, closed from its end to its start, on ``frame``."""
    if len(points) < 3:
        return np.zeros(frame.shape, np.float32)
    return inside_of("M" + "L".join(f"{x:.5f} {y:.5f}" for x, y in points[:, :2]) + "Z", frame)
