"""Dabs: a stroke is sent as it grows, and what it changed comes back."""

import io

import numpy as np
import pytest
from PIL import Image

from retouch.frame import Frame
from studio import sheets, strokes, viewing
from tests.studio.talk import JSON, edit, exposure, insert

FRAME = {"width": 240, "height": 300, "x": 0, "y": 0, "w": 240, "h": 300}
BRUSH = {"size": 0.1, "softness": 0.5, "flow": 1.0}
WAY = [[0.3 + 0.02 * n, 0.4, 1.0] for n in range(12)]


@pytest.fixture
def painted(client, portrait):
    area = {"id": "a", "name": "cheek", "parts": [{"id": "p", "source": "strokes", "strokes": []}]}
    edit(client, portrait, 0, insert(["areas"], area), insert(["touches"], exposure("t", 2.0, area="a")))
    return portrait


def dab(client, portrait, start, points, name="one", **more):
    body = {"revision": 1, "area": "a", "part": "p", "stroke": BRUSH | {"points": points}, "name": name}
    return client.post(f"/api/portraits/{portrait.pk}/dabs", body | {"start": start, "frame": FRAME} | more, JSON)


def picture(answer):
    return np.asarray(Image.open(io.BytesIO(answer.content)), np.float32)


def rect(answer):
    return [int(v) for v in answer["X-Rect"].split()]


def view(client, portrait, **more):
    body = {"revision": 1, "frame": FRAME} | more
    return picture(client.post(f"/api/portraits/{portrait.pk}/view", body, JSON))


def test_dabs_show_what_the_whole_stroke_will(client, painted):
    shown = view(client, painted)
    for start, end in ((0, 1), (1, 5), (5, 12)):
        answer = dab(client, painted, start, WAY[start:end])
        x, y, w, h = rect(answer)
        shown[y : y + h, x : x + w] = picture(answer)
    stroke = insert(["areas", "a", "parts", "p", "strokes"], BRUSH | {"points": WAY})
    at_once = view(client, painted, trial=[stroke])
    assert np.abs(at_once - view(client, painted)).max() > 20
    assert np.abs(shown - at_once).mean() < 1


def test_a_hand_that_takes_a_touch_on_a_view_that_was_there_finds_what_lies_below_it(client, painted, monkeypatch):
    monkeypatch.setattr(viewing, "BACKGROUND", lambda name, work: work() or True)
    edit(client, painted, 1, insert(["touches"], exposure("u", 0.5)) | {"index": 0})
    view(client, painted, revision=2)
    frame = Frame(*FRAME.values())

    def held():
        hand = viewing.renderer(painted, sheets.sheet_at(painted.pk, 2, []), keep="t")
        return [hand.cache.get(hand.stages.all[n].key, frame) is not None for n in hand.kept_stages]

    assert held() == [False]
    view(client, painted, revision=2, keep="t")
    assert held() == [True]


def test_only_what_changed_comes_back_and_nothing_where_nothing_did(client, painted):
    dab(client, painted, 0, WAY[:6])
    x, _, w, h = rect(dab(client, painted, 6, WAY[6:7]))
    # From the last point but one to the new one, and the brush round both: long sides are 300 pixels.
    assert x <= 0.40 * 300 - 15
    assert x + w >= 0.42 * 300 + 15
    assert w < 50
    assert h < 45
    assert dab(client, painted, 0, [[3.0, 3.0, 1.0]], name="beside").status_code == 204


def test_a_stroke_whose_beginning_was_forgotten_is_asked_for_again(client, painted):
    dab(client, painted, 0, WAY[:6])
    strokes.GROWING.clear()
    answer = dab(client, painted, 6, WAY[6:])
    assert answer.status_code == 412
    assert dab(client, painted, 0, WAY).status_code == 200
    # What is sent twice counts once.
    assert dab(client, painted, 6, WAY[6:]).status_code == 200
    assert strokes.GROWING.get((painted.pk, "one")).count == 12


def test_what_cannot_be_painted_is_said(client, painted):
    assert dab(client, painted, 0, WAY, part="gone", name="x").status_code == 422
    assert "no longer there" in dab(client, painted, 0, WAY, area="gone", name="x").json()["detail"]
    many = [[0.5, 0.5, 1.0]] * 20_000
    assert dab(client, painted, 0, many, name="long").status_code == 200
    assert "go on with another" in dab(client, painted, 20_000, many, name="long").json()["detail"]


def test_light_is_painted_with_a_touch_dab_by_dab_also_within_a_set_and_under_a_check(client, portrait):
    light = {"id": "t", "kind": "dodge-burn", "settings": {"strokes": []}}
    edit(client, portrait, 0, insert(["touches"], {"id": "s", "kind": "set", "touches": [light]}))
    brush = {"size": 0.1, "softness": 0.5, "flow": 0.5, "darker": False, "points": WAY}
    where = {"area": None, "part": 0, "touch": "t", "stroke": brush}
    for look in ("plain", "grey"):
        shown = view(client, portrait, look=look)
        answer = dab(client, portrait, 0, WAY, name=look, look=look, **where)
        x, y, w, h = rect(answer)
        shown[y : y + h, x : x + w] = picture(answer)
        stroke = insert(["touches", "s", "touches", "t", "settings", "strokes"], brush)
        at_once = view(client, portrait, look=look, trial=[stroke])
        assert np.abs(at_once - view(client, portrait, look=look)).max() > 10
        assert np.abs(shown - at_once).mean() < 1
    assert dab(client, portrait, 0, WAY, name="wrong", **where | {"touch": None, "area": "a"}).status_code == 422
    gone = dab(client, portrait, 0, WAY, name="other", **where | {"touch": "gone"})
    assert gone.status_code == 422
    assert "The stroke was not kept" in gone.json()["detail"]


def test_how_much_light_stands_under_the_pointer_is_told(client, portrait):
    stroke = {"size": 0.2, "flow": 0.1, "darker": True, "points": [[0.3, 0.5, 1], [0.5, 0.5, 1]]}
    touch = {"id": "t", "kind": "dodge-burn", "settings": {"strokes": [stroke]}}
    edit(client, portrait, 0, insert(["touches"], touch))
    body = {"revision": 1, "x": 0.4, "y": 0.5, "touch": "t"}
    told = client.post(f"/api/portraits/{portrait.pk}/numbers", body, JSON).json()
    assert told["ev"] == pytest.approx(-0.1, abs=0.001)
    assert client.post(f"/api/portraits/{portrait.pk}/numbers", body | {"touch": None}, JSON).json()["ev"] is None
