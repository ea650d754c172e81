"""Presets are kept, handed on and laid; carrying them over is one job that loses nothing and does nothing twice."""

import json

import cv2
import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from studio import carrying, viewing
from studio.models import CarriedTo, CarryOver, Edit, Portrait, Preset
from tests.pictures import bytes_of
from tests.studio.talk import JSON, content, edit, exposure, insert, sheet, upload, work

POOL = {"id": "a", "name": "the face", "parts": [{"id": "p", "source": "pool", "centre": [0.5, 0.5]}]}


@pytest.fixture
def preset(client, portrait) -> int:
    """Two touches saved: one on an area that was placed by hand, one everywhere."""
    edit(client, portrait, 0, insert(["areas"], POOL), insert(["touches"], exposure("t", 0.5, area="a")),
         insert(["touches"], exposure("u", 0.2)))  # fmt: skip
    body = {"revision": 1, "touches": ["t", "u"], "name": "Evening", "notes": "for lamps"}
    answer = client.post(f"/api/portraits/{portrait.pk}/saved", body, JSON)
    assert answer.status_code == 201
    return answer.json()["id"]


@pytest.fixture
def others(client, sitting, portrait) -> list[Portrait]:
    """Three more portraits of the sitting, prepared."""
    for name in ("Alto 1.jpg", "Alto 2.jpg", "Bass 1.jpg"):
        upload(client, sitting, name, bytes_of("JPEG", 400, 500))
    work()
    return list(Portrait.objects.exclude(pk=portrait.pk).order_by("name"))


def carry(client, sitting, preset, to):
    body = {"preset": preset, "to": [str(p.pk) for p in to]}
    return client.post(f"/api/sittings/{sitting.pk}/carry-overs", body, JSON)


def page(client, over):
    return client.get(f"/api/carry-overs/{over['id']}").json()


def judge(client, one, verdict):
    return client.post(f"/api/carried/{one['id']}/verdict", {"verdict": verdict}, JSON)


def mean_of(answer):
    return cv2.imdecode(np.frombuffer(content(answer), np.uint8), 1).mean()


def test_a_preset_is_kept_with_its_pictures_and_goes_out_and_in_as_a_file(client, preset):
    [listed] = client.get("/api/presets").json()
    assert (listed["name"], listed["notes"], listed["pictured"]) == ("Evening", "for lamps", True)
    before, after = (mean_of(client.get(f"/api/presets/{preset}/{which}")) for which in ("before", "after"))
    assert after > before + 5
    client.patch(f"/api/presets/{preset}", {"name": "Late evening", "notes": ""}, JSON)
    file = client.get(f"/api/presets/{preset}/file")
    assert json.loads(file.content)["name"] == "Late evening"
    assert client.delete(f"/api/presets/{preset}").status_code == 204
    brought = client.post("/api/presets", {"file": SimpleUploadedFile("x.json", file.content)}).json()
    assert (brought["name"], brought["pictured"]) == ("Late evening", False)
    assert client.get(f"/api/presets/{brought['id']}/after").status_code == 404
    bad = client.post("/api/presets", {"file": SimpleUploadedFile("x.json", b"{}")})
    assert bad.status_code == 422
    assert "not a Needlepoint preset" in bad.json()["detail"]
    assert Preset.objects.count() == 1


def test_a_preset_is_made_for_a_portrait_and_says_what_needs_a_look(client, preset, others):
    made = client.post(f"/api/portraits/{others[0].pk}/presets", {"preset": preset}, JSON).json()
    assert (made["needs_look"], made["lacking"]) == (["the face"], [])
    assert sheet(client, others[0])["revision"] == 0
    edit(client, others[0], 0, *made["operations"])
    [laid] = sheet(client, others[0])["document"]["touches"]
    assert (laid["name"], [t["settings"]["ev"] for t in laid["touches"]]) == ("Evening", [0.5, 0.2])


def test_it_is_carried_over_with_one_edit_each_and_pictures_to_judge_by(client, sitting, preset, others):
    over = carry(client, sitting, preset, others).json()
    assert (over["count"], over["done"]) == (3, 0)
    work()
    now = page(client, over)
    assert (now["done"], now["failed"]) == (3, 0)
    assert [p["name"] for p in now["portraits"]] == ["Alto 1", "Alto 2", "Bass 1"]
    assert all(p["by_hand"] == ["the face"] for p in now["portraits"])
    assert list(Edit.objects.filter(portrait__in=others).values_list("revision", flat=True)) == [1, 1, 1]
    one = now["portraits"][0]
    before, after = (mean_of(client.get(f"/api/carried/{one['id']}/{which}")) for which in ("before", "after"))
    assert after > before + 5
    # The sitting's cards show it as well.
    card = client.get(f"/api/sittings/{sitting.pk}/cards").json()["portraits"][1]
    assert (card["shown"], card["steps"]) == (1, 2)
    old, new = (mean_of(client.get(f"/api/portraits/{card['id']}/{which}")) for which in ("thumbnail", "retouched"))
    assert new > old + 5


def test_whatever_is_killed_it_is_laid_once(client, sitting, preset, others, monkeypatch):
    over = carry(client, sitting, preset, others[:1]).json()
    row = CarriedTo.objects.get()
    # Before the edit is committed: nothing was done.
    monkeypatch.setattr(carrying.sheets, "lay_preset", lambda *_: (_ for _ in ()).throw(KeyboardInterrupt))
    with pytest.raises(KeyboardInterrupt):
        carrying.carry(row.pk)
    monkeypatch.undo()
    assert CarriedTo.objects.get().state == "waiting"
    # After it, before the pictures: it goes on from there.
    monkeypatch.setattr(viewing, "picture_of", lambda *_: (_ for _ in ()).throw(KeyboardInterrupt))
    with pytest.raises(KeyboardInterrupt):
        carrying.carry(row.pk)
    monkeypatch.undo()
    assert CarriedTo.objects.get().state == "laid"
    carrying.carry(row.pk)
    carrying.carry(row.pk)
    assert page(client, over)["portraits"][0]["state"] == "done"
    assert Edit.objects.filter(portrait=others[0]).count() == 1


def test_it_pauses_goes_on_and_ends(client, sitting, preset, others):
    over = carry(client, sitting, preset, others).json()
    steer = lambda state: client.patch(f"/api/carry-overs/{over['id']}", {"state": state}, JSON)  # noqa: E731
    steer("paused")
    work()
    assert page(client, over)["done"] == 0
    steer("going")
    carrying.carry(CarriedTo.objects.first().pk)
    steer("cancelled")
    work()
    now = page(client, over)
    assert (now["state"], now["done"]) == ("cancelled", 1)
    assert Edit.objects.filter(portrait__in=others).count() == 1


def test_what_is_taken_back_is_undone_there_whatever_was_done_since(client, sitting, preset, others):
    over = carry(client, sitting, preset, others[:2]).json()
    work()
    one, two = page(client, over)["portraits"]
    assert judge(client, one, "fits").json()["verdict"] == "fits"
    assert judge(client, one, "undone").status_code == 200
    assert sheet(client, others[0])["document"]["touches"] == []
    assert judge(client, one, "fits").status_code == 422
    # With work of one's own after it: that stays, and an area that it uses by now.
    area = sheet(client, others[1])["document"]["areas"][0]["id"]
    edit(client, others[1], 1, insert(["touches"], exposure("mine", 0.1, area=area)))
    judge(client, two, "undone")
    there = sheet(client, others[1])["document"]
    assert [t["id"] for t in there["touches"]] == ["mine"]
    assert [a["id"] for a in there["areas"]] == [area]
    assert CarryOver.objects.get().portraits.filter(verdict="undone").count() == 2


def test_one_that_fails_says_why_and_the_others_go_on(client, sitting, preset, others, portrait):
    Portrait.objects.filter(pk=others[0].pk).update(state="failed")
    over = carry(client, sitting, preset, others[:2]).json()
    work()
    bad, good = page(client, over)["portraits"]
    assert (bad["state"], good["state"]) == ("failed", "done")
    assert "not prepared" in bad["problem"]
    assert judge(client, bad, "undone").status_code == 422
    # Touches of a portrait go straight to others as well; not those that are gone, nor to none.
    body = {"portrait": str(portrait.pk), "revision": 1, "touches": ["u"], "to": [str(others[2].pk)]}
    assert client.post(f"/api/sittings/{sitting.pk}/carry-overs", body, JSON).status_code == 201
    work()
    assert sheet(client, others[2])["undo"] == "preset: touches of Tenor 1"
    gone = client.post(f"/api/sittings/{sitting.pk}/carry-overs", body | {"touches": ["gone"]}, JSON)
    assert gone.status_code == 422
