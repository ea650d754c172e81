"""Areas that look at the picture below the touch that uses them."""

import numpy as np
import pytest

from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.plan import Renderer
from retouch.render.probe import histogram, sample
from retouch.sheet import read_sheet
from tests.pictures import Held, smooth

FRAME = Frame.whole(80, 60)
GREY = Held(np.full((60, 80, 3), 0.4, np.float32), "grey")
BRIGHT = {"source": "tones", "ramp": [0.6, 0.7, 1, 1]}


def exposure(name, ev, area=None):
    return {"id": name, "kind": "exposure", "settings": {"ev": ev}, "area": area}


def sheet(touches, *parts, **more):
    areas = [{"id": "a", "parts": list(parts), **more}]
    return read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": areas, "touches": touches})


def drawn(document, picture=GREY, frame=FRAME):
    return Renderer(picture, document, Cache()).draw(frame)


@pytest.mark.parametrize("part", [BRIGHT, {"source": "colour", "samples": [{"lab": [0.82, 0, 0]}], "reach": 0.2}])
def test_an_area_below_sees_what_the_touches_before_it_made(part):
    lifted = [exposure("one", 1.5), exposure("two", -1, "a")]
    seen = drawn(sheet(lifted, {**part, "of": "below"}))
    wanted = drawn(sheet([exposure("one", 1.5), exposure("two", -1)], part))
    # The lift has made the grey bright: the second touch works everywhere, while the original's tones would let it
    # work nowhere.
    np.testing.assert_allclose(seen, wanted, atol=2e-3)
    np.testing.assert_array_equal(drawn(sheet(lifted, part)), drawn(sheet(lifted[:1], part)))


def test_each_touch_sees_its_own_below_and_an_area_by_itself_the_first_ones():
    touches = [exposure("one", 0.2, "a"), exposure("two", 1.5), exposure("three", -1, "a")]
    document = sheet(touches, {**BRIGHT, "of": "below"})
    renderer = Renderer(GREY, document, Cache())
    assert renderer.reach("one", FRAME).max() == 0
    assert renderer.reach("three", FRAME).min() == 1
    assert renderer.area("a", FRAME).max() == 0
    unused = Renderer(GREY, sheet(touches[1:2], {**BRIGHT, "of": "below"}), Cache())
    assert unused.area("a", FRAME).min() == 1


def test_an_area_made_from_one_that_looks_below_looks_below_too():
    touches = [exposure("one", 1.5), exposure("two", -1, "b")]
    areas = [
        {"id": "a", "parts": [{**BRIGHT, "of": "below"}]},
        {"id": "b", "parts": [{"source": "area", "area": "a"}], "feather": 0.02},
    ]
    document = read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": areas, "touches": touches})
    renderer = Renderer(GREY, document, Cache())
    assert renderer.reach("two", FRAME).min() == pytest.approx(1)


def test_in_a_set_it_sees_what_the_set_has_made_so_far():
    within = {"id": "s", "kind": "set", "touches": [exposure("one", 1.5), exposure("two", -1, "a")]}
    renderer = Renderer(GREY, sheet([within], {**BRIGHT, "of": "below"}), Cache())
    assert renderer.reach("two", FRAME).min() == 1


def test_a_changed_touch_before_it_changes_the_area_although_stages_are_kept():
    cache = Cache()
    part = {**BRIGHT, "of": "below", "source": "tones"}
    for ev, covered in ((1.5, 1), (0.1, 0), (1.5, 1)):
        document = sheet([exposure("one", ev), exposure("two", -1, "a")], part, refine="edges", feather=0.01)
        reach = Renderer(GREY, document, cache, keep="two").reach("two", FRAME)
        assert reach.mean() == pytest.approx(covered, abs=1e-3)


def test_a_rectangle_is_what_the_whole_has_there():
    picture = Held(smooth(80, 60, 3), "smooth")
    part = {"source": "tones", "ramp": [0.3, 0.5, 0.7, 0.8], "of": "below"}
    document = sheet([exposure("one", 0.6), exposure("two", -1, "a")], part, feather=0.03)
    cut = Frame(80, 60, 20, 10, 40, 30)
    # Feathers are worked out on a map of their own raster, so a rectangle differs a little.
    np.testing.assert_allclose(drawn(document, picture, cut), drawn(document, picture)[cut.slices_in(FRAME)], atol=0.01)


def test_pointing_and_counting_read_what_the_area_sees():
    document = sheet([exposure("one", 1.5), exposure("two", -1, "a")], {**BRIGHT, "of": "below"})
    renderer = Renderer(GREY, document, Cache())
    lifted = drawn(sheet([exposure("one", 1.5)]))[30, 40]
    np.testing.assert_allclose(sample(renderer, 0.5, 0.4, renderer.stage_of("a")[1]), lifted, atol=1e-3)
    counted, finished = histogram(renderer, renderer.stage_of("a")[1]), histogram(renderer)
    assert np.argmax(counted.lightness) > np.argmax(finished.lightness)
