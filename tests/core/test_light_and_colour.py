"""The rules of light and colour against independent references, and what a photographer relies on."""

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from retouch.colour.encoding import decode, encode
from retouch.colour.hex import from_hex
from retouch.colour.oklab import from_oklab, to_oklab
from retouch.colour.spaces import WORKING, to_xyz
from retouch.sheet import read_sheet
from retouch.touches import KINDS
from retouch.touches.colour_bands import NAMED, Band, ColourBands
from retouch.touches.curve import Curve
from retouch.touches.levels import Levels
from retouch.touches.saturation import Saturation
from retouch.touches.toning import Toning
from retouch.touches.wash import SKIN_TINTS, Wash
from retouch.touches.white_balance import WhiteBalance, gains, planckian
from retouch.touches.zones import CENTRES, Zones, light_ev

COLOURS = np.random.default_rng(0).random((400, 3))
GREYS = np.repeat(np.linspace(0, 1.6, 60)[:, None], 3, axis=1)
WHITE = colour.xy_to_XYZ([0.3127, 0.3290])


def chroma(colours):
    return np.hypot(*to_oklab(colours)[..., 1:].T)


def hue(colours):
    lab = to_oklab(colours)
    return np.degrees(np.arctan2(lab[..., 2], lab[..., 1]))


def of_hue(degrees, lightness=0.65, strength=0.09):
    angle = np.radians(degrees)
    return from_oklab(np.array([lightness, strength * np.cos(angle), strength * np.sin(angle)]))


# --- white balance


@pytest.mark.parametrize("mired", [100, 153.8, 250, 350])
def test_the_black_body_line_is_that_of_colour_science(mired):
    expected = colour.temperature.CCT_to_uv(np.array([1e6 / mired, 0.0]), method="Ohno 2013")
    np.testing.assert_allclose(planckian(mired), expected, atol=3e-4)


@pytest.mark.parametrize(("warmth", "tint"), [(40, 0), (0, 12), (90, 20)])
def test_white_balance_is_a_cat16_adaptation_from_daylight_to_the_new_white(warmth, tint):
    touch = WhiteBalance(warmth=warmth, tint=tint)
    new = to_xyz(WORKING) @ touch.matrix @ np.ones(3)
    expected = colour.adaptation.matrix_chromatic_adaptation_VonKries(WHITE, new, transform="CAT16")
    ours = to_xyz(WORKING) @ touch.matrix @ np.linalg.inv(to_xyz(WORKING))
    np.testing.assert_allclose(ours, expected, atol=2e-4)


@given(warmth=st.floats(-200, 200), tint=st.floats(-60, 60))
def test_white_balance_is_undone_by_its_opposite(warmth, tint):
    there = WhiteBalance(warmth=warmth, tint=tint).rule(COLOURS)
    np.testing.assert_allclose(WhiteBalance(warmth=-warmth, tint=-tint).rule(there), COLOURS, atol=1e-6)


def test_warmer_is_yellower_and_magenta_is_redder_than_green():
    grey = np.full(3, 0.5)
    warm = to_oklab(WhiteBalance(warmth=30).rule(grey))
    magenta = to_oklab(WhiteBalance(tint=15).rule(grey))
    assert warm[2] > 0.01
    assert magenta[1] > 0.01
    # The light changes its colour, not its amount.
    assert warm[0] == pytest.approx(to_oklab(grey)[0], abs=0.01)
    assert gains(0.0, 0.0) == pytest.approx(1)


@given(warmth=st.floats(-120, 120), tint=st.floats(-25, 25), level=st.floats(0.15, 0.9))
def test_what_is_pointed_at_as_neutral_turns_grey(warmth, tint, level):
    cast = WhiteBalance(warmth=warmth, tint=tint).rule(np.full(3, level))
    found = WhiteBalance().picked("neutral", cast)
    assert chroma(found.rule(cast)) < 0.002


# --- tone zones


def test_zones_share_every_tone_out_whole():
    shares = Zones().weights(np.linspace(-12, 5, 400))
    np.testing.assert_allclose(shares.sum(-1), 1, atol=1e-12)
    np.testing.assert_allclose(Zones().weights(np.array(list(CENTRES.values()))), np.eye(5), atol=1e-12)


@given(st.lists(st.floats(-4, 4), min_size=5, max_size=5), st.floats(-1, 1), st.floats(-8, 0))
def test_no_setting_of_the_zones_turns_tones_round(moves, contrast, pivot):
    zones = Zones(**dict(zip(CENTRES, moves, strict=True)), contrast=contrast, pivot=pivot)
    base = np.linspace(-9, 3, 500)
    assert (np.diff(base + zones.gain(base)) > 0).all()


def line_of(touch, picture):
    return touch.survey(picture, np.ones(picture.shape[:2], np.float32))[0]


def step_edge(dark=-5.0, bright=-1.0, grain=0.05):
    ev = np.where(np.arange(480) < 240, dark, bright) + grain * np.random.default_rng(1).standard_normal((320, 480))
    return encode(np.repeat(2.0 ** ev[..., None], 3, axis=-1)).astype(np.float32)


@pytest.mark.parametrize("zones", [{"shadow": 3}, {"deep": 3, "shadow": 3}, {"bright": -2, "light": -1.5}])
def test_a_lift_makes_no_halo_at_a_hard_edge(zones):
    picture, touch = step_edge(), Zones(**zones)
    profile = touch.rule_with(picture, line_of(touch, picture)).mean((0, 2))
    dark, bright = profile[40:100].mean(), profile[-100:-40].mean()
    over = max(np.abs(profile[100:240] - dark).max(), np.abs(profile[240:380] - bright).max())
    assert over <= 0.02 * (bright - dark)


def test_a_lift_of_three_stops_keeps_its_local_contrast():
    picture = step_edge(dark=-5, bright=-4.9, grain=0.08)
    touch = Zones(deep=3, shadow=3)
    before = light_ev(picture)
    after = light_ev(touch.rule_with(picture, line_of(touch, picture)))
    assert 2.5 < (after - before).mean() < 3.1
    texture = after[:, 40:200].std() / before[:, 40:200].std()
    assert 0.9 < texture < 1.1


@given(st.lists(st.floats(-3, 3), min_size=5, max_size=5), st.floats(0.2, 1))
def test_the_kernel_of_the_zones_is_their_rule(moves, strength):
    touch = Zones(**dict(zip(CENTRES, moves, strict=True)))
    rng = np.random.default_rng(2)
    picture = (rng.random((70, 50, 3)) * 1.4 - 0.05).astype(np.float32)
    mask = rng.random((70, 50)).astype(np.float32) * (rng.random((70, 50)) > 0.3)
    survey = line_of(touch, picture)
    out = picture.copy()
    touch.apply(out, (survey,), mask, strength)
    expected = picture + (mask * strength)[..., None] * (touch.rule_with(picture, survey) - picture)
    np.testing.assert_allclose(out, expected, atol=4e-4)
    np.testing.assert_array_equal(out[mask == 0], picture[mask == 0])


def test_contrast_leaves_the_tone_that_is_pointed_at():
    grey = encode(np.full(3, 2.0**-3.2))
    touch = Zones(contrast=0.6).picked("pivot", grey)
    assert touch.pivot == pytest.approx(-3.2, abs=0.06)
    assert touch.gain(np.array(-3.2)) == pytest.approx(0, abs=0.03)
    assert touch.gain(np.array(-6.0)) < -0.3 < 0.3 < touch.gain(np.array(0.0))


def test_dragging_a_tone_moves_its_zone():
    touch, words = Zones().pulled("zone", encode(np.full(3, 2.0**-5)), 0.25)
    assert (touch.shadow, touch.middle) == (0.5, 0)
    assert words == "shadow: +0.50 EV"


# --- levels and curves


def test_levels_put_black_and_white_where_they_are_set():
    touch = Levels(black=0.1, white=0.8, middle=1.4, out_black=0.05, out_white=0.9)
    values = np.array([[0.1, 0.45, 0.8]])
    np.testing.assert_allclose(touch.rule(values), [[0.05, 0.05 + 0.85 * 0.5 ** (1 / 1.4), 0.9]])
    assert (np.diff(touch.rule(GREYS)[10:, 0]) > 0).all()
    assert Levels().picked("black", np.full(3, 0.07)).black == 0.07
    assert Levels(white=0.05).picked("black", np.full(3, 0.5)).black == pytest.approx(0.03)


def test_levels_whose_ends_meet_are_refused_in_words():
    with pytest.raises(ValidationError, match="black must stay darker than white"):
        Levels(black=0.6, white=0.5)


def test_a_curve_of_one_channel_leaves_the_others():
    out = Curve(channel="green", points=[(0, 0), (0.5, 0.6), (1, 1)]).rule(COLOURS)
    np.testing.assert_array_equal(out[:, [0, 2]], COLOURS[:, [0, 2]])
    assert (out[:, 1] >= COLOURS[:, 1]).all()


def test_dragging_a_tone_makes_a_point_and_then_takes_it_again():
    grey = np.full(3, 0.5)
    once, words = Curve(channel="red").pulled("point", grey, 0.1)
    assert once.points == [(0, 0), (0.5, 0.6), (1, 1)]
    assert words == "50 → 60"
    twice, _ = once.pulled("point", grey + 0.01, -0.2)
    assert twice.points == [(0, 0), (0.5, 0.4), (1, 1)]
    most, _ = once.pulled("point", grey, 3.0)
    assert most.points[1] == (0.5, 1.0)


# --- saturation, bands, toning


def test_all_colour_out_is_grey_and_lightness_stays():
    out = Saturation(amount=-1).rule(COLOURS)
    assert chroma(out).max() < 1e-6
    np.testing.assert_allclose(to_oklab(out)[:, 0], to_oklab(COLOURS)[:, 0], atol=1e-9)


def test_pale_first_gives_more_to_the_pale_and_skin_can_be_spared():
    pale, strong = of_hue(200, strength=0.03), of_hue(200, strength=0.16)
    touch = Saturation(amount=0.5, pale=1.0)
    assert chroma(touch.rule(pale)) / chroma(pale) > 1.4
    assert chroma(touch.rule(strong)) / chroma(strong) < 1.05
    spared = Saturation(amount=0.5, spare_skin=1.0)
    for tint in dict(SKIN_TINTS).values():
        skin = from_hex(tint)
        assert chroma(spared.rule(skin)) / chroma(skin) < 1.13
    assert chroma(spared.rule(of_hue(260))) / chroma(of_hue(260)) > 1.4


BANDS = st.builds(
    Band, centre=st.floats(0, 360), width=st.floats(4, 200), soft=st.floats(1, 90), hue=st.floats(-60, 60),
    saturation=st.floats(-1, 1), lightness=st.floats(-0.3, 0.3), lean=st.floats(0, 360), lean_by=st.floats(0, 1),
)  # fmt: skip


@given(st.lists(BANDS, min_size=1, max_size=3))
def test_bands_leave_greys_grey(bands):
    np.testing.assert_array_equal(ColourBands(bands=bands).rule(GREYS), GREYS)


@given(BANDS)
def test_a_band_changes_nothing_outside_its_window(band):
    out = ColourBands(bands=[band]).rule(COLOURS)
    outside = band.window(hue(COLOURS)) == 0
    np.testing.assert_array_equal(out[outside], COLOURS[outside])


def test_a_band_of_the_first_version_leans_as_its_three_pulls_drew_it():
    old = {"centre": 30, "width": 360, "soft": 20, "red": 0.4, "green": -0.3, "blue": 0.7}
    touch = {"id": "t", "kind": "colour-bands", "settings": {"bands": [old]}}
    sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "touches": [touch]})
    # Wholly coloured ones, drawn towards the primaries' hues (OKLCh 29.2, 142.5, 264.1°) by 0.08 in full.
    strong = COLOURS[chroma(COLOURS) > 0.08]
    lab = to_oklab(strong)
    for angle, by in ((29.2, 0.4), (142.5, -0.3), (264.1, 0.7)):
        lab = lab + 0.08 * by * np.array([0, np.cos(np.radians(angle)), np.sin(np.radians(angle))])
    assert np.abs(sheet.touches[0].settings.rule(strong) - from_oklab(lab)).max() < 0.5 / 255


def test_a_band_turns_its_hue_by_what_it_says():
    before = of_hue(30)
    touch = ColourBands(bands=[Band(centre=30, hue=15)])
    assert hue(touch.rule(before)) == pytest.approx(45, abs=1e-6)
    less = ColourBands(bands=[Band(centre=30, saturation=-0.5)]).rule(before)
    assert chroma(less) == pytest.approx(chroma(before) / 2)


def test_the_skin_window_holds_every_skin_tint():
    centre, width = NAMED["skin"]
    window = Band(centre=centre, width=width)
    assert all(window.window(hue(from_hex(tint))) > 0.9 for tint in dict(SKIN_TINTS).values())


def test_pointing_at_a_colour_makes_one_band_and_pulls_it():
    touch, words = ColourBands().pulled("band", of_hue(100), -0.3)
    assert [(b.centre, b.saturation) for b in touch.bands] == [(100, -0.3)]
    assert words == "hue 100°: saturation −30 %"
    again, _ = touch.pulled("band", of_hue(104), 0.1)
    assert [round(b.saturation, 2) for b in again.bands] == [-0.2]
    assert len(again.pulled("band", of_hue(250), 0.1)[0].bands) == 2


def test_toning_keeps_lightness_and_tones_the_tones_it_names():
    touch = Toning(shadows_hue=240, shadows_amount=0.5, highlights_hue=70, highlights_amount=0.5, reach=0.3)
    out = touch.rule(GREYS[:38])
    np.testing.assert_allclose(to_oklab(out)[:, 0], to_oklab(GREYS[:38])[:, 0], atol=1e-9)
    assert hue(touch.rule(np.full(3, 0.25))) % 360 == pytest.approx(240, abs=5)
    assert hue(touch.rule(np.full(3, 0.95))) == pytest.approx(70, abs=5)
    np.testing.assert_allclose(touch.shares(np.linspace(0, 1, 50)).sum(-1), 1)
    np.testing.assert_array_equal(touch.rule(np.zeros(3)), np.zeros(3))


# --- wash


def test_a_linear_gradient_runs_from_its_start_to_its_end_in_linear_light():
    stops = [{"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ffffff"}]
    touch = Wash(of="gradient", stops=stops, start=(0.2, 0.5), end=(0.6, 0.5))
    ramp, way = touch.laid(np.array([0.1, 0.2, 0.4, 0.6, 0.9]), np.array([0.3, 0.7]))
    np.testing.assert_allclose(way, [[0, 0, 0.5, 1, 1]] * 2, atol=1e-6)
    np.testing.assert_allclose(decode(ramp[[0, -1]].astype(float)), [[0, 0, 0], [1, 1, 1]], atol=1e-6)
    assert decode(ramp.astype(float))[128].mean() == pytest.approx(128 / 255, abs=1e-3)
    back, _ = touch.model_copy(update={"backwards": True}).laid(np.zeros(1), np.zeros(1))
    np.testing.assert_allclose(back, ramp[::-1], atol=1e-6)


@pytest.mark.parametrize("name", [n for n, k in KINDS.items() if k.picks])
def test_everything_that_can_be_pointed_at_gives_settings_that_stand(name):
    kind = KINDS[name]
    for pick in kind.picks:
        for point in (np.zeros(3), np.full(3, 0.5), np.full(3, 1.7), np.array([0.9, 0.1, 0.2])):
            if pick.place:
                out = kind().pointed(pick.name, (float(point[0]), 0.3), [(0.5, 0.31, 0.02)])
            else:
                out = kind().pulled(pick.name, point, 0.2)[0] if pick.drag else kind().picked(pick.name, point)
            assert kind.model_validate(out.model_dump()) == out
