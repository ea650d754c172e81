"""Views and coverages."""

import io
import shutil

import numpy as np
import pytest
from PIL import Image

from studio import levels
from tests.studio.talk import JSON, edit, exposure, frame, insert, look, put

AREA = {"id": "a1", "parts": [{"id": "p1", "source": "strokes", "strokes": [
    {"size": 0.4, "softness": 0, "points": [[0.2, 0.2, 1]]}]}]}  # fmt: skip


def pixels(answer):
    assert answer.status_code == 200, answer.content
    return np.asarray(Image.open(io.BytesIO(answer.content))).astype(int)


def test_a_view_shows_the_sheet_and_the_original_on_demand(client, portrait):
    plain = pixels(look(client, portrait, 0))
    assert plain.shape == (375, 300, 3)
    edit(client, portrait, 0, insert(["touches"], exposure(ev=1)))
    assert pixels(look(client, portrait, 1)).mean() > plain.mean() + 20
    assert np.abs(pixels(look(client, portrait, 1, show="original")) - plain).max() == 0


def test_a_change_can_be_tried_without_being_kept(client, portrait):
    plain = pixels(look(client, portrait, 0))
    tried = pixels(look(client, portrait, 0, trial=[insert(["touches"], exposure(ev=-2))], draft=True))
    assert tried.mean() < plain.mean() - 20
    assert np.abs(pixels(look(client, portrait, 0)) - plain).max() == 0
    assert look(client, portrait, 0, trial=[put(["touches", "none", "on"], True)]).status_code == 422


def test_coverage_is_grey_and_tells_its_share(client, portrait):
    edit(client, portrait, 0, insert(["areas"], AREA))
    answer = look(client, portrait, 1, "coverage", area="a1")
    mask = pixels(answer)
    assert mask.shape == (375, 300)
    assert (mask[75, 75], mask[300, 200]) == (255, 0)
    assert float(answer["X-Share"]) == pytest.approx((mask / 255).mean(), abs=0.002)
    gone = look(client, portrait, 1, "coverage", area="a2")
    assert (gone.status_code, gone.json()["detail"]) == (422, "This area is no longer there.")


def test_silhouettes_that_are_asked_for_together_are_those_of_each(client, portrait):
    edit(client, portrait, 0, insert(["areas"], AREA))
    found = {"id": "f", "parts": [{"source": "pool", "centre": [0.4, 0.5], "radii": [0.2, 0.2]}]}
    frames = {"a1": frame(60, 75), "gone": frame(60, 75, w=10, h=20), "f": frame(120, 150, x=30, y=40, w=80, h=50)}
    body = {"revision": 1, "trial": [insert(["areas"], found)]}
    wanted = [{"area": area, "frame": at} for area, at in frames.items()]
    address = f"/api/portraits/{portrait.pk}/"
    together, top = pixels(client.post(f"{address}silhouettes", body | {"wanted": wanted}, JSON)), 0
    for area, at in frames.items():
        cut = together[top : top + at["h"], : at["w"]]
        top += at["h"]
        alone = client.post(f"{address}coverage", body | {"area": area, "frame": at}, JSON)
        assert np.array_equal(cut, pixels(alone) if area != "gone" else np.zeros_like(cut))
    assert together.shape == (top, 80)
    # Small each, but as one picture without bound.
    thin = [{"area": "a1", "frame": frame(600, 750, w=w, h=h)} for w, h in [(600, 1), *[(1, 750)] * 99]]
    assert client.post(f"{address}silhouettes", body | {"wanted": thin}, JSON).status_code == 422


@pytest.mark.parametrize(
    "wrong",
    [
        frame(700, 875),
        frame(300, 300),
        frame(w=0),
        frame(x=200, w=200),
        frame(x=-1),
    ],
    ids=["larger than the picture", "of another shape", "empty", "over the edge", "before the edge"],
)
def test_a_frame_that_does_not_fit_is_refused(client, portrait, wrong):
    assert look(client, portrait, 0, frame=wrong).status_code == 422


def test_a_stale_view_is_told(client, portrait):
    edit(client, portrait, 0, insert(["touches"], exposure()))
    look(client, portrait, 1)
    assert look(client, portrait, 7).status_code == 409


def test_a_portrait_that_is_not_prepared_says_so(client, portrait):
    portrait.state = "preparing"
    portrait.save(update_fields=["state"])
    assert "not prepared" in look(client, portrait, 0).json()["detail"]


def test_a_lost_working_copy_is_made_anew_from_the_original(client, portrait, settings):
    before = pixels(look(client, portrait, 0))
    shutil.rmtree(settings.LEVELS_ROOT / str(portrait.pk))
    levels.pyramid.cache_clear()
    np.testing.assert_array_equal(pixels(look(client, portrait, 0)), before)


def asked(client, portrait, what, **body):
    answer = client.post(f"/api/portraits/{portrait.pk}/{what}", body, "application/json")
    assert answer.status_code == 200, answer.content
    return answer.json()


CURVE = {"id": "c1", "kind": "curve", "settings": {"points": [[0, 0], [1, 1]]}}


def test_pointing_with_a_curve_makes_a_point_at_the_tone_below_the_touch(client, portrait):
    edit(client, portrait, 0, insert(["touches"], exposure(ev=1)), insert(["touches"], CURVE))
    at = {"revision": 1, "x": 0.3, "y": 0.5, "touch": "c1", "pick": "point", "by": 0.1}
    out = asked(client, portrait, "point", **at)
    (x, y) = out["settings"]["points"][1]
    assert y == pytest.approx(x + 0.1, abs=1e-3)
    assert out["words"] == f"{100 * x:.0f} → {100 * y:.0f}"
    numbers = asked(client, portrait, "numbers", revision=1, x=0.3, y=0.5)
    # The point stands on the tone after the exposure, which is below the curve.
    assert 100 * x == pytest.approx(numbers["after"]["lightness"], abs=1)
    assert numbers["after"]["lightness"] > numbers["before"]["lightness"] + 3
    again = asked(client, portrait, "point", **at | {"by": 0.0}, trial=[put(["touches", "t1", "on"], False)])
    assert again["settings"]["points"][1][0] < x


def test_what_cannot_be_pointed_with_says_so(client, portrait):
    edit(client, portrait, 0, insert(["touches"], exposure()), insert(["touches"], CURVE))
    for touch, pick, words in (
        ("t1", "point", "cannot be pointed with"),
        ("c1", "neutral", "cannot be pointed with"),
        ("gone", "point", "no longer there"),
    ):
        body = {"revision": 1, "x": 0.3, "y": 0.5, "touch": touch, "pick": pick}
        answer = client.post(f"/api/portraits/{portrait.pk}/point", body, "application/json")
        assert answer.status_code == 422
        assert words in answer.json()["detail"]


def test_tones_are_counted_below_a_touch_and_under_its_area(client, portrait):
    edit(
        client, portrait, 0, insert(["areas"], AREA), insert(["touches"], exposure(ev=-3)),
        insert(["touches"], CURVE | {"area": "a1"}),
    )  # fmt: skip
    whole, under = (
        asked(client, portrait, "tones", revision=1),
        asked(client, portrait, "tones", revision=1, touch="c1"),
    )
    first = asked(client, portrait, "tones", revision=1, touch="t1")
    for counted in (whole, under, first):
        assert [len(counted[n]) for n in ("lightness", "red", "hues")] == [64, 64, 72]
        assert max(counted["lightness"]) == 1
    bright = np.arange(64) > 32
    assert np.array(first["lightness"])[bright].sum() > np.array(whole["lightness"])[bright].sum()
    assert under["lightness"] != whole["lightness"]


def test_the_reach_of_a_touch_is_its_area_within_its_tone_limit(client, portrait):
    limit = {"ramp": [0.5, 0.6, 1, 1], "of": "below"}
    edit(client, portrait, 0, insert(["areas"], AREA), insert(["touches"], exposure(area="a1", limit=limit)))
    area = pixels(look(client, portrait, 1, "coverage", area="a1"))
    reach = pixels(look(client, portrait, 1, "coverage", touch="t1"))
    assert (reach <= area).all()
    assert 0 < (reach > 128).sum() < (area > 128).sum()
    assert look(client, portrait, 1, "coverage", touch="gone").status_code == 422


def test_looks_show_how_far_it_goes_and_what_is_clipped(client, portrait):
    plain = pixels(look(client, portrait, 0))
    assert pixels(look(client, portrait, 0, look="brighter")).mean() > plain.mean() + 30
    assert pixels(look(client, portrait, 0, look="darker")).mean() < plain.mean() - 30
    edit(client, portrait, 0, insert(["touches"], exposure(ev=5)))
    lit, marked = pixels(look(client, portrait, 1)), pixels(look(client, portrait, 1, look="clipping"))
    clipped = (lit >= 254).all(-1)
    assert clipped.mean() > 0.1
    assert (marked[clipped].max(-1) < 220).mean() > 0.95


def test_an_area_by_colour_is_drawn_and_a_wrong_outline_is_refused(client, portrait):
    everything = {"id": "c", "parts": [{"id": "p1", "source": "colour", "samples": [{"lab": [0.5, 0, 0]}], "reach": 1}]}
    edit(client, portrait, 0, insert(["areas"], everything))
    some = pixels(look(client, portrait, 1, "coverage", area="c"))
    assert 0 < some.mean() < 255
    wrong = {"id": "o", "parts": [{"source": "outline", "shapes": [{"path": "M0 0<script>"}]}]}
    answer = edit(client, portrait, 1, insert(["areas"], wrong))
    assert answer.status_code == 422
    assert "<script>" not in answer.json()["detail"]


def test_tones_of_the_original_do_not_follow_the_sheet(client, portrait):
    edit(client, portrait, 0, insert(["touches"], exposure(ev=-4)))

    def tones(**more):
        path = f"/api/portraits/{portrait.pk}/tones"
        return client.post(path, {"revision": 1, **more}, content_type="application/json").json()["lightness"]

    def middle(bins):
        return sum(i * share for i, share in enumerate(bins)) / sum(bins)

    assert middle(tones(original=True)) > middle(tones()) + 15


def test_a_layer_is_shown_by_itself_and_what_has_none_as_it_is(client, portrait):
    settings = {"medium": -0.5, "medium_size": 0.01, "coarse_size": 0.03}
    edit(client, portrait, 0, insert(["touches"], {"id": "t", "kind": "detail", "settings": settings}))

    def view(**more):
        body = {"revision": 1, "keep": "t", "frame": frame(60, 75)} | more
        return client.post(f"/api/portraits/{portrait.pk}/view", body, "application/json")

    alone, plain = view(look="layer", layer="medium"), view()
    assert alone.content != plain.content
    for other in ({"show": "original"}, {"keep": None}, {"layer": "no such"}):
        assert view(**{"look": "layer", "layer": "medium"} | other).status_code == 200
