"""How far a face's light and colour lie from the same face's on another picture, and what brings it there."""

from dataclasses import dataclass

import numpy as np

from retouch.checks.gauges import cielab, ita
from retouch.colour.encoding import decode
from retouch.colour.oklab import from_oklab
from retouch.colour.spaces import WORKING, to_xyz
from retouch.sheet import Sheet, Touch
from retouch.touches.exposure import Exposure
from retouch.touches.white_balance import WhiteBalance
from retouch.types import Encoded, Lab

MOST_EV = 3.0
"""What is farther apart than this is another light, not the same one drifting."""
SEEN = {"ev": 0.05, "warmth": 1.0, "tint": 0.5}
"""What nobody sees is not corrected."""


@dataclass(frozen=True)
class Drift:
    """From a picture to the one it is to be like: EV to add, mired to warm by, tint towards magenta.

    ``ita``: by how many degrees the skin is lighter (more) or darker (less) than there, as it stands now.
    """

    ev: float
    warmth: float
    tint: float
    ita: float

    @property
    def touches(self) -> list[dict[str, object]]:
        """The touches that take it away, as JSON without ids; none if nobody would see it."""
        out: list[dict[str, object]] = []
        if abs(self.warmth) >= SEEN["warmth"] or abs(self.tint) >= SEEN["tint"]:
            out.append({"kind": "white-balance", "settings": {"warmth": self.warmth, "tint": self.tint}})
        if abs(self.ev) >= SEEN["ev"]:
            out.append({"kind": "exposure", "settings": {"ev": self.ev}})
        return out


def begun(colour: tuple[float, float, float], sheet: Sheet) -> Encoded:
    """A colour (OKLab) of the original as a sheet's first touches leave it, encoded working colours (3,).

    Those are meant with which a sheet begins, and which balance the whole picture: exposure and white balance.
    """
    out = from_oklab(Lab(np.array(colour, np.float64)))
    for step in sheet.touches:
        if not isinstance(step, Touch) or not isinstance(step.settings, Exposure | WhiteBalance):
            break
        if step.area is not None or step.limit is not None or step.blend != "normal" or step.strength < 1:
            break
        if step.on:
            out = step.settings.rule(out)
    return out


def drift(here: Encoded, there: Encoded) -> Drift | None:
    """What brings the skin's colour ``here`` to that ``there`` (encoded working colours, (3,)); None: too far apart."""
    balance = WhiteBalance.between(here, there)
    luminance = to_xyz(WORKING)[1]
    light = [max(float(luminance @ decode(np.asarray(c, np.float64))), 1e-6) for c in (balance.rule(here), there)]
    ev = float(np.log2(light[1] / light[0]))
    if abs(ev) > MOST_EV:
        return None
    mine, theirs = (ita(*cielab(c)) for c in (here, there))
    return Drift(round(ev, 2), balance.warmth, balance.tint, round(mine - theirs, 1))
