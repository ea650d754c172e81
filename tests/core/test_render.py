"""The renderer: tables against rules, exact nothing, and one picture by every path."""

import io
import os
import threading
from functools import partial
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageCms

from retouch.bands import PATIENT, at_once, in_bands, patiently
from retouch.colour.icc import SRGB_PROFILE
from retouch.colour.tones import lightness, ramp
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.output import to_file, to_jpeg
from retouch.render.picture import Pyramid, shrink
from retouch.render.plan import Renderer
from retouch.render.table import apply_table, table_of
from retouch.sheet import read_sheet
from retouch.touches.blend import MODES, blend
from retouch.touches.curve import Curve
from retouch.touches.exposure import Exposure
from tests.pictures import Held, grainy, smooth

STEP = 1 / 255
WHOLE = Frame.whole(320, 400)
PICTURE = Held(grainy(320, 400))
STROKES = [{"size": 0.3, "softness": 0.6, "flow": 0.5, "points": [[0.3, 0.3, 1], [0.5, 0.6, 1]]}]


def sheet(touches, **area):
    areas = [{"id": "a", "parts": [{"source": "strokes", "strokes": STROKES}], **area}]
    return read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": areas, "touches": touches})


def exposure(ev=1.0, **more):
    return {"id": f"e{round(ev * 100)}", "kind": "exposure", "settings": {"ev": ev}, **more}


CURVE = {"id": "c", "kind": "curve", "settings": {"points": [[0, 0], [0.3, 0.22], [0.7, 0.78], [1, 1]]}}
RICH = [
    CURVE,
    exposure(0.8, area="a", strength=0.7, limit={"ramp": [0, 0.1, 0.6, 0.9]}),
    {"id": "s", "kind": "set", "area": "a", "strength": 0.5, "touches": [
        exposure(-0.5, blend="multiply"), {**CURVE, "id": "d", "blend": "luminosity"}]},
    exposure(0.3, blend="soft-light", limit={"ramp": [0.2, 0.3, 1, 1], "of": "original"}),
]  # fmt: skip


curves = st.lists(st.floats(0.02, 0.98), min_size=2, max_size=4, unique=True).map(
    lambda v: [(0.0, 0.0), *((x, y) for x, y in zip(sorted(v), sorted(v[::-1]), strict=True)), (1.0, 1.0)]
)


@settings(max_examples=25)
@given(
    ev=st.floats(-3, 3),
    lift=st.floats(0, 0.12),
    pivot=st.floats(0.25, 0.75),
    mode=st.sampled_from(["normal", "screen"]),
)
def test_tables_agree_with_their_rules_on_a_picture(ev, lift, pivot, mode):
    colours = grainy(200, 160, seed=3)
    for touch in (Exposure(ev=ev), Curve(points=[(0, 0), (pivot, min(1, pivot + lift)), (1, 1)])):
        table = table_of(touch, mode, 65)
        out = colours.copy()
        apply_table(out, table, None, 1.0)
        wide = colours.astype(np.float64)
        error = np.abs(out - blend(wide, touch.rule(wide), mode)) / STEP
        assert error.mean() <= 0.1
        assert np.quantile(error, 0.999) <= 1


def test_tables_go_on_above_white_and_below_black():
    out = np.array([[[2.2, 1.4, 1.2], [-0.1, 0.2, 1.05], [3.0, 3.0, 3.0]]], np.float32)
    expected = Curve(points=CURVE["settings"]["points"]).rule(out.astype(np.float64))
    apply_table(out, table_of(Curve(points=CURVE["settings"]["points"]), "normal", 65), None, 1)
    assert np.isfinite(out).all()
    np.testing.assert_allclose(out, expected, atol=0.04)


@pytest.mark.parametrize("touch", [Exposure(ev=0.5), Curve(points=CURVE["settings"]["points"])])
def test_what_is_no_number_harms_nothing_beside_it(touch):
    plain = np.random.default_rng(5).random((70, 300, 3), np.float32)
    odd = plain.copy()
    odd[3, 5], odd[4, 6], odd[5, 7], odd[6, 8] = np.nan, np.inf, -np.inf, 1e30
    places = (odd == plain).all(-1)
    for picture in (plain, odd):
        apply_table(picture, table_of(touch, "normal", 65), None, 1.0)
    assert np.array_equal(odd[places], plain[places])
    assert places.sum() == 70 * 300 - 4


@pytest.mark.parametrize(
    "touches",
    [
        [],
        [exposure(0.0)],
        [exposure(1.0, strength=0)],
        [exposure(1.0, on=False)],
        [{"id": "c", "kind": "curve"}],
        [{"id": "n", "kind": "not-known", "settings": {}}],
        [{"id": "s", "kind": "set", "touches": [exposure(0.0), {**exposure(2.0), "on": False}]}],
    ],
)
def test_what_does_nothing_changes_nothing_to_the_bit(touches):
    np.testing.assert_array_equal(Renderer(PICTURE, sheet(touches)).draw(WHOLE), PICTURE.colours)


@pytest.mark.parametrize("mode", MODES)
def test_coverage_nothing_changes_nothing_to_the_bit(mode):
    for touch in (exposure(2.0, blend=mode, area="a"), {**CURVE, "blend": mode, "area": "a"}):
        drawn = Renderer(PICTURE, sheet([touch]))
        mask = drawn.area("a", WHOLE)
        out = drawn.draw(WHOLE)
        np.testing.assert_array_equal(out[mask == 0], PICTURE.colours[mask == 0])
        assert (mask == 0).mean() > 0.3


def test_full_strength_and_coverage_are_the_rule_itself():
    out = Renderer(PICTURE, sheet([exposure(1.0)])).draw(WHOLE)
    np.testing.assert_allclose(out, Exposure(ev=1).rule(PICTURE.colours.astype(np.float64)), atol=0.1 * STEP)
    half = Renderer(PICTURE, sheet([exposure(1.0, strength=0.5)])).draw(WHOLE)
    np.testing.assert_allclose(half, (out + PICTURE.colours) / 2, atol=1e-5)


def test_a_set_runs_its_touches_and_is_mixed_once():
    inner = Renderer(PICTURE, sheet([exposure(1.0), CURVE])).draw(WHOLE)
    grouped = {"id": "s", "kind": "set", "area": "a", "strength": 0.4, "touches": [exposure(1.0), CURVE]}
    drawn = Renderer(PICTURE, sheet([grouped]))
    share = 0.4 * drawn.area("a", WHOLE)[..., None]
    expected = PICTURE.colours + share * (inner - PICTURE.colours)
    np.testing.assert_allclose(drawn.draw(WHOLE), expected, atol=1e-5)


def test_a_changed_touch_area_or_limit_is_never_answered_from_the_cache():
    cache = Cache()
    first = Renderer(PICTURE, sheet(RICH), cache, keep="s").draw(WHOLE)
    for touches, area in (
        (RICH, {"invert": True}),
        (RICH[:1] + RICH[2:], {}),
        ([{**RICH[0], "strength": 0.5}, *RICH[1:]], {}),
    ):
        now = Renderer(PICTURE, sheet(touches, **area), cache, keep="s").draw(WHOLE)
        np.testing.assert_array_equal(now, Renderer(PICTURE, sheet(touches, **area)).draw(WHOLE))
        assert np.abs(now - first).max() > STEP


def test_the_cache_keeps_to_its_size_and_hands_out_smaller_rectangles():
    cache = Cache(limit=3 * WHOLE.w * WHOLE.h * 4, trials=2 * WHOLE.w * WHOLE.h * 4)
    values = np.random.default_rng(0).random((*WHOLE.shape, 1)).astype(np.float32)
    for name in "abcd":
        cache.put(name, WHOLE, values)
    assert cache.get("a", WHOLE) is None
    for name in "efgh":
        cache.put(name, WHOLE, values[..., :1], trial=True)
    assert cache.get("e", WHOLE) is None
    assert cache.get("b", WHOLE) is not None, "what is only tried pushes nothing out that stands"
    part = WHOLE.rows(10, 30)
    np.testing.assert_array_equal(cache.get("d", part), values[10:30])
    assert cache.get("d", Frame.whole(160, 200)) is None


@given(st.lists(st.floats(0, 1, width=16), min_size=4, max_size=4).map(sorted))
def test_the_tone_ramp_is_one_inside_and_nothing_outside(points):
    values = np.linspace(0, 1, 101).astype(np.float32)
    out = ramp(values, tuple(points))
    a, b, c, d = points
    assert ((out >= 0) & (out <= 1)).all()
    assert (out[(values >= b + 1e-3) & (values <= c - 1e-3)] == 1).all()
    assert (out[(values < a - 1e-3) | (values > d + 1e-3)] == 0).all()


def test_a_tone_limit_holds_a_touch_to_its_tones():
    dark = exposure(1.0, limit={"ramp": [0, 0, 0.4, 0.5]})
    out = Renderer(PICTURE, sheet([dark])).draw(WHOLE)
    light = lightness(PICTURE.colours)
    np.testing.assert_array_equal(out[light > 0.51], PICTURE.colours[light > 0.51])
    assert (out[light < 0.39] >= PICTURE.colours[light < 0.39]).all()


@pytest.mark.parametrize("draft", [False, True])
def test_a_view_shows_what_the_file_holds(draft):
    # Colours as muted as a portrait's; all of them lie within sRGB.
    many = smooth(320, 256, seed=9)
    colours = 0.2 + 0.25 * many + 0.4 * many.mean(-1, keepdims=True)
    image = Image.open(io.BytesIO(to_jpeg(colours, draft)))
    profile = ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"]))
    shown = np.asarray(ImageCms.profileToProfile(image, profile, ImageCms.createProfile("sRGB"))).astype(int)
    written = to_file(colours, SRGB_PROFILE, 8).astype(int)
    assert np.abs(shown - written).mean() < 1
    assert np.abs(shown.mean((0, 1)) - written.mean((0, 1))).max() < 0.3


def test_views_are_clipped_to_what_a_picture_can_show():
    values = np.broadcast_to(np.array([-0.2, 0.5, 1.7], np.float32), (80, 64, 3)).copy()
    shown = np.asarray(Image.open(io.BytesIO(to_jpeg(values)))).astype(int)
    assert np.abs(shown - [0, 128, 255]).max() <= 3


@pytest.mark.parametrize("size", [(64, 9), (131, 64), (130, 201), (403, 257)])
@pytest.mark.parametrize("draft", [False, True])
def test_a_view_coded_in_strips_is_the_view_coded_in_one(size, draft, monkeypatch):
    colours = grainy(*size)
    strips = Image.open(io.BytesIO(to_jpeg(colours, draft)))
    monkeypatch.setattr("retouch.bands.FEWEST_ROWS", 10_000)
    one = Image.open(io.BytesIO(to_jpeg(colours, draft)))
    assert strips.size == one.size == size
    # Only where half-resolution colour is smoothed across the seam may they differ.
    difference = np.abs(np.asarray(strips).astype(int) - np.asarray(one))
    assert (difference > 0).mean() < (0.05 if draft else 1e-9)


def test_shrinking_is_an_exact_mean_and_a_part_is_what_the_whole_has_there():
    colours = grainy(600, 480)
    halved = shrink(colours, Frame.whole(300, 240))
    np.testing.assert_allclose(halved, colours.reshape(240, 2, 300, 2, 3).mean((1, 3)), atol=1e-6)
    odd = Frame.whole(217, 174)
    whole = shrink(colours, odd)
    assert whole.mean() == pytest.approx(colours.mean(), abs=1e-3)
    part = Frame(217, 174, 31, 44, 90, 71)
    np.testing.assert_allclose(shrink(colours, part), whole[part.slices_in(odd)], atol=1e-6)


def test_the_pyramid_keeps_the_picture_and_its_headroom(tmp_path):
    colours = smooth(900, 700) * 1.9 - 0.05
    Pyramid.store(Held(colours), tmp_path / "p")
    pyramid = Pyramid(tmp_path / "p", "p")
    assert np.abs(pyramid.read(Frame.whole(900, 700)) - colours).max() <= 2**-15 + 1e-6
    small = Frame.whole(300, 233)
    assert np.abs(pyramid.read(small) - shrink(colours, small)).mean() < 0.2 * STEP


def test_a_view_looks_like_the_reduced_export(tmp_path):
    colours = smooth(1200, 960, seed=5)
    Pyramid.store(Held(colours), tmp_path / "p")
    rich = sheet(RICH, feather=0.03)
    export = Renderer(Held(colours), rich).draw(Frame.whole(1200, 960))
    for width in (600, 431):
        frame = Frame.whole(width, round(width * 0.8))
        view = Renderer(Pyramid(tmp_path / "p", "p"), rich).draw(frame)
        assert np.abs(view - shrink(export, frame)).mean() <= 0.2 * STEP


@pytest.mark.parametrize("rows", [1, 63, 64, 129, 1000])
def test_bands_cover_every_row_once_in_order_also_within_bands(rows):
    def within(slice_):
        return at_once(*[partial(in_bands, lambda inner: (inner.start, inner.stop), slice_.stop - slice_.start)] * 9)

    for unit in (1, 8):
        slices = in_bands(lambda rows: (rows.start, rows.stop), rows, unit)
        assert [row for a, b in slices for row in range(a, b)] == list(range(rows))
        assert all((b - a) % unit == 0 for a, b in slices[:-1])
    for inner in (one for band in in_bands(within, rows) for one in band):
        assert inner[0][0] == 0
        assert all(a[1] == b[0] for a, b in pairwise(inner))


def test_a_band_that_fails_says_so_when_no_other_is_at_work_any_more():
    done = []

    def work(rows):
        if rows.start == 0:
            raise ZeroDivisionError
        done.append(rows.start)

    with pytest.raises(ZeroDivisionError):
        in_bands(work, 640)
    at_end = list(done)
    in_bands(lambda _: None, 640)
    assert done == at_end


def test_patient_work_lets_all_else_go_before_it_with_its_bands_too():
    def niceness(_=None):
        return os.getpriority(os.PRIO_PROCESS, threading.get_native_id())

    def everywhere():
        return {niceness(), *in_bands(niceness, 640), *at_once(niceness, niceness)}

    own = niceness()
    assert everywhere() == {own}
    assert patiently(everywhere) == {PATIENT}
    assert everywhere() == {own}
    with pytest.raises(ZeroDivisionError):
        patiently(lambda: 1 / 0)
