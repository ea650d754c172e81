"""The kinds that look at neighbours, against waves, edges and mixtures of which the answer is known."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from retouch.checks import pixels_seen
from retouch.colour.encoding import decode, encode
from retouch.colour.oklab import from_oklab, to_oklab
from retouch.frame import Frame, resample
from retouch.render.cache import Cache
from retouch.render.plan import Renderer
from retouch.sheet import read_sheet
from retouch.touches.detail import Detail, cube_root_lightness
from retouch.touches.dodge_burn import DodgeBurn, LightStroke
from retouch.touches.even import Even
from retouch.touches.sharpen import Sharpen, for_use
from tests.pictures import Held, grainy

N = 900
WHOLE = Frame.whole(N, N)
SKIN = (0.65, 0.05, 0.05)


def flat(colour=SKIN, size=N):
    return np.broadcast_to(np.array(colour), (size, size, 3)).copy()


def wave(length, channel=0, amplitude=0.008):
    lab = flat()
    lab[..., channel] += amplitude * np.sin(2 * np.pi * np.arange(N) / length)
    return from_oklab(lab).astype(np.float32)


def drawn(picture, kind, changes, parts=None, frame=None, **how):
    areas = [] if parts is None else [{"id": "a", "parts": parts}]
    touch = {"id": "t", "kind": kind, "settings": changes, "area": "a" if parts else None, **how}
    sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": areas, "touches": [touch]})
    return Renderer(Held(picture), sheet).draw(frame or Frame.whole(picture.shape[1], picture.shape[0]))


def left_half(share=0.5):
    path = f"M-0.5 -0.5L{share} -0.5L{share} 1.5L-0.5 1.5Z"
    return [{"source": "outline", "shapes": [{"path": path}]}]


def kept_of(before, after, channel):
    inner = slice(N // 5, -N // 5)
    a, b = (to_oklab(p[inner, inner])[..., channel] for p in (before, after))
    a, b = a - a.mean(), b - b.mean()
    return (a * b).sum() / (a * a).sum()


SMALLER, LARGER = 0.012, 0.072
WAVES = {"in the middle": (SMALLER * LARGER) ** 0.5, "a pore": SMALLER / 4, "a form": 3 * LARGER}


@pytest.mark.parametrize(("channel", "what"), [(0, "light"), (1, "colour")])
@pytest.mark.parametrize("amount", [0.5, 1.0])
def test_evening_takes_its_band_and_leaves_what_is_finer_and_larger(channel, what, amount):
    kept = {}
    for name, length in WAVES.items():
        picture = wave(length * N, channel)
        out = drawn(picture, "even", {what: amount, "smaller": SMALLER, "larger": LARGER})
        kept[name] = kept_of(picture, out, channel)
    assert 1 - kept["in the middle"] == pytest.approx(amount, abs=0.06)
    assert kept["a pore"] >= 0.98
    assert kept["a form"] >= 0.97


def test_evening_does_not_ring_beside_an_edge_and_bleeds_nothing_in():
    lab = flat()
    lab[:, N // 2 :, 0] += 0.2
    picture = from_oklab(lab).astype(np.float32)
    out = drawn(picture, "even", {"light": 1, "colour": 1, "smaller": SMALLER, "larger": LARGER}, left_half())
    assert np.abs(to_oklab(out)[..., 0] - lab[..., 0]).max() <= 0.01 * 0.2
    np.testing.assert_array_equal(out[:, N // 2 :], picture[:, N // 2 :])


@settings(max_examples=8)
@given(seed=st.integers(0, 99), light=st.floats(0, 1), colour=st.floats(0, 1), tone=st.floats(0, 1))
def test_evening_leaves_the_mean_of_its_area(seed, light, colour, tone):
    rng = np.random.default_rng(seed)
    lab = np.array(SKIN) + 0.02 * cv2.resize(
        rng.standard_normal((14, 14, 3)), (300, 300), interpolation=cv2.INTER_CUBIC
    )
    picture = from_oklab(lab).astype(np.float32)
    out = drawn(picture, "even", {"light": light, "colour": colour, "tone": tone, "smaller": 0.02, "larger": 0.2})
    before, after = (to_oklab(p).mean((0, 1)) for p in (picture, out))
    assert np.abs(after - before).max() <= 0.002


def test_a_red_cheek_goes_towards_the_tone_that_was_picked():
    lab = flat()
    lab[300:600, 300:600, 1] += 0.03
    picture = from_oklab(lab).astype(np.float32)
    cheek = [{"source": "outline", "shapes": [{"path": "M0.35 0.35L0.65 0.35L0.65 0.65L0.35 0.65Z"}]}]
    face = from_oklab(np.array(SKIN))
    touch = Even(smaller=0.01, larger=0.05).picked("towards", face).model_dump(mode="json")
    assert touch["tone"] == 0.5
    out = to_oklab(drawn(picture, "even", touch, cheek))[400:500, 400:500]
    np.testing.assert_allclose(out.mean((0, 1)), [SKIN[0], SKIN[1] + 0.015, SKIN[2]], atol=0.005)


@pytest.mark.parametrize("brown", [0, 1])
def test_a_blotch_loses_its_darkness_with_its_colour_and_shading_and_a_tan_stay(brown):
    """Blood takes green and blue light, melanin blue most; a shadow takes all alike. Evening colour undoes blood's part
    and, if asked, melanin's."""
    waves = np.sin(2 * np.pi * np.arange(N) / (N * (SMALLER * LARGER) ** 0.5)) * 0.06
    blood = np.exp(-np.outer(waves, [0.09, 0.52, 0.40]))[None]
    tan = np.exp(-np.outer(np.roll(waves, N // 5), [1.0, 1.25, 1.47]))[:, None]
    shadow = np.exp(-0.05 * np.roll(waves, N // 7))[:, None, None]
    light = decode(from_oklab(np.array(SKIN)))
    picture = encode(light * blood * tan * shadow).astype(np.float32)
    out = drawn(picture, "even", {"colour": 1, "brown": brown, "smaller": SMALLER, "larger": LARGER})
    wanted = to_oklab(encode(np.broadcast_to(light * shadow * (1 if brown else tan), picture.shape)))
    inner = (slice(N // 5, -N // 5),) * 2
    before, after = (np.abs(to_oklab(p) - wanted)[inner].mean((0, 1)) for p in (picture, out))
    assert after[0] < 0.15 * before[0]
    assert after[1] < 0.15 * before[1]


def test_bands_of_detail_add_up_to_the_picture():
    picture, touch = grainy(300, 240), Detail(fine=1, fine_size=0.004, medium_size=0.01, coarse_size=0.04)
    frame = Frame.whole(300, 240)
    small = Held(picture).read(Frame.whole(touch.side, round(touch.side * 0.8)) if touch.side < 300 else frame)
    maps = touch.survey(small, np.ones(small.shape[:2], np.float32))
    brought = [resample(m, Frame.whole(m.shape[1], m.shape[0]), frame) for m in maps]
    light = cube_root_lightness(picture)
    bands = touch.bands(light, tuple(brought))
    assert np.abs(sum(bands) - light).max() * 255 <= 0.02
    assert all(np.abs(b).mean() > 1e-4 for b in bands)


def blemish(sigma, depth=0.02):
    y, x = np.mgrid[:N, :N] - N / 2
    lab = flat()
    lab[..., 0] -= depth * np.exp(-(x**2 + y**2) / (2 * sigma**2))
    return from_oklab(lab).astype(np.float32)


def test_softening_takes_a_blemish_and_keeps_an_edge_without_a_halo():
    settings = {"medium": -0.8, "fine_size": 0.001, "medium_size": 0.008, "coarse_size": 0.03}
    spot = blemish(0.004 * N)
    depth = [SKIN[0] - to_oklab(p[N // 2, N // 2])[0] for p in (spot, drawn(spot, "detail", settings))]
    assert depth[1] < 0.6 * depth[0]
    lab = flat()
    lab[:, N // 2 :, 0] -= 0.35
    edge = from_oklab(lab).astype(np.float32)
    out = to_oklab(drawn(edge, "detail", settings))[N // 2, :, 0]
    assert np.abs(out - lab[N // 2, :, 0]).max() <= 0.01 * 0.35


def test_spots_fade_by_their_colour_and_forms_stay():
    """A blemish is blood and some melanin; a fold darkens all alike, and shine is pale. Only what is a spot's goes."""
    y, x = np.mgrid[:N, :N] / N - 0.5
    spot, fold, shine = (np.exp(-((x - at) ** 2 + y**2) / (2 * 0.006**2)) for at in (-0.2, 0, 0.2))
    light = decode(from_oklab(np.array(SKIN))) * (1 - 0.15 * fold[..., None]) + 0.05 * shine[..., None]
    blood, melanin = np.array([0.09, 0.52, 0.40]), np.array([1.0, 1.25, 1.47])
    picture = encode(light * np.exp(-np.multiply.outer(spot, 0.4 * blood + 0.05 * melanin))).astype(np.float32)
    sizes = {"fine_size": 0.001, "medium_size": 0.01, "coarse_size": 0.03}
    out = drawn(picture, "detail", {"spots": 1, **sizes})
    before, after = (np.linalg.norm(to_oklab(p) - to_oklab(encode(light)), axis=-1) for p in (picture, out))
    assert after[spot > 0.5].mean() < 0.5 * before[spot > 0.5].mean()
    assert after[(fold > 0.1) | (shine > 0.1)].max() < 0.002


def test_detail_keeps_chromaticity_and_takes_colour_only_when_asked():
    picture = wave(0.008 * N, 1, 0.02)
    settings = {"medium": -1, "fine_size": 0.001, "medium_size": 0.01, "coarse_size": 0.04}
    light, colour = (drawn(picture, "detail", {**settings, "colour": c}) for c in (False, True))
    ratio = decode(light.astype(np.float64)) / decode(picture.astype(np.float64))
    np.testing.assert_allclose(ratio.max(-1), ratio.min(-1), rtol=2e-3)
    assert kept_of(picture, light, 1) > 0.9
    assert kept_of(picture, colour, 1) < 0.5


@settings(max_examples=20)
@given(amount=st.floats(0, 3), limit=st.floats(0, 0.1), radius=st.floats(0.001, 0.005), seed=st.integers(0, 9))
def test_sharpening_stays_within_its_neighbours_and_the_limit(amount, limit, radius, seed):
    picture = grainy(200, 160, seed)
    touch = Sharpen(amount=amount, limit=limit, radius=radius, threshold=0)
    weights = np.array([0.2627, 0.678, 0.0593])
    before, after = (p @ weights for p in (picture, touch.changed(picture, 200)))
    about = np.ones((2 * max(1, round(radius * 200)) + 1,) * 2, np.uint8)
    assert (after <= cv2.dilate(before, about) + limit + 1e-3).all()
    assert (after >= cv2.erode(before, about) - limit - 1e-3).all()


def test_sharpening_leaves_grain_alone_and_makes_an_edge_steeper():
    rng = np.random.default_rng(3)
    grain = encode(decode(np.full((300, 300, 3), 0.5)) * (1 + 0.04 * rng.standard_normal((300, 300, 1)))).astype(
        np.float32
    )
    touch = Sharpen(amount=1, radius=1 / 300)
    assert touch.changed(grain, 300).std() <= 1.1 * grain.std()
    edge = cv2.GaussianBlur(np.where(np.arange(300) < 150, 0.3, 0.6)[None].repeat(60, 0).astype(np.float32), (0, 0), 1)
    edge = np.repeat(edge[..., None], 3, -1)
    before, after = (np.abs(np.diff(p[30, :, 0])).max() for p in (edge, touch.changed(edge, 300)))
    assert after > 1.2 * before


def test_sharpening_for_a_use_follows_what_is_seen_at_last():
    print_, web = for_use(pixels_seen(40, 60), "matt paper"), for_use(800, "screen")
    # Seen from twice as far, a detail may be twice as large.
    assert for_use(pixels_seen(40, 120), "matt paper")[0] == pytest.approx(2 * print_[0], rel=1e-3)
    assert print_[1] > web[1]
    assert web[0] == 0.5 / 800


@pytest.mark.parametrize("form", ["disc", "gaussian"])
def test_a_blurred_backdrop_takes_nothing_from_the_sitter(form):
    picture = np.full((600, 600, 3), 0.3, np.float32)
    picture[:, 300:] = (0.9, 0.2, 0.2)
    out = drawn(picture, "blur", {"radius": 0.02, "form": form}, left_half())
    assert np.abs(out[:, :300] - 0.3).max() * 255 <= 0.5
    np.testing.assert_array_equal(out[:, 300:], picture[:, 300:])


def test_blur_keeps_the_light_of_small_lamps_and_is_a_disc():
    light = np.full((600, 600, 3), 0.02)
    light[298:302, 298:302] = 1
    picture = encode(light).astype(np.float32)
    out = decode(drawn(picture, "blur", {"radius": 0.02}).astype(np.float64))[..., 1] - 0.02
    assert out.sum() == pytest.approx(16 * 0.98, rel=0.03)
    # Even within the disc of 12 pixels, nothing beyond it.
    assert out[300, 306] == pytest.approx(out[300, 300], rel=0.1)
    assert out[300, 318] == pytest.approx(0, abs=1e-3)


def test_blur_grows_along_its_fade():
    picture = np.repeat(np.random.default_rng(1).random((600, 600, 1)).astype(np.float32), 3, -1)
    out = drawn(picture, "blur", {"radius": 0.02, "grows": True, "start": [0.5, 0.9], "end": [0.5, 0.1]})
    rough = [out[y : y + 40, 100:500].std() for y in (550, 400, 250, 100)]
    np.testing.assert_allclose(out[-50:], picture[-50:], atol=1e-6)
    assert rough[0] > rough[1] > rough[2] > rough[3]


def test_a_veil_that_was_laid_over_a_picture_is_taken_off():
    own = decode(grainy(400, 320).astype(np.float64)) * 0.8
    own[::20, ::20] = 0.01
    veil = np.array([0.5, 0.52, 0.6])
    picture = encode(0.7 * own + 0.3 * veil).astype(np.float32)
    touch = {"amount": 1, "veil": "#bcbfcb"}
    before, after = (
        np.abs(decode(p.astype(np.float64)) - own).mean() for p in (picture, drawn(picture, "haze", touch))
    )
    assert after < 0.4 * before
    assert to_oklab(drawn(picture, "haze", {"amount": -0.3}))[..., 0].std() < to_oklab(picture)[..., 0].std()


def shiny(skin, seed=0):
    """Skin of one colour with texture, as it is and with a lamp mirrored in it: linear light."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[:400, :400]
    form = 0.7 + 0.3 * np.cos((x - 200) / 160) * np.cos((y - 200) / 160)
    texture = 1 + 0.04 * cv2.GaussianBlur(rng.standard_normal((400, 400)), (0, 0), 1)
    matt = np.array(skin) * (form * texture)[..., None]
    hot = 0.5 * np.exp(-((x - 190) ** 2 + (y - 150) ** 2) / (2 * 28**2))
    return matt, matt + hot[..., None] * np.array([1.0, 0.98, 0.95])


@pytest.mark.parametrize("skin", [(0.55, 0.38, 0.30), (0.30, 0.17, 0.11), (0.07, 0.035, 0.022)])
def test_shine_is_told_from_skin_and_texture_stays(skin):
    matt, hot = shiny(skin)
    picture = encode(np.minimum(hot, 1)).astype(np.float32)
    out = drawn(picture, "shine", {"amount": 1, "size": 0.1})
    wanted = to_oklab(encode(matt))
    there = (slice(90, 210), slice(130, 250))
    before, after = (np.linalg.norm(to_oklab(p) - wanted, axis=-1)[there].mean() for p in (picture, out))
    assert after < 0.5 * before
    # Texture keeps its share of the light: what is taken back is smooth.
    light = [to_oklab(p)[..., 0] for p in (picture, out)]
    fine = [((p - cv2.GaussianBlur(p, (0, 0), 3)) / p)[there].std() for p in light]
    assert fine[1] == pytest.approx(fine[0], rel=0.18)
    more = drawn(picture, "shine", {"amount": -0.5, "size": 0.1})
    assert to_oklab(more)[150, 190, 0] > to_oklab(picture)[150, 190, 0]


def stroke(darker=False, flow=0.08, size=0.1, points=((0.3, 0.5, 1), (0.7, 0.5, 1))):
    return {"size": size, "softness": 0.5, "flow": flow, "darker": darker, "points": [list(p) for p in points]}


def test_where_red_is_at_its_end_the_skin_under_the_shine_does_not_turn_green():
    matt, hot = shiny((0.75, 0.58, 0.49))
    out = to_oklab(drawn(encode(np.minimum(hot, 1)).astype(np.float32), "shine", {"amount": 1, "size": 0.1}))
    core = (slice(135, 165), slice(175, 205))
    off = (out - to_oklab(encode(matt)))[core].mean((0, 1))
    assert off[1] > -0.01
    assert abs(off[0]) < 0.05


def test_dark_skin_that_mirrors_a_little_everywhere_is_taken_nearer_to_its_own():
    matt, hot = shiny((0.07, 0.028, 0.013))
    picture = encode(hot + 0.005).astype(np.float32)
    out, wanted = drawn(picture, "shine", {"amount": 0.9, "size": 0.1, "gleam": 0}), to_oklab(encode(matt))
    off = [np.linalg.norm(to_oklab(p) - wanted, axis=-1) for p in (picture, out)]
    assert off[1].mean() < 0.4 * off[0].mean()
    # Far from the highlight too.
    assert off[1][300:, 300:].mean() < 0.9 * off[0][300:, 300:].mean()


def test_the_usual_gleam_of_skin_can_stay_while_its_shine_is_calmed():
    picture = encode(shiny((0.3, 0.17, 0.11))[1] + 0.02).astype(np.float32)
    outs = [drawn(picture, "shine", {"amount": 0.9, "size": 0.1, "gleam": gleam}) for gleam in (0, 0.4, 1)]
    moved = [np.linalg.norm(to_oklab(out) - to_oklab(picture), axis=-1) for out in outs]
    plain = [m[300:, 300:].mean() for m in moved]
    assert plain[2] < plain[1] < plain[0]
    assert plain[2] < 0.3 * plain[0]
    assert moved[2][130:170, 170:210].mean() > 0.7 * moved[0][130:170, 170:210].mean()


def test_dodging_lifts_by_its_flow_and_burning_the_same_way_takes_it_back():
    picture = encode(np.full((300, 300, 3), 0.2) * [1, 0.7, 0.5]).astype(np.float32)
    once = drawn(picture, "dodge-burn", {"strokes": [stroke()], "range": 1.5})
    lifted = np.log2(decode(once.astype(np.float64)) / decode(picture.astype(np.float64)))
    np.testing.assert_allclose(lifted[150, 150], 0.08 * 1.5, atol=1e-3)
    back = drawn(picture, "dodge-burn", {"strokes": [stroke(), stroke(darker=True)]})
    np.testing.assert_array_equal(back, picture)
    weaker = drawn(
        picture, "dodge-burn", {"strokes": [stroke(), stroke(size=0.02)], "weaker": [{"size": 0.1, "share": 0}]}
    )
    alone = drawn(picture, "dodge-burn", {"strokes": [stroke(size=0.02)]})
    np.testing.assert_allclose(weaker, alone, atol=1e-6)


def test_a_stroke_more_lays_only_itself():
    picture, cache = grainy(300, 240), Cache()
    strokes = [stroke(points=((0.2 + 0.01 * i, 0.3, 1), (0.3 + 0.01 * i, 0.6, 1))) for i in range(20)]

    def draw(count, keep=cache):
        touch = {"id": "t", "kind": "dodge-burn", "settings": {"strokes": strokes[:count]}}
        sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "touches": [touch]})
        return Renderer(Held(picture), sheet, keep).draw(Frame.whole(300, 240))

    draw(19)
    np.testing.assert_array_equal(draw(20), draw(20, Cache()))


@pytest.mark.parametrize("pressure", ["none", "size", "flow"])
def test_strokes_together_build_what_each_builds_alone(pressure):
    rng = np.random.default_rng(8)
    frame = Frame(400, 300, 50, 60, 200, 150)
    ways = 0.4 + np.cumsum(0.1 * rng.standard_normal((30, 9, 2)), axis=1)
    kinds = [{"size": s, "softness": 0, "darker": d, "erase": e} for s, d, e in
             ((0.1, False, False), (0.02, True, False), (0.4, False, True))]  # fmt: skip
    strokes = [
        LightStroke(**kinds[i % 3], flow=0.3, ceiling=0.8, pressure=pressure, points=[(*p, rng.random()) for p in way])
        for i, way in enumerate(ways.clip(-4, 5).tolist())
    ]
    alone = np.zeros(frame.shape)
    for one in strokes:
        built = np.zeros(frame.shape, np.float32)
        one.lay(built, frame)
        alone += -built if one.darker else built
    touch = DodgeBurn(strokes=strokes, range=1)
    np.testing.assert_allclose(touch.ev(frame, Shelf()), alone.clip(-1, 1), atol=1e-5)


class Shelf:
    """A memory that counts what it is given."""

    def __init__(self):
        self.kept_, self.count = {}, 0

    def kept(self, name, frame):
        return self.kept_.get((name, frame))

    def keep(self, name, frame, values):
        self.kept_[name, frame] = values
        self.count += 1


@pytest.mark.parametrize(("softness", "times"), [(0.9, 1), (0.05, 2)])
def test_soft_strokes_are_laid_once_for_all_views_and_hard_ones_where_one_looks(softness, times):
    touch, shelf = DodgeBurn(strokes=[LightStroke(**{**stroke(flow=0.5), "softness": softness})]), Shelf()
    one, two = (touch.ev(Frame.whole(n, n), shelf) for n in (300, 900))
    assert shelf.count == times
    assert np.abs(cv2.resize(two, (300, 300), interpolation=cv2.INTER_AREA) - one).mean() < 0.001


SIZES = {"fine_size": 0.002, "medium_size": 0.006, "coarse_size": 0.02}


@pytest.mark.parametrize(("kind", "settings"), [
    ("detail", {"fine": -0.3, "medium": -0.6, "coarse": 0.4, **SIZES}),
    ("detail", {"medium": -0.9, "spots": 0.8, **SIZES}),
    ("even", {"light": 0.8, "colour": 0.8, "smaller": 0.01, "larger": 0.05}),
    ("shine", {"amount": 0.6, "size": 0.03}),
    ("haze", {"amount": 0.6}),
    ("blur", {"radius": 0.01}),
])  # fmt: skip
def test_a_view_is_the_reduced_export(kind, settings):
    picture = grainy(1600, 1280)
    oval = [{"source": "pool", "centre": [0.5, 0.4], "radii": [0.3, 0.3], "softness": 0.4}]
    full = drawn(picture, kind, settings, oval)
    view = drawn(picture, kind, settings, oval, Frame.whole(700, 560))
    off = 255 * np.abs(Held(full).read(Frame.whole(700, 560)) - view)
    assert off.mean() <= 0.4
    assert np.quantile(off, 0.99) <= 2.5
