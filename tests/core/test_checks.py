"""Helper views and natural measures, on constructed cases."""

import cv2
import numpy as np
import pytest
from colour import XYZ_to_Lab, sRGB_to_XYZ

from retouch.checks import Check, gauges, looked
from retouch.checks.gauges import (
    MEASURES,
    Measured,
    balance,
    cielab,
    edge,
    evenness,
    skin_hue,
    skin_ita,
    teeth_against_eyes,
    texture,
    whites,
)  # fmt: skip
from retouch.checks.look import HIGH_MARK, blurred, halo, proof, unevenness
from retouch.colour.encoding import decode, encode
from retouch.colour.hex import from_hex
from retouch.colour.oklab import from_oklab
from retouch.colour.spaces import DISPLAY_P3, SRGB, WORKING, between
from retouch.colour.tones import lightness
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.plan import Renderer
from retouch.sheet import Sheet, read_sheet
from tests.pictures import Held, grainy

SIDE = 400
FRAME = Frame.whole(SIDE, 300)


class Scaled(Held):
    """A picture in memory that can also be read smaller."""

    def read(self, frame):
        whole = cv2.resize(self.colours, (frame.width, frame.height), interpolation=cv2.INTER_AREA)
        return whole[frame.y : frame.y + frame.h, frame.x : frame.x + frame.w].copy()


PICTURE = Scaled(grainy(SIDE, 300, 4), "grainy")


def renderer(touches=(), areas=(), picture=PICTURE):
    raw = {"format": "needlepoint-sheet", "version": 1, "areas": list(areas), "touches": list(touches)}
    return Renderer(picture, read_sheet(raw), Cache())


def look(name, of=None, frame=FRAME, **more):
    return looked(of or renderer(), frame, Check(name, **more))


LOOKS = ("plain", "brighter", "darker", "clipping", "grey", "unevenness", "shading", "texture", "saturation", "halo",
         "proof", "final")  # fmt: skip


@pytest.mark.parametrize("name", LOOKS)
def test_a_check_shows_a_rectangle_as_the_whole_has_it_and_leaves_the_picture_alone(name):
    of = renderer([{"id": "t", "kind": "exposure", "settings": {"ev": 0.3}}])
    plain = of.draw(FRAME)
    cut = Frame(SIDE, 300, 60, 50, 120, 90)
    seen = look(name, of, pixels=200)
    assert seen.shape == (300, SIDE, 3)
    np.testing.assert_allclose(look(name, of, cut, pixels=200), seen[cut.slices_in(FRAME)], atol=0.02)
    np.testing.assert_array_equal(of.draw(FRAME), plain)


def test_grey_has_the_lightness_of_the_picture_a_stop_and_more_down():
    seen = look("grey")
    assert np.ptp(seen, axis=-1).max() == 0
    # One share of the light everywhere, less than a half of it.
    light = (decode(seen[..., 0]) / np.maximum(lightness(PICTURE.colours) ** 3, 1e-6))[lightness(PICTURE.colours) > 0.3]
    assert np.ptp(light) < 0.02 * light.mean()
    assert 0.25 < light.mean() < 0.5


def test_shading_and_texture_make_the_lightness_again():
    shading = lightness(look("shading", size=0.01))
    texture_ = (lightness(look("texture", size=0.01)) - 0.6) / 3
    off = np.abs(shading + texture_ - lightness(PICTURE.colours))
    assert off.mean() < 0.004


def test_unevenness_shows_blotches_and_neither_pores_nor_the_form_of_the_face():
    x = np.mgrid[:SIDE, :SIDE][1] / SIDE
    waves = {size: 0.1 * np.sin(2 * np.pi * x / size).astype(np.float32) for size in (0.008, 0.07, 0.6)}
    fine, blotch, form = (float(np.abs(unevenness(w)).max()) for w in waves.values())
    assert blotch > 0.06
    assert fine < 0.2 * blotch
    assert form < 0.2 * blotch


def test_a_halo_is_an_edge_of_the_work_where_the_picture_has_none():
    flat = np.full((SIDE, SIDE), 0.5, np.float32)
    half = flat.copy()
    half[:, SIDE // 2 :] += 0.2
    lifted = flat.copy()
    lifted[:, SIDE // 2 :] += 0.05
    beside = half.copy()
    beside[:, SIDE // 2 - 30 :] += 0.05
    soft = flat + 0.05 * np.clip((np.arange(SIDE) - 100) / 200, 0, 1).astype(np.float32)
    assert halo(flat, lifted).max() == pytest.approx(1)
    # At the picture's own edge the same change is hidden; a soft one is none; beside the edge it is seen.
    assert halo(half, half + (lifted - flat)).max() < 0.02
    assert halo(flat, soft).max() < 0.05
    assert halo(half, beside)[:, SIDE // 2 - 35 : SIDE // 2 - 25].max() > 0.9
    assert halo(half, half).max() == 0


def test_proof_marks_what_lies_outside_the_profile_and_keeps_the_rest():
    inside = encode(np.array([[[0.2, 0.5, 0.3]]]) @ between(SRGB, WORKING).T).astype(np.float32)
    wide = encode(np.array([[[0.0, 0.9, 0.0]]]) @ between(DISPLAY_P3, WORKING).T).astype(np.float32)
    np.testing.assert_allclose(proof(inside, SRGB), inside, atol=1e-4)
    np.testing.assert_allclose(proof(wide, SRGB)[0, 0], HIGH_MARK, atol=1e-6)
    np.testing.assert_allclose(proof(wide, DISPLAY_P3), wide, atol=1e-3)


def test_the_final_size_shows_no_finer_detail_and_all_of_it_when_it_is_large():
    np.testing.assert_array_equal(look("final", pixels=SIDE), PICTURE.colours)
    lines = np.full((400, SIDE, 3), 0.3, np.float32)
    lines[:, ::2] = 0.7
    small = Scaled(lines)
    assert np.ptp(look("final", renderer(picture=small), Frame.whole(SIDE, 400), pixels=100), axis=1).max() < 0.05


# --- gauges

SHAPE = (SIDE, SIDE)
SKIN = np.zeros(SHAPE, np.float32)
SKIN[100:300, 100:300] = 1
WHITES, TEETH = np.zeros(SHAPE, np.float32), np.zeros(SHAPE, np.float32)
WHITES[140:150, 140:180] = 1
TEETH[250:260, 180:220] = 1
RNG = np.random.default_rng(5)
PORES = 0.02 * RNG.standard_normal(SHAPE)
BLOTCHES = 40 * blurred(RNG.standard_normal(SHAPE).astype(np.float32), 0.012) * 0.03


def face(light=0.65, pores=1.0, blotches=1.0, a=0.05, b=0.06, **parts):
    lab = np.zeros((*SHAPE, 3))
    lab[..., 0] = light + pores * PORES + blotches * BLOTCHES
    lab[..., 1], lab[..., 2] = a, b
    for region, value in ((WHITES, parts.get("whites", 0.7)), (TEETH, parts.get("teeth", 0.6))):
        lab[region > 0] = (value, 0, 0.01)
    return from_oklab(lab).astype(np.float32)


def seen(after, before=None, **more):
    given = {"skin": SKIN, "whites": WHITES, "teeth": TEETH, "area": SKIN} | more
    return Measured(face() if before is None else before, after, **given)


@pytest.mark.parametrize("measure", MEASURES)
def test_nothing_done_leaves_no_range(measure):
    gauge = measure(seen(face(), middle=((200, 100), (200, 300))))
    if gauge is None:
        assert measure is edge
        return
    assert gauge.sentence == ""
    if gauge.before is not None:
        assert gauge.before == pytest.approx(gauge.after)


def test_texture_kept_is_the_share_of_the_pores_that_is_left():
    assert texture(seen(face())).after == pytest.approx(100)
    half = texture(seen(face(pores=0.5)))
    assert half.after == pytest.approx(50, abs=2)
    assert "plastic" in half.sentence
    # Blotches are no texture.
    assert texture(seen(face(blotches=0))).after == pytest.approx(100, abs=3)
    assert "pores" in texture(seen(face(pores=2))).sentence


def test_unevenness_falls_with_the_blotches_and_not_with_the_pores():
    untouched, evened, smooth = (evenness(seen(face(**kind))) for kind in ({}, {"blotches": 0.5}, {"pores": 0}))
    assert evened.after == pytest.approx(0.5 * untouched.after, rel=0.2)
    assert smooth.after == pytest.approx(untouched.after, rel=0.2)
    assert "form" in evenness(seen(face(blotches=0.02, pores=0))).sentence


def test_over_whitened_eyes_and_teeth_are_told():
    assert whites(seen(face(whites=0.75))).sentence == ""
    assert "lightest" in whites(seen(face(whites=0.95))).sentence
    assert teeth_against_eyes(seen(face())).after == pytest.approx(-10, abs=1)
    assert teeth_against_eyes(seen(face(teeth=0.68))).sentence == ""
    assert "whiter than the eyes" in teeth_against_eyes(seen(face(teeth=0.9))).sentence
    # Of what is only guessed in the dark slit of a mouth nothing is told.
    assert teeth_against_eyes(seen(face(), teeth=0.4 * TEETH)) is None


def test_an_edge_that_shows_is_told():
    before, after = face(pores=0, blotches=0), face(pores=0, blotches=0)
    after[100:300, 100:300] = encode(decode(after[100:300, 100:300]) * 1.4)
    shows = edge(seen(after, before))
    assert shows.after > 90
    assert "edge" in shows.sentence
    assert edge(seen(before, before)).after == 0
    assert edge(seen(after, before, area=np.ones(SHAPE, np.float32))) is None


def test_skin_hue_and_ita_against_colour_science():
    skin = from_hex("#c68863")
    picture = np.tile(np.asarray(skin, np.float32), (*SHAPE, 1))
    lab = XYZ_to_Lab(sRGB_to_XYZ(np.array([0xC6, 0x88, 0x63]) / 255))
    np.testing.assert_allclose(cielab(picture)[0, 0], lab, atol=0.05)
    assert skin_hue(seen(picture, picture)).after == pytest.approx(np.degrees(np.arctan2(lab[2], lab[1])), abs=0.1)
    assert skin_ita(seen(picture, picture)).after == pytest.approx(
        np.degrees(np.arctan((lab[0] - 50) / lab[2])), abs=0.1
    )
    assert "redder" in skin_hue(seen(face(a=0.09, b=0.02))).sentence
    assert "yellower" in skin_hue(seen(face(a=0.01, b=0.09))).sentence
    assert "lighter" in skin_ita(seen(face(light=0.85))).sentence
    assert "darker" in skin_ita(seen(face(light=0.45))).sentence


def test_light_balance_is_the_ratio_of_the_halves_in_stops():
    lit = face(pores=0, blotches=0)
    side = lit.copy()
    side[:, :200] = encode(decode(lit[:, :200]) * 2)
    middle = ((200.0, 100.0), (200.0, 300.0))
    told = balance(seen(lit, side, middle=middle))
    assert told.before == pytest.approx(1, abs=0.1)
    assert told.after == pytest.approx(0, abs=0.1)
    assert "flat" in told.sentence
    assert balance(seen(lit, side)) is None


def test_without_faces_only_what_can_be_measured_is():
    area = {"id": "a", "parts": [{"source": "pool", "centre": [0.5, 0.4], "radii": [0.2, 0.2], "softness": 0}]}
    of = renderer([{"id": "t", "kind": "exposure", "settings": {"ev": 1}, "area": "a"}], [area])
    assert [g.name for g in gauges(of, "t")] == ["edge seen"]
    assert gauges(Renderer(PICTURE, Sheet(), Cache())) == []
    with pytest.raises(KeyError):
        gauges(of, "gone")
