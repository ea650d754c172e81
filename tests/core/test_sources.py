"""Areas by tone, colour, likeness and shape, against geometry and constructed pictures."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from retouch.areas.sources.alike import Alike
from retouch.areas.sources.colour import Colour
from retouch.areas.sources.fade import Fade
from retouch.areas.sources.outline import Outline
from retouch.areas.sources.pool import Pool
from retouch.areas.sources.strokes import Strokes
from retouch.areas.sources.tones import Tones
from retouch.colour.hex import from_hex
from retouch.colour.oklab import from_oklab, to_oklab
from retouch.colour.tones import clipped_oklab
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.plan import Renderer
from retouch.sheet import read_sheet
from retouch.touches.wash import SKIN_TINTS
from retouch.types import PictureError
from tests.pictures import Held, smooth

FRAME = Frame.whole(400, 300)
KAPPA = 0.5522847498


class Seen:
    """A look at one picture, at any scale."""

    def __init__(self, colours):
        self.colours = np.asarray(colours, np.float32)

    def area(self, area, frame):
        raise KeyError(area)

    def kept(self, name, frame):
        return None

    def keep(self, name, frame, coverage):
        pass

    def original(self, frame):
        whole = cv2.resize(self.colours, (frame.width, frame.height), interpolation=cv2.INTER_AREA)
        return whole[frame.y : frame.y + frame.h, frame.x : frame.x + frame.w]

    def lab(self, frame, of="original"):
        return clipped_oklab(self.original(frame))


PICTURE = Seen(smooth(400, 300, 8))
EVERY = {
    "tones": Tones(ramp=(0.2, 0.4, 0.6, 0.8)),
    "colour": Colour(samples=[{"lab": (0.6, 0.05, 0.03)}, {"lab": (0.5, -0.1, 0.0), "take": True}], reach=0.4),
    "hues": Colour(samples=[{"lab": (0.6, 0.05, 0.03)}], hue_only=True),
    "alike": Alike(points=[(0.3, 0.4), (0.8, 0.2)], tolerance=0.3, touching=False),
    "pool": Pool(centre=(0.4, 0.4), radii=(0.3, 0.15), turn=30),
    "fade": Fade(start=(0.2, 0.1), end=(0.7, 0.6)),
    "outline": Outline(shapes=[{"path": "M.1.1C.5 0 .9.2.8.6L.3.5Z"}, {"path": "M.3.3h.2v.1z", "take": True}]),
}


@pytest.mark.parametrize("name", EVERY)
def test_a_rectangle_is_what_the_whole_has_there(name):
    whole = EVERY[name].coverage(FRAME, PICTURE)
    assert whole.dtype == np.float32
    assert whole.shape == FRAME.shape
    assert 0 <= whole.min() < 0.5 < whole.max() <= 1
    cut = Frame(400, 300, 90, 60, 140, 110)
    np.testing.assert_allclose(EVERY[name].coverage(cut, PICTURE), whole[cut.slices_in(FRAME)], atol=0.006)


@pytest.mark.parametrize("name", EVERY)
def test_half_the_size_shows_the_same_area(name):
    half = EVERY[name].coverage(Frame.whole(200, 150), PICTURE)
    reduced = cv2.resize(EVERY[name].coverage(FRAME, PICTURE), (200, 150), interpolation=cv2.INTER_AREA)
    assert np.abs(half - reduced).mean() < 0.01


def greys(lightness):
    lab = np.zeros((1, len(lightness), 3))
    lab[..., 0] = lightness
    return Seen(from_oklab(lab))


def test_tones_let_through_what_their_ramp_says():
    levels = np.array([0.0, 0.2, 0.3, 0.4, 0.5, 0.7, 0.8, 1.0])
    part = Tones(ramp=(0.2, 0.4, 0.6, 0.8))
    found = part.coverage(Frame.whole(8, 1), greys(levels))[0]
    assert found == pytest.approx([0, 0, 0.5, 1, 1, 0.5, 0, 0], abs=2e-3)
    with pytest.raises(PictureError, match="must not fall"):
        sheet({"source": "tones", "ramp": [0.5, 0.4, 0.6, 0.8]})


def lab(lightness, chroma, hue):
    return (lightness, chroma * np.cos(np.radians(hue)), chroma * np.sin(np.radians(hue)))


def likeness(part, *colours):
    return part.likeness(np.array([colours], np.float32))[0]


@given(st.floats(0, 1), st.floats(0, 0.3), st.floats(0, 360), st.floats(0.05, 1), st.floats(0, 1))
@settings(max_examples=60)
def test_a_picked_colour_is_covered_and_one_beyond_reach_is_not(lightness, chroma, hue, reach, soft):
    picked = lab(lightness, chroma, hue)
    part = Colour(samples=[{"lab": picked}], reach=reach, soft=soft)
    far = (picked[0], picked[1] + 0.351 * reach, picked[2])
    found = likeness(part, picked, far)
    assert found[0] == pytest.approx(1, abs=1e-5)
    assert found[1] == pytest.approx(0, abs=1e-4)
    left = Colour(samples=[{"lab": picked}, {"lab": picked, "take": True}], reach=reach, soft=soft)
    assert likeness(left, picked)[0] == pytest.approx(0, abs=1e-5)


def test_hue_alone_takes_every_lightness_and_no_grey():
    part = Colour(samples=[{"lab": lab(0.6, 0.1, 50)}], hue_only=True, reach=0.2)
    same, dark, pale, grey, other = likeness(
        part, lab(0.9, 0.1, 52), lab(0.2, 0.05, 48), lab(0.8, 0.04, 50), lab(0.5, 0.004, 50), lab(0.6, 0.1, 100)
    )
    assert min(same, dark, pale) > 0.95
    assert max(grey, other) < 0.05


def test_the_start_for_skin_holds_every_skin_and_no_sky():
    start = next(s for s in Colour.starts if s.title == "skin")
    part = Colour.model_validate(start.settings)
    tints = [to_oklab(from_hex(tint)) for _, tint in SKIN_TINTS]
    assert likeness(part, *tints).min() > 0.9
    assert likeness(part, lab(0.7, 0.1, 240), lab(0.6, 0.12, 140))[0] < 0.02


def discs():
    picture = np.full((300, 400, 3), from_oklab(np.array([0.4, 0.0, 0.0])), np.float32)
    colour = [float(v) for v in from_oklab(np.array([0.7, 0.08, 0.05]))]
    for x in (100, 300):
        cv2.circle(picture, (x, 150), 60, colour, -1)
    return Seen(picture)


def test_what_is_alike_hangs_together_or_lies_anywhere():
    left, right = (slice(100, 200), slice(60, 140)), (slice(130, 170), slice(280, 320))
    near = Alike(points=[(0.25, 0.375)]).coverage(FRAME, discs())
    assert near[150, 100] == near[150, 150] == 1
    assert near[right].max() == 0
    assert near[10, 10] == 0
    anywhere = Alike(points=[(0.25, 0.375)], touching=False).coverage(FRAME, discs())
    assert anywhere[left].mean() > 0.99
    assert anywhere[right].min() == 1
    assert Alike().coverage(FRAME, discs()).max() == 0


def test_a_hard_pool_has_the_size_of_its_ellipse():
    pool = Pool(centre=(0.5, 0.375), radii=(0.3, 0.15), turn=30, softness=0)
    covered = pool.coverage(FRAME, PICTURE)
    assert covered.sum() == pytest.approx(np.pi * 120 * 60, rel=2e-3)
    outside = pool.model_copy(update={"outside": True}).coverage(FRAME, PICTURE)
    np.testing.assert_allclose(covered + outside, 1)
    # It is turned clockwise: its long axis falls towards the right.
    assert covered[150 + 45, 200 + 78] == 1
    assert covered[150 - 45, 200 + 78] == 0


def test_a_soft_pool_falls_as_a_smoothstep():
    pool = Pool(centre=(0.5, 0.375), radii=(0.25, 0.25), softness=0.5)
    row = pool.coverage(Frame.whole(4000, 3000).rows(1500, 1501), PICTURE)[0]
    at = {r: row[2000 + round(r * 1000)] for r in (0.0, 0.49, 0.75, 0.99)}
    assert at[0.0] == at[0.49] == 1
    assert at[0.75] == pytest.approx(0.5, abs=2e-3)
    assert at[0.99] < 2e-3


def test_a_fade_is_all_before_half_in_the_middle_nothing_beyond():
    fade = Fade(start=(0.25, 0.2), end=(0.75, 0.2)).coverage(FRAME, PICTURE)
    assert fade[:, :99].min() > 0.999
    assert fade[:, 301:].max() < 1e-3
    assert (fade[0, 199] + fade[0, 200]) / 2 == pytest.approx(0.5, abs=1e-3)
    np.testing.assert_array_equal(fade[0], fade[-1])


def area_of(*paths):
    shapes = [{"path": path, "take": take} for path, take in paths]
    return Outline(shapes=shapes).coverage(FRAME, PICTURE).sum() / 400**2


def test_outlines_have_the_area_of_their_geometry():
    assert area_of(("M.2 .2L.6 .2L.6 .6", False)) == pytest.approx(0.08, rel=2e-3)
    k = 0.2 * KAPPA
    circle = (
        f"M.3 .4C.3 {0.4 - k} {0.5 - k} .2 .5 .2S.7 {0.4 - k} .7 .4C.7 {0.4 + k} {0.5 + k} .6 .5 .6"
        f"C{0.5 - k} .6 .3 {0.4 + k} .3 .4Z"
    )
    assert area_of((circle, False)) == pytest.approx(np.pi * 0.04, rel=3e-3)
    assert area_of((circle, False), ("M.4 .3h.2v.2h-.2z", True)) == pytest.approx(np.pi * 0.04 - 0.04, rel=4e-3)
    # Even–odd: a ring drawn in one.
    assert area_of(("M.1 .1h.4v.4h-.4zM.2 .2h.2v.2h-.2z", False)) == pytest.approx(0.12, rel=3e-3)


def sheet(*parts):
    return read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": [{"id": "a", "parts": list(parts)}]})


@pytest.mark.parametrize("path", ["", "L1 1", 'M0 0"/><script/>', "M0 0 url(http://x)", "m" + "1 " * 200_000])
def test_what_is_no_path_data_is_refused(path):
    with pytest.raises(PictureError):
        sheet({"source": "outline", "shapes": [{"path": path}]})


def test_two_pictures_in_one_cache_keep_their_own_areas():
    cache, same = Cache(), sheet({"source": "tones", "ramp": [0, 0, 0.3, 0.5]})
    dark, bright = (Held(np.full((30, 40, 3), v, np.float32), key) for v, key in ((0.1, "dark"), (0.9, "bright")))
    frame = Frame.whole(40, 30)
    assert Renderer(dark, same, cache).area("a", frame).min() == 1
    assert Renderer(bright, same, cache).area("a", frame).max() == 0


def stroke(**more):
    points = [[0.35, 0.15, 1], [0.35, 0.6, 1]]
    return Strokes(strokes=[{"size": 0.3, "softness": 0, "points": points, "keep_edges": True, **more}])


def halves():
    """Two colours that meet at x = 0.4, with an island of the left one's beyond, on grain."""
    rng = np.random.default_rng(2)
    lab_ = np.zeros((300, 400, 3))
    lab_[..., 0] = 0.6 + 0.01 * rng.standard_normal((300, 400))
    lab_[:, 160:, 1:] = (0.08, 0.06)
    lab_[100:200, 175:190, 1:] = 0
    return Seen(from_oklab(lab_))


def test_a_stroke_that_keeps_to_edges_stops_at_them():
    plain = stroke(keep_edges=False).coverage(FRAME, halves())
    held = stroke().coverage(FRAME, halves())
    left = (slice(80, 220), slice(90, 156))
    assert held[left].mean() > 0.97
    # Neither the other side nor what is of the same colour but does not hang together.
    assert plain[100:200, 164:190].min() == 1
    assert held[100:200, 164:190].max() < 0.05
    assert (held <= plain + 1e-6).all()


def test_it_is_the_same_by_rectangles_and_takes_away_likewise():
    held = stroke().coverage(FRAME, halves())
    cut = Frame(400, 300, 120, 90, 60, 70)
    np.testing.assert_allclose(stroke().coverage(cut, halves()), held[cut.slices_in(FRAME)], atol=0.02)
    both = Strokes(strokes=[*stroke(keep_edges=False).strokes, *stroke(erase=True).strokes])
    left_over = both.coverage(FRAME, halves())
    assert left_over[100:200, 100:150].max() < 0.05
    assert left_over[100:200, 164:185].min() > 0.95


def test_a_stroke_that_grows_keeps_what_it_had():
    short, long = (stroke(size=0.1, points=[[0.1, 0.3, 1], [x, 0.3, 1]]).coverage(FRAME, halves()) for x in (0.21, 0.3))
    done = (slice(None), slice(0, 76))
    np.testing.assert_allclose(long[done], short[done], atol=1e-6)


def test_a_core_across_an_edge_still_covers_what_it_runs_over():
    across = stroke(size=0.1, points=[[0.2, 0.3, 1], [0.6, 0.3, 1]])
    covered = across.coverage(FRAME, halves())
    assert covered[118:122, 90:150].mean() > 0.9
    assert covered[118:122, 200:230].mean() > 0.9


def test_a_stroke_round_something_fills_what_it_runs_round():
    round_it = [[0.3 + 0.15 * np.cos(t), 0.35 + 0.15 * np.sin(t), 1] for t in np.linspace(0, 5.8, 60)]
    plain = stroke(size=0.02, keep_edges=False, flow=0.5, ceiling=0.8, points=round_it)
    filled = stroke(size=0.02, keep_edges=False, flow=0.5, ceiling=0.8, points=round_it, fill_inside=True)
    ring, disc = (s.coverage(FRAME, halves()) for s in (plain, filled))
    y, x = np.mgrid[:300, :400] + 0.5
    inside = np.hypot(x / 400 - 0.3, y / 400 - 0.35) < 0.135
    assert ring[inside].max() == 0
    assert disc[inside] == pytest.approx(0.4)
    np.testing.assert_array_equal(disc[np.hypot(x / 400 - 0.3, y / 400 - 0.35) > 0.165], 0)
    # It takes away likewise, and a rectangle is what the whole has there.
    cut = Frame(400, 300, 90, 100, 50, 60)
    np.testing.assert_allclose(filled.coverage(cut, halves()), disc[cut.slices_in(FRAME)], atol=0.006)
    away = filled.strokes[0].model_copy(update={"erase": True})
    taken = Strokes(strokes=[*stroke(keep_edges=False, size=1.5).strokes, away])
    assert taken.coverage(FRAME, halves())[inside] == pytest.approx(0.6)
