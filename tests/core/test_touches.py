"""The rules of the touches, as a photographer and the mathematics know them."""

import re

import numpy as np
import pytest
import pyvips
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy.interpolate import PchipInterpolator

from retouch.colour.encoding import decode
from retouch.colour.oklab import to_oklab
from retouch.frame import Frame
from retouch.render.plan import Renderer
from retouch.sheet import Sheet
from retouch.sheet.model import touch_model
from retouch.touches import KINDS
from retouch.touches.base import Point
from retouch.touches.blend import MODES, NON_SEPARABLE, blend
from retouch.touches.curve import Curve
from retouch.touches.exposure import Exposure
from tests.pictures import Held

COLOURS = np.random.default_rng(0).random((400, 3))
COLOUR = st.lists(st.floats(0, 1), min_size=3, max_size=3).map(np.array)


@given(ev=st.floats(-5, 5), colour=COLOUR)
def test_one_ev_doubles_the_light(ev, colour):
    np.testing.assert_allclose(decode(Exposure(ev=ev).rule(colour)), decode(colour) * 2**ev, rtol=1e-6, atol=1e-12)


@given(a=st.floats(-2, 2), b=st.floats(-2, 2))
def test_exposures_add_up(a, b):
    both = Exposure(ev=b).rule(Exposure(ev=a).rule(COLOURS))
    np.testing.assert_allclose(both, Exposure(ev=a + b).rule(COLOURS), atol=1e-6)


POINTS = [(0.0, 0.02), (0.3, 0.25), (0.7, 0.78), (1.0, 0.97)]


def test_the_curve_is_the_monotone_spline_of_its_points():
    x = np.linspace(0, 1, 200)
    np.testing.assert_allclose(Curve(points=POINTS).spline(x), PchipInterpolator(*np.array(POINTS).T)(x), atol=1e-12)


def test_a_curve_changes_lightness_and_keeps_hue():
    colours = 0.25 + 0.5 * COLOURS
    before, after = to_oklab(colours), to_oklab(Curve(points=POINTS).rule(colours))
    np.testing.assert_allclose(after[:, 0], Curve(points=POINTS).spline(before[:, 0]), atol=1e-6)
    turn = np.angle(np.exp(1j * (np.arctan2(after[:, 2], after[:, 1]) - np.arctan2(before[:, 2], before[:, 1]))))
    assert np.abs(turn[np.hypot(*before[:, 1:].T) > 0.02]).max() < 1e-4


def test_a_curve_keeps_greys_grey_and_highlights_apart():
    grey = np.repeat(np.linspace(0, 1.8, 40)[:, None], 3, axis=1)
    out = Curve(points=POINTS).rule(grey)
    assert np.ptp(out, axis=1).max() < 2e-3
    assert (np.diff(out[:, 0]) > 0).all()


def test_a_straight_curve_with_more_points_is_neutral():
    assert Curve(points=[(0, 0), (0.4, 0.4), (1, 1)]).neutral
    assert not Curve(points=[(0, 0.01), (1, 1)]).neutral
    assert not Curve(points=[(0.2, 0.2), (1, 1)]).neutral


@pytest.mark.parametrize(
    ("points", "words"),
    [
        ([(0, 0), (0.5, 0.4), (0.5, 0.6), (1, 1)], "same tone"),
        ([(0, 0), (0.4, 0.6), (0.6, 0.5), (1, 1)], "may not fall"),
        ([(0, 0)], "at least 2"),
    ],
)
def test_a_curve_that_cannot_be_is_refused_in_words(points, words):
    with pytest.raises(ValidationError, match=words):
        Curve(points=points)


def changed_by(touch, colours):
    if not isinstance(touch, Point):
        sheet = Sheet.model_construct(touches=[touch_model(type(touch))(id="t", settings=touch)])
        return Renderer(Held(colours[None].astype(np.float32)), sheet).draw(Frame.whole(len(colours), 1))[0]
    return touch.rule(colours)


@pytest.mark.parametrize("name", KINDS)
def test_every_kind_describes_itself_fully(name):
    kind = KINDS[name]
    fields = kind.model_fields
    names = {part.split(":")[0] for part in re.findall(r"\{([^}]+)\}", kind.sentence)}
    assert "where" in names
    assert names - {"where"} <= fields.keys()
    assert kind().neutral
    np.testing.assert_allclose(changed_by(kind(), COLOURS), COLOURS, atol=1e-6)
    assert kind.starts
    for start in kind.starts:
        grey = np.full((1, 3), 0.5)
        after = blend(grey, changed_by(kind.model_validate(start.settings), grey), start.blend)
        # A restrained start: a mid tone moves by less than a sixth of the scale.
        assert np.abs(after - grey).max() * start.strength < 1 / 6
    for field, schema in kind.model_json_schema()["properties"].items():
        assert "control" in schema or {"minimum", "maximum", "unit", "step"} <= schema.keys(), field


VIPS = {"color-dodge": "colour-dodge", "color-burn": "colour-burn"}


@pytest.mark.parametrize("mode", [m for m in MODES if m not in NON_SEPARABLE])
def test_separable_blends_agree_with_libvips(mode):
    rng = np.random.default_rng(4)
    below, above = rng.random((40, 50, 3)), rng.random((40, 50, 3))

    def image(values):
        opaque = np.concatenate([values * 255, np.full((40, 50, 1), 255.0)], axis=2).astype(np.float32)
        return pyvips.Image.new_from_array(opaque).copy(interpretation="srgb")

    name = "over" if mode == "normal" else VIPS.get(mode, mode)
    expected = image(below).composite2(image(above), name, compositing_space="srgb").numpy()[..., :3] / 255
    np.testing.assert_allclose(blend(below, above, mode), expected, atol=2e-3)


def lum(c):
    return c @ np.array([0.3, 0.59, 0.11])


@given(below=COLOUR, above=COLOUR)
def test_non_separable_blends_take_what_they_are_named_for(below, above):
    for mode, of in (("hue", below), ("saturation", below), ("color", below), ("luminosity", above)):
        out = blend(below[None], above[None], mode)[0]
        assert lum(out) == pytest.approx(lum(of), abs=1e-9)
        assert out.min() > -1e-9
        assert out.max() < 1 + 1e-9


@pytest.mark.parametrize("mode", MODES)
def test_what_lies_above_white_is_not_lost_in_a_blend(mode):
    bright = np.array([[1.6, 1.5, 1.4]])
    out = blend(bright, bright, mode)
    assert (out - blend(np.minimum(bright, 1), np.minimum(bright, 1), mode) >= 0.4 - 1e-9).all()
