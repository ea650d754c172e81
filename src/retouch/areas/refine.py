"""An area's edge brought to the picture's own, at whatever scale it is used."""

from collections.abc import Callable
from typing import Literal

from retouch.areas.base import Sight
from retouch.frame import Frame
from retouch.segment.guided import follow, guided
from retouch.segment.matte import HAIR_BAND, matte
from retouch.types import Coverage, Floats

EDGE_UNIT = 1000
"""Pixels on the long side of the map on which an edge is looked for."""
REACH = 0.012
"""How far from the area's edge the picture's is looked for, of the long side."""
ROUNDS = 4
"""Fits one after the other: each brings the edge nearer to where colours part, and leaves half coverage what it is."""
Refine = Literal["no", "edges", "hair"]
Covering = Callable[[Frame], Coverage]


def line_name(name: str, how: Refine) -> str:
    """Under which name the line is kept of what ``name`` stands for: a matte takes a second or two to work out."""
    return f"{how} of {name}"


def refined(draw: Covering, how: Refine, name: str, sight: Sight) -> Covering:
    """``draw`` with its edges moved to those of the picture.

    ``edges`` is a local fit of the coverage by colour, for outlines that were drawn a little beside; ``hair`` a matte,
    for edges of which a pixel is only partly covered. ``name`` stands for what ``draw`` gives: it is worked out once.
    """

    def line() -> Floats:
        small = sight.scaled(EDGE_UNIT)
        colours, rough = sight.original(small), draw(small)
        if how == "hair":
            return guided(colours, matte(colours, rough, HAIR_BAND * small.unit), 1)
        window = max(1, round(REACH * small.unit))
        fitted = guided(colours, rough, window)
        for _ in range(ROUNDS - 1):
            rough = follow(fitted, small, small, lambda frame: colours)
            fitted = guided(colours, rough, window)
        return fitted

    def on(frame: Frame) -> Coverage:
        return follow(
            sight.once(line_name(name, how), line),
            sight.scaled(EDGE_UNIT),
            frame,
            sight.original,
        )

    return on


def reach(how: Refine) -> float:
    """How far from where the parts change the refined coverage may change, in long sides."""
    if how == "hair":
        # A matte is solved as a whole: its band may carry a change all along the edge.
        return 1.0
    return 2 * ROUNDS * REACH if how == "edges" else 0.0
