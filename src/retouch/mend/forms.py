"""What stays of the light under a spot: forms of the face, told from the spot by colour.

A blemish lies in a fold, beside the nose, on a jaw: what is round it does not say how light it is there, but the light
that was seen does, less what the spot's pigment took of it (:mod:`retouch.colour.pigments`).
"""

import cv2
import numpy as np

from retouch.bands import in_bands
from retouch.colour.logs import ROOT, TOE, form_of
from retouch.kernels import kernel
from retouch.types import Coverage, Encoded, Floats

TIMES, PLAIN = 6.0, 0.04
"""How much larger a form under a spot may be than those about it, and the log of light that is no form yet."""
GRAIN = 0.3
"""Standard deviation up to which structure about a spot is grain, in the spot's radii."""
SEEN, FEW = 0.95, 12
"""Quantile of structure about a spot that counts, and pixels below which it is not known."""


def with_forms(new: Floats, seen: Floats, sigma: float, most: float) -> Floats:
    """A mended picture (encoded, h × w × 3) that has the forms of what was seen.

    ``sigma``: standard deviation in pixels of what is too fine for one; ``most``: log of light by which it may differ
    for them.
    """
    off = form_of(seen)
    off -= form_of(new)
    if sigma > 0.3:
        off = np.asarray(cv2.GaussianBlur(off, (0, 0), sigma), np.float32)
    out = np.empty_like(new, np.float32)
    limit = np.float32(most * ROOT)
    in_bands(lambda rows: _laid(new[rows], off[rows], limit, out[rows]), len(out))
    return out


def forms_about(picture: Encoded, covered: Coverage, skin: Coverage) -> float:
    """The log of light by which a form may differ under a patch, 0…1, from those of the skin about it.

    Where skin is plain what differs belongs to the spot: a mole, a scab, dust.
    """
    inside = covered > 0.02
    reach = float(np.sqrt(inside.sum() / np.pi))
    free = np.where(inside, np.float32(0), skin)
    far = cv2.distanceTransform((~inside).astype(np.uint8), cv2.DIST_L2, 5)
    ring = (far > 1) & (far < 1.2 * reach) & (free > 0.5)
    if ring.sum() < FEW:
        return 0.0
    form = form_of(picture) / np.float32(ROOT) * free
    near, level = (
        cv2.GaussianBlur(form, (0, 0), s * reach) / np.maximum(cv2.GaussianBlur(free, (0, 0), s * reach), 1e-4)
        for s in (GRAIN, 1)
    )
    about = float(np.quantile(np.abs(near - level)[ring], SEEN))
    return min(1.0, TIMES * max(0.0, about - PLAIN))


@kernel(fastmath=True)
def _laid(new, off, most, out):  # type: ignore[no-untyped-def]
    for y in range(new.shape[0]):
        for x in range(new.shape[1]):
            gain = np.exp(most * np.tanh(off[y, x] / most))
            for c in range(3):
                out[y, x, c] = (new[y, x, c] + TOE) * gain - TOE
