"""Repair over the wire: patches as they are painted, and what is found for them; nothing refused is lost."""

import numpy as np
import pytest
from django.db import connection

from retouch.render.mending import filling_for
from studio import viewing
from studio.api import repairing
from studio.seats import Seats
from tests.studio.talk import JSON, edit, insert
from tests.studio.test_painting import BRUSH, WAY, dab, rect, view
from tests.studio.test_painting import picture as seen


@pytest.fixture
def repaired(client, portrait):
    touch = {"id": "r", "kind": "repair", "settings": {"patches": []}}
    edit(client, portrait, 0, insert(["touches"], touch))
    return portrait


def mending(**more):
    return {"way": "clone", "source": [0.2, 0.25]} | more


def patch(points=WAY, **more):
    return mending(**more) | {"id": "p", "strokes": [BRUSH | {"points": points}]}


@pytest.mark.parametrize("way", ["clone", "heal", "smear", "paint"])
def test_a_patch_is_shown_dab_by_dab_as_it_will_be(client, repaired, way):
    shown = view(client, repaired)
    how = mending(way=way, colour="#20c040")
    for start, end in ((0, 1), (1, 6), (6, 12)):
        answer = dab(client, repaired, start, WAY[start:end], area=None, touch="r", patch=how)
        x, y, w, h = rect(answer)
        shown[y : y + h, x : x + w] = seen(answer)
    at_once = view(client, repaired, trial=[insert(["touches", "r", "settings", "patches"], patch(**how))])
    assert np.abs(shown - at_once).mean() < 1


def ask(client, portrait, what, **body):
    return client.post(f"/api/portraits/{portrait.pk}/{what}", {"revision": 1, "touch": "r"} | body, JSON)


def test_a_source_is_whole_pixels_and_one_that_was_refused_does_not_come_again(client, repaired):
    spot = patch([[0.4, 0.5, 1]], way="spot", source=None)
    first = ask(client, repaired, "sources", patch=spot).json()["source"]
    second = ask(client, repaired, "sources", patch=spot, avoid=[first]).json()["source"]
    assert first != second
    long_side = max(repaired.facts["width"], repaired.facts["height"])
    for offset in (first, second):
        pixels = np.array(offset) * long_side
        np.testing.assert_allclose(pixels, np.rint(pixels), atol=1e-6)
        assert np.hypot(*offset) > 0.05


def test_a_filling_fits_into_a_sheet_and_what_cannot_be_is_said(client, repaired):
    filling = ask(client, repaired, "fillings", patch=patch(way="fill", source=None)).json()
    kept = {"id": "f", "way": "fill", "filling": filling}
    edit(client, repaired, 1, insert(["touches", "r", "settings", "patches"], kept))
    for what, body, words in (
        ("fillings", {"touch": "gone"}, "no longer there"),
        ("fillings", {"area": "gone"}, "no longer there"),
        ("fillings", {"within": "gone"}, "no longer there"),
        ("sources", {"patch": patch(), "within": "gone"}, "no longer there"),
        ("fillings", {}, "nothing here to take away"),
        ("patch-outlines", {"area": "gone"}, "no longer there"),
        ("sources", {"patch": patch([[4.0, 4.0, 1]])}, "outside the picture"),
        ("sources", {"patch": patch(source=None), "near": True}, "no source yet"),
        ("sources", {"patch": patch() | {"strokes": []}}, "strokes"),
        ("sources", {"patch": kept}, "filled as a whole"),
    ):
        answer = ask(client, repaired, what, **({"revision": 2} | body))
        assert answer.status_code == 422
        assert words in answer.json()["detail"]


def test_an_area_is_handed_out_as_outlines_that_fit_into_a_patch(client, repaired):
    shape = {"path": "M0.2 0.2H0.5V0.5H0.2Z"}
    edit(client, repaired, 1, insert(["areas"], {"id": "a", "parts": [{"source": "outline", "shapes": [shape]}]}))
    strokes = ask(client, repaired, "patch-outlines", revision=2, area="a").json()["strokes"]
    healed = mending(way="heal", source=[0.1, 0.3]) | {"id": "p", "strokes": strokes}
    before = view(client, repaired, revision=2)
    assert edit(client, repaired, 2, insert(["touches", "r", "settings", "patches"], healed)).status_code == 200
    changed = np.abs(view(client, repaired, revision=3) - before).max(-1) > 8
    # It lies where the area does: between 0.2 and 0.5 of a long side.
    low, high = (round(share * max(changed.shape)) for share in (0.2, 0.5))
    assert changed[low:high, low:high].any()
    changed[low - 4 : high + 4, low - 4 : high + 4] = False
    assert not changed.any()


def test_a_catchlight_is_set_by_a_click_and_taken_out_by_another(client, portrait):
    edit(client, portrait, 0, insert(["touches"], {"id": "r", "kind": "catchlight", "settings": {"amount": 0.7}}))
    first = ask(client, portrait, "point", pick="eye", x=0.4, y=0.3).json()["settings"]
    assert [(e["x"], e["y"]) for e in first["eyes"]] == [(0.4, 0.3)]
    edit(client, portrait, 1, {"op": "put", "path": ["touches", "r", "settings", "eyes"], "value": first["eyes"]})
    two = ask(client, portrait, "point", revision=2, pick="eye", x=0.6, y=0.3).json()["settings"]["eyes"]
    assert len(two) == 2
    assert two[0]["radius"] == two[1]["radius"]
    assert ask(client, portrait, "point", revision=2, pick="eye", x=0.401, y=0.3).json()["settings"]["eyes"] == []


def test_how_far_a_filling_is_can_be_asked_and_it_can_be_let_go(client, repaired, monkeypatch):
    body = {"patch": patch(way="fill", source=None), "name": "f1"}
    path = f"/api/portraits/{repaired.pk}/fillings/f1"
    assert client.get(path).status_code == 404
    shares = []

    def asked_meanwhile(*given):
        *rest, tell = given

        def told(share):
            tell(share)
            shares.append(client.get(path).json()["share"])
            if share > 0.5:
                client.delete(path)
            # It is asked from a thread of its own, which would keep it.
            connection.close()

        return filling_for(*rest, told)

    monkeypatch.setattr(repairing, "filling_for", asked_meanwhile)
    answer = ask(client, repaired, "fillings", **body)
    assert (answer.status_code, "let go" in answer.json()["detail"]) == (410, True)
    assert len(shares) > 2
    assert shares == sorted(shares)
    assert 0.5 < shares[-1] < 1
    assert client.get(path).status_code == 404


def test_fillings_without_a_name_do_not_end_each_other(client, repaired, monkeypatch):
    body, statuses = {"patch": patch(way="fill", source=None)}, []

    def another_meanwhile(*given):
        *rest, tell = given
        monkeypatch.setattr(repairing, "filling_for", filling_for)
        monkeypatch.setattr(repairing, "patiently", lambda work: work())
        statuses.append(ask(client, repaired, "fillings", **body).status_code)
        connection.close()
        return filling_for(*rest, tell)

    monkeypatch.setattr(viewing, "SEATS", Seats(4))
    monkeypatch.setattr(repairing, "filling_for", another_meanwhile)
    statuses.append(ask(client, repaired, "fillings", **body).status_code)
    assert statuses == [200, 200]
