"""Areas: joins, strokes, grow, feather, and that a rectangle is what the whole has there."""

from math import ceil

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from retouch.areas.joins import join
from retouch.areas.recipe import recipe
from retouch.areas.sources.area import OtherArea
from retouch.areas.sources.strokes import Stroke, Strokes
from retouch.areas.sources.whole import Whole
from retouch.brush import tip
from retouch.brush.tip import Way, Wet, lay
from retouch.frame import Frame
from retouch.types import NEW

FRAME = Frame.whole(200, 160)
UNIT = st.floats(0, 1, width=32)
coverages = st.lists(UNIT, min_size=8, max_size=8).map(lambda v: np.array(v, np.float32))


class Nothing:
    """A look at a sheet without other areas."""

    def area(self, area, frame):
        raise KeyError(area)

    def kept(self, name, frame):
        return None

    def keep(self, name, frame, coverage):
        pass


def draw(parts, frame=FRAME, grow=0.0, feather=0.0, invert=False):
    return recipe(parts, grow, feather, invert, frame, Nothing())


def half(**more):
    """A hard-edged disc in the middle, 0.3 of the long side wide."""
    return Strokes(strokes=[Stroke(size=0.3, softness=0, points=[(0.5, 0.4, 1)], **more)])


@pytest.mark.parametrize("how", ["add", "take", "only", "either"])
@given(a=coverages, b=coverages)
def test_joins_are_idempotent_and_stay_in_range(how, a, b):
    once = join(a, b, how)
    assert ((once >= 0) & (once <= 1)).all()
    if how == "either":
        # Joining twice gives the part back where there was nothing, and takes it away where it was all.
        np.testing.assert_array_equal(join(np.zeros_like(a), b, how), b)
    else:
        np.testing.assert_array_equal(join(once, b, how), once)


@given(coverages)
def test_joins_with_nothing_and_with_everything(a):
    none, every = np.zeros_like(a), np.ones_like(a)
    for how, with_none, with_every in (("add", a, every), ("take", a, none), ("only", none, a), ("either", a, 1 - a)):
        np.testing.assert_allclose(join(a, none, how), with_none, atol=1e-7)
        np.testing.assert_allclose(join(a, every, how), with_every, atol=1e-7)


@settings(max_examples=40)
@given(flow=st.floats(0.05, 1), ceiling=st.floats(0.1, 1), softness=UNIT, size=st.floats(0.05, 0.4))
def test_one_straight_pass_builds_flow_times_ceiling_along_its_middle(flow, ceiling, softness, size):
    stroke = Stroke(size=size, softness=softness, flow=flow, ceiling=ceiling, points=[(-0.6, 0.4, 1), (1.6, 0.4, 1)])
    across = draw([Strokes(strokes=[stroke])], Frame.whole(400, 320))[:, 150:250]
    assert across.max() == pytest.approx(flow * ceiling, abs=0.012)
    assert across.max(axis=0).std() < 0.004


def test_going_over_again_builds_more_but_never_over_the_ceiling():
    def middle(passes):
        points = [(0.2 + 0.6 * (i % 2), 0.4, 1) for i in range(passes + 1)]
        return draw([Strokes(strokes=[Stroke(size=0.2, softness=0.4, flow=0.3, ceiling=0.7, points=points)])])[80, 100]

    built = [middle(n) for n in (1, 2, 4, 12)]
    assert built == sorted(built)
    assert built[0] == pytest.approx(0.21, abs=0.01)
    assert built[1] == pytest.approx(0.7 * (1 - 0.7**2), abs=0.02)
    assert built[-1] <= 0.7


def test_a_second_stroke_builds_on_the_first_and_one_that_erases_takes_its_share():
    one = half(flow=0.5).strokes[0]
    twice = draw([Strokes(strokes=[one, one])])
    assert twice[80, 100] == pytest.approx(0.75, abs=1e-5)
    away = draw([Strokes(strokes=[one, one, one.model_copy(update={"erase": True})])])
    assert away[80, 100] == pytest.approx(0.375, abs=1e-5)


def test_a_stroke_means_the_same_at_every_size():
    stroke = Stroke(size=0.15, softness=0.5, flow=0.6, points=[(0.2, 0.2, 1), (0.7, 0.5, 1), (0.3, 0.6, 1)])
    large = draw([Strokes(strokes=[stroke])], Frame.whole(800, 640))
    small = draw([Strokes(strokes=[stroke])], Frame.whole(200, 160))
    reduced = large.reshape(160, 4, 200, 4).mean((1, 3))
    assert np.abs(reduced - small).mean() < 0.002
    assert np.abs(reduced - small).max() < 0.05


def test_a_stroke_does_not_depend_on_how_often_the_pointer_reported():
    few = [(0.2, 0.4, 1.0), (0.8, 0.4, 1.0)]
    many = [(0.2 + 0.6 * i / 300, 0.4, 1.0) for i in range(301)]
    coverage = [draw([Strokes(strokes=[Stroke(size=0.2, flow=0.4, points=p)])]) for p in (few, many)]
    np.testing.assert_allclose(*coverage, atol=2e-3)


def test_pressure_changes_size_or_flow():
    points = [(0.2, 0.4, 0.25), (0.8, 0.4, 1.0)]

    def at(pressure):
        return draw([Strokes(strokes=[Stroke(size=0.2, softness=0, flow=1, pressure=pressure, points=points)])])

    assert (at("none")[:, 50] > 0.5).sum() == (at("none")[:, 150] > 0.5).sum()
    assert (at("size")[:, 50] > 0.5).sum() < 0.6 * (at("size")[:, 150] > 0.5).sum()
    assert at("flow")[80, 50] < 0.5 < at("flow")[80, 150]


def test_an_edge_without_softness_is_one_pixel_wide():
    row = draw([half()])[80]
    assert ((row > 0.02) & (row < 0.98)).sum() <= 4
    assert row.sum() == pytest.approx(60, abs=1)


@pytest.mark.parametrize("options", [{}, {"feather": 0.05}, {"grow": 0.04}, {"grow": -0.03, "feather": 0.02}])
@pytest.mark.parametrize("unit", [200, 1400])
def test_a_rectangle_is_what_the_whole_has_there(options, unit):
    frame = Frame.whole(unit, unit * 4 // 5)
    parts = [Strokes(strokes=[Stroke(size=0.2, softness=0.3, points=[(0.3, 0.3, 1), (0.6, 0.5, 1)])])]
    whole = draw(parts, frame, **options)
    part = Frame(frame.width, frame.height, unit // 4, unit // 5, unit // 3, unit // 4)
    np.testing.assert_allclose(draw(parts, part, **options), whole[part.slices_in(frame)], atol=1e-6)


@pytest.mark.parametrize("unit", [300, 2000])
def test_feather_spreads_a_straight_edge_over_its_length(unit):
    frame = Frame.whole(unit, unit // 2)
    edge = Strokes(strokes=[Stroke(size=1, softness=0, points=[(0, -0.5, 1), (0, 1.5, 1)])])
    row = draw([edge], frame, feather=0.1)[unit // 4]
    where = [np.abs(row - share).argmin() / unit for share in (0.8413, 0.1587)]
    assert where[1] - where[0] == pytest.approx(0.1, abs=0.004)
    assert where[0] + where[1] == pytest.approx(1.0, abs=0.01)


@pytest.mark.parametrize("unit", [300, 2000])
@pytest.mark.parametrize("grow", [0.05, -0.05])
def test_grow_moves_an_edge_by_its_length(unit, grow):
    frame = Frame.whole(unit, unit // 2)
    edge = Strokes(strokes=[Stroke(size=1, softness=0, points=[(0, -0.5, 1), (0, 1.5, 1)])])
    row = draw([edge], frame, grow=grow)[unit // 4]
    assert row.sum() / unit == pytest.approx(0.5 + grow, abs=0.006)


def test_the_whole_stays_whole_under_feather_and_grow():
    np.testing.assert_allclose(draw([Whole()], feather=0.2, grow=-0.1), 1, atol=1e-6)


def test_invert_and_parts_that_are_off():
    np.testing.assert_allclose(draw([half()], invert=True), 1 - draw([half()]), atol=1e-7)
    assert draw([half(), Whole(on=False)]).mean() < 0.2
    np.testing.assert_array_equal(draw([Whole(), half().model_copy(update={"join": "take"})]), 1 - draw([half()]))


def test_an_area_can_be_made_of_another():
    class Other(Nothing):
        def area(self, area, frame):
            assert area == "eyes"
            return np.full(frame.shape, 0.25, np.float32)

    out = recipe([Whole(), OtherArea(area="eyes", join="take")], 0, 0, False, FRAME, Other())
    np.testing.assert_array_equal(out, np.full(FRAME.shape, 0.75, np.float32))


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from(["none", "size", "flow"]))
def test_a_stroke_that_grows_dab_by_dab_is_the_stroke_painted_at_once(seed, pressure):
    rng = np.random.default_rng(seed)
    way = np.concatenate([np.cumsum(0.06 * rng.standard_normal((40, 2)), axis=0) + 0.4, rng.random((40, 1))], axis=1)
    stroke = Stroke(size=0.09, softness=0.5, flow=0.3, pressure=pressure, points=[tuple(p) for p in way.tolist()])
    wet, out = Wet(FRAME), None
    for end in (1, 2, 7, 8, 25, 40):
        out = np.zeros(FRAME.shape, np.float32)
        wet.lay(out, stroke.tip, Way(way[:end]), FRAME)
        at_once = np.zeros(FRAME.shape, np.float32)
        lay(at_once, stroke.tip, Way(way[:end]), FRAME)
        np.testing.assert_allclose(out, at_once, atol=5e-4)
    part = Frame(200, 160, 60, 40, 50, 50)
    cut = np.zeros(part.shape, np.float32)
    lay(cut, stroke.tip, Way(way), part)
    np.testing.assert_allclose(cut, out[part.slices_in(FRAME)], atol=5e-4)


@pytest.mark.parametrize("pressure", ["none", "flow"])
def test_a_hair_thin_stroke_across_everything_costs_what_it_covers(monkeypatch, pressure):
    points = [(x, y, 1.0) for _ in range(20) for x, y in ((-4, -4), (5, 5), (5, -4), (-4, 5))]
    thin = Stroke.model_construct(size=1e-9, pressure=pressure, points=points)
    covered = draw([Strokes(strokes=[thin])])
    assert 0 < covered.mean() < 0.1
    pieces = []
    monkeypatch.setattr(tip, "_piece", lambda *piece: pieces.append(piece))
    size, softness, _, _, changes = thin.tip.numbers
    stop = 2 * 200 * ceil(thin.way.length)
    tip._walk.py_func(covered, covered, thin.way.points, thin.way.along, size, softness, changes, 200, 0, 0, 0, stop)
    # Two pieces a pixel of way inside the picture, a few for each line, and nothing for what lies outside.
    assert len(pieces) < 2 * 80 * 1.5 * 200


def test_a_stroke_longer_than_a_hand_paints_is_refused_where_it_is_new_and_opens_where_it_is_held():
    raw = {"size": 0.1, "points": [[x, 0, 1] for x in (-4, 5) * 20]}
    with pytest.raises(ValueError, match="paint it in several"):
        Stroke.model_validate(raw, context=NEW)
    assert Stroke.model_validate(raw).way.length > 200


def test_strokes_laid_before_are_found_again():
    class Keeping(Nothing):
        def __init__(self):
            self.names, self.asked = {}, []

        def kept(self, name, frame):
            return self.names.get(name)

        def keep(self, name, frame, coverage):
            self.names[name] = coverage

    sight = Keeping()
    one, two = (Stroke(size=0.2, flow=0.5, points=[(x, 0.4, 1)]) for x in (0.4, 0.5))
    first = Strokes(strokes=[one]).coverage(FRAME, sight)
    sight.names = {name: coverage + 1 for name, coverage in sight.names.items()}
    second = Strokes(strokes=[one, two]).coverage(FRAME, sight)
    # What was kept was built upon: it shows by the mark that was left in it.
    assert second[0, 0] == 1
    assert first[0, 0] == 0
    assert Strokes(strokes=[two, one]).coverage(FRAME, sight)[0, 0] == 0
