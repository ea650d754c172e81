"""The skin's two pigments: how blood and melanin change its colour and its light.

In optical density pigments add up and shading does not change colour, so that what is pigment can be told from what is
light: N. Tsumura et al., "Image-based skin color and texture analysis/synthesis by extracting hemoglobin and melanin
information in the skin", SIGGRAPH 2003. The numbers were read off four made-up sitters, see docs/skin.md.
"""

import numpy as np

PIGMENTS = np.array([[0.96, 0.28], [0.80, -0.60]], np.float32).T
"""How logs of red and of blue over green change with blood and with melanin (columns): blood takes green most and red
hardly, melanin the more the shorter the wave."""
DARKENS = np.array([1.6, 0.3], np.float32)
"""By how much the log of light falls with one unit of each, as blemishes and freckles are darker. Melanin takes more
than that, but bluer or yellower light changes colour as melanin does, and takes none."""
_SHARES = np.array([0.33, 0.04], np.float32)
"""Of red and of blue in the light of skin."""


def taken(blood: float, melanin: float) -> np.ndarray:
    """2 × 2: from logs of red and of blue over green to the part of them that such shares of the pigments make."""
    return np.asarray(PIGMENTS @ np.diag((blood, melanin)) @ np.linalg.inv(PIGMENTS), np.float32)


def _form() -> np.ndarray:
    return np.asarray(_SHARES + DARKENS @ np.linalg.inv(PIGMENTS), np.float32)


FORM = _form()
"""What the log of green is to be raised by for each unit of the logs of red and of blue over green, so that it is light
without pigment: what a form of the face changes, and a blemish or a freckle does not."""
