"""Haze: a veil of stray light over the picture, taken off or laid on."""

from typing import ClassVar, Self

import cv2
import numpy as np
from pydantic import Field

from retouch.bands import in_bands
from retouch.colour.encoding import decode, encode
from retouch.colour.hex import Hex, from_hex, to_hex
from retouch.kernels import kernel
from retouch.touches.averages import guided
from retouch.touches.base import Heading, Maps, Pick, ReadyPlace, ReadyTouch, Wide, found_part
from retouch.touches.gain import DECODED, ENCODED, LOW, NO_MASK, PARTS, of_light
from retouch.types import Coverage, Encoded

MAP_SIDE = 400
"""Pixels on the long side of the map of the veil."""
PATCH = 0.03
"""Long sides across which something dark is looked for."""
SMOOTH = 0.06
"""Long sides over which the veil is even, but for edges of the picture."""
EDGE = 1e-3
"""Variance of the encoded picture from which on the veil follows its edges."""
THINNEST = 0.2
"""Share of the picture's own light that is taken to come through at least."""
LAID = 0.6
"""Share of light that the veil takes when it is laid on wholly."""


class Haze(Wide):
    """Light = own light · t + veil · (1 − t): the veil is estimated where the darkest of each place is not dark."""

    kind: ClassVar[str] = "haze"
    title: ClassVar[str] = "Haze"
    # What a veil is taken for changes with the size of the map.
    coarser: ClassVar[int] = 1
    stage: ClassVar[Heading] = "balance"
    sentence: ClassVar[str] = "{amount:Take|Lay} a veil {amount:off|over} {where}: {amount}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Clear the veil", ("haze", "veil", "flare", "fog", "washed out", "flat", "clear"), {"amount": 0.5}),
        ReadyTouch(
            "Lay a veil over the backdrop",
            ("haze", "mist", "backdrop", "depth", "air"),
            {"amount": -0.25},
            place=ReadyPlace("the backdrop", (found_part("backdrop"),)),
        ),
    )
    picks: ClassVar[tuple[Pick, ...]] = (Pick("veil", "pick the veil's colour"),)

    amount: float = Field(0.0, ge=-1, le=1, title="amount", json_schema_extra={"unit": "%", "step": 1, "scale": 100})
    veil: Hex | None = Field(
        None, title="colour of the veil", description="none: the brightest haze of the picture",
        json_schema_extra={"control": "picked"},
    )  # fmt: skip

    @property
    def neutral(self) -> bool:
        """No amount, no change."""
        return self.amount == 0

    @property
    def side(self) -> int:
        """See :class:`Wide`."""
        return MAP_SIDE

    @property
    def depends(self) -> str:
        """The veil's colour."""
        return str(self.veil)

    def survey(self, small: Encoded, within: Coverage) -> Maps:
        """The share t of own light (h × w × 1), and the veil's linear light (1 × 1 × 3).

        The dark channel: in a place without haze something is dark in some channel. Source: K. He, J. Sun, X. Tang,
        "Single image haze removal using dark channel prior", IEEE TPAMI 33 (2011); t is brought to the picture's edges
        by their guided filter (2013).
        """
        light = np.maximum(decode(small.astype(np.float32)), 0)
        unit = max(small.shape[:2])
        window = 2 * max(1, round(PATCH * unit / 2)) + 1
        dark = cv2.erode(light.min(-1), np.ones((window, window), np.uint8), borderType=cv2.BORDER_REPLICATE)
        if self.veil is None:
            haziest = dark >= np.quantile(dark, 0.999)
            veil = light[haziest].mean(0)
        else:
            veil = decode(from_hex(self.veil))
        veil = np.maximum(veil, 1e-3).astype(np.float32)
        dark = cv2.erode((light / veil).min(-1), np.ones((window, window), np.uint8), borderType=cv2.BORDER_REPLICATE)
        guide = encode(light).mean(-1)
        t = guided(guide, np.clip(1 - 0.95 * dark, THINNEST, 1), round(SMOOTH * unit / 2), EDGE)
        return np.clip(t, THINNEST, 1)[..., None].astype(np.float32), veil.reshape(1, 1, 3)

    def apply(self, picture: Encoded, maps: Maps, mask: Coverage | None, strength: float) -> None:
        """See :class:`Wide`."""
        t, veil = maps
        amount = np.float32(self.amount)

        def work(rows: slice) -> None:
            covered = NO_MASK if mask is None else mask[rows]
            _apply(
                picture[rows],
                t[rows],
                veil[0, 0],
                amount,
                covered,
                mask is not None,
                np.float32(strength),
                DECODED,
                ENCODED,
            )

        in_bands(work, picture.shape[0])

    def picked(self, name: str, colour: Encoded, entry: int = 0) -> Self:
        """With the colour that was pointed at as the veil's."""
        return self.model_copy(update={"veil": to_hex(colour)})


@kernel(fastmath=True)
def _apply(picture, share, veil, amount, mask, masked, strength, decoded, encoded):  # type: ignore[no-untyped-def]
    one = np.float32(1)
    last = np.float32(decoded.shape[0] - 2)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            m = strength
            if masked:
                m *= mask[y, x]
            if m == 0:
                continue
            if amount > 0:
                t = one - amount * (one - share[y, x, 0])
                gain, more = one / t, (t - one) / t
            else:
                gain, more = one + np.float32(LAID) * amount, -np.float32(LAID) * amount
            for c in range(3):
                v = picture[y, x, c]
                u = min(max((v - np.float32(LOW)) * np.float32(PARTS), np.float32(0)), last)
                k = np.uint64(u)
                d = decoded[k]
                light = gain * (d + (u - np.float32(k)) * (decoded[k + np.uint64(1)] - d)) + more * veil[c]
                picture[y, x, c] = v + m * (np.copysign(of_light(abs(light), encoded), light) - v)
