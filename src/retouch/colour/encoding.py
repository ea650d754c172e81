"""The encoding of the working space: the sRGB curve, continued through zero and above one."""

import numpy as np

from retouch.types import Floats


def encode(linear: Floats) -> Floats:
    """Encode linear light with the sRGB curve, sign-preserving and unclipped.

    Parameters
    ----------
    linear
        Linear light of any shape, 1.0 = diffuse white; negative and larger values are allowed.

    Returns
    -------
    Floats
        Encoded values of the same shape; ``encode(-x) == -encode(x)``.

    Source: IEC 61966-2-1:1999, equations 5 and 6; the odd continuation follows its Amendment 1 (sYCC).
    """
    linear = np.asarray(linear)
    size = np.abs(linear)
    curve = 1.055 * np.power(np.maximum(size, 0.0031308), 1 / 2.4) - 0.055
    return np.copysign(np.where(size <= 0.0031308, 12.92 * size, curve), linear).astype(linear.dtype, copy=False)


def decode(encoded: Floats) -> Floats:
    """Undo :func:`encode`: from encoded values back to linear light, any shape, unclipped.

    Source: IEC 61966-2-1:1999, equations 7 and 8.
    """
    encoded = np.asarray(encoded)
    size = np.abs(encoded)
    curve = np.power((np.maximum(size, 0.04045) + 0.055) / 1.055, 2.4)
    return np.copysign(np.where(size <= 0.04045, size / 12.92, curve), encoded).astype(encoded.dtype, copy=False)
