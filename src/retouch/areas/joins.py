"""How parts meet. The first three are idempotent; *either* is not: joined twice, it takes itself back.

Source: the standard (Zadeh) operations on fuzzy sets; L. A. Zadeh, "Fuzzy sets", Information and Control 8 (1965).
"""

import numpy as np

from retouch.areas.base import Join
from retouch.types import Coverage


def join(a: Coverage, b: Coverage, how: Join) -> Coverage:
    """Join coverage ``b`` to ``a`` (same shape, 0…1): *add*, *take* away, *only* where, *either* but not both."""
    if how == "add":
        return Coverage(np.maximum(a, b))
    if how == "take":
        return Coverage(np.minimum(a, 1 - b))
    if how == "only":
        return Coverage(np.minimum(a, b))
    return Coverage(np.maximum(np.minimum(a, 1 - b), np.minimum(1 - a, b)))
