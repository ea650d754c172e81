"""The browser as an independent reference: its canvas implements the same W3C blend modes."""

import numpy as np
import pytest

from retouch.touches.blend import MODES, blend

DRAW = """
const [below, above, mode] = arguments;
const c = document.createElement('canvas');
c.width = below.length;
c.height = 1;
const pen = c.getContext('2d', { willReadFrequently: true });
const lay = (colours) =>
  colours.forEach((rgb, i) => {
    pen.fillStyle = `rgb(${rgb.join(' ')})`;
    pen.fillRect(i, 0, 1, 1);
  });
lay(below);
pen.globalCompositeOperation = mode === 'normal' ? 'source-over' : mode;
lay(above);
return [...pen.getImageData(0, 0, below.length, 1).data].filter((_, i) => i % 4 < 3);
"""


@pytest.mark.parametrize("mode", MODES)
def test_every_blend_mode_agrees_with_the_browsers_compositor(browser, mode):
    rng = np.random.default_rng(11)
    below, above = rng.integers(0, 256, (2, 300, 3))
    browser.get("about:blank")
    drawn = browser.execute_script(DRAW, below.tolist(), above.tolist(), mode)
    expected = np.array(drawn).reshape(300, 3)
    ours = blend(below / 255, above / 255, mode) * 255
    assert np.abs(ours - expected).mean() < 1
    # It rounds between its own steps; steep modes turn half a step of rounding into more.
    assert np.quantile(np.abs(ours - expected), 0.99) < 3
