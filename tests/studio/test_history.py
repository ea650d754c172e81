"""Any point of a long history again, marks, takes, and looking at what stood there."""

import json
from importlib import import_module

import pytest
from django.apps import apps
from django.db import connection
from django.test.utils import CaptureQueriesContext

from studio import sheets
from studio.models import Edit, Portrait
from studio.recent import Recent
from tests.studio.talk import JSON, edit, exposure, insert, move, put, sheet


def ask(client, portrait, path, method="post", **body):
    return getattr(client, method)(f"/api/portraits/{portrait.pk}/{path}", json.dumps(body), JSON)


def history(client, portrait):
    return client.get(f"/api/portraits/{portrait.pk}/history").json()


def ev(client, portrait):
    return sheet(client, portrait)["document"]["touches"][0]["settings"]["ev"]


@pytest.fixture
def hundred(client, portrait):
    """A sheet of a hundred edits; edit n sets the exposure to n / 100."""
    edit(client, portrait, 0, insert(["touches"], exposure("t", 0.01)), words="edit 1")
    for n in range(2, 101):
        edit(client, portrait, n - 1, put(["touches", "t", "settings", "ev"], n / 100), words=f"edit {n}")
    return list(Edit.objects.values_list("id", flat=True))


def test_back_to_any_point_forward_again_and_a_branch_that_loses_nothing(client, portrait, hundred):
    assert ask(client, portrait, "go", revision=100, edit=hundred[24]).status_code == 200
    assert ev(client, portrait) == 0.25
    now = sheet(client, portrait)
    assert (now["undo"], now["redo"]) == ("edit 25", "edit 26")
    ask(client, portrait, "go", revision=101, edit=hundred[99])
    assert ev(client, portrait) == 1.0
    ask(client, portrait, "go", revision=102, edit=hundred[49])
    edit(client, portrait, 103, put(["touches", "t", "settings", "ev"], -1), words="another way")
    told = history(client, portrait)
    parents = {e["words"]: e["parent"] for e in told["edits"]}
    assert parents["another way"] == parents["edit 51"] == hundred[49]
    assert told["edits"][-1]["id"] == told["head"]
    for at, wanted in ((hundred[99], 1.0), (told["head"], -1), (hundred[0], 0.01)):
        ask(client, portrait, "go", revision=sheet(client, portrait)["revision"], edit=at)
        assert ev(client, portrait) == wanted
    ask(client, portrait, "go", revision=sheet(client, portrait)["revision"])
    assert sheet(client, portrait)["document"]["touches"] == []


def test_every_point_stands_as_it_did_then(client, portrait, hundred):
    for n in (1, 19, 20, 21, 40, 59, 99):
        sheets.forget()
        document = sheets.document_after(portrait.pk, hundred[n - 1]).json
        assert document["touches"][0]["settings"]["ev"] == n / 100


def test_a_jump_reads_a_few_edits_however_long_the_history(client, portrait, hundred):
    for at in (hundred[98], hundred[39], hundred[18]):
        sheets.forget()
        with CaptureQueriesContext(connection) as seen:
            sheets.document_after(portrait.pk, at)
        assert len(seen) <= 3


def test_a_stale_or_missing_point_changes_nothing(client, portrait, hundred):
    assert ask(client, portrait, "go", revision=7, edit=hundred[3]).status_code == 409
    answer = ask(client, portrait, "go", revision=100, edit=10**9)
    assert answer.status_code == 422
    assert answer.json()["detail"] == "This point of the history is not there."
    assert sheet(client, portrait)["revision"] == 100


def test_undo_goes_on_from_where_one_went(client, portrait, hundred):
    ask(client, portrait, "go", revision=100, edit=hundred[49])
    move(client, portrait, "undo", 101)
    assert ev(client, portrait) == 0.49
    move(client, portrait, "redo", 102)
    move(client, portrait, "redo", 103)
    assert ev(client, portrait) == 0.51


def test_marks_name_points(client, portrait, hundred):
    made = ask(client, portrait, "marks", edit=hundred[9], name="before the eyes").json()
    ask(client, portrait, "marks", name="the start")
    assert [(m["edit"], m["name"]) for m in history(client, portrait)["marks"]] == [
        (hundred[9], "before the eyes"), (None, "the start")]  # fmt: skip
    assert ask(client, portrait, "marks", edit=10**9, name="x").status_code == 422
    assert client.delete(f"/api/portraits/{portrait.pk}/marks/{made['id']}").status_code == 204
    assert len(history(client, portrait)["marks"]) == 1


def test_takes_stand_each_where_they_were_left(client, portrait):
    edit(client, portrait, 0, insert(["touches"], exposure("t", 0.1)))
    second = ask(client, portrait, "takes", revision=1, name="brighter").json()
    edit(client, portrait, 1, put(["touches", "t", "settings", "ev"], 0.9))
    told = history(client, portrait)
    assert [t["name"] for t in told["takes"]] == ["first take", "brighter"]
    assert told["take"] == second["id"]
    first = told["takes"][0]["id"]
    ask(client, portrait, f"takes/{first}/open", revision=2)
    assert ev(client, portrait) == 0.1
    edit(client, portrait, 3, put(["touches", "t", "settings", "ev"], 0.2))
    ask(client, portrait, f"takes/{second['id']}/open", revision=4)
    assert ev(client, portrait) == 0.9
    assert ask(client, portrait, f"takes/{first}/open", revision=0).status_code == 409
    ask(client, portrait, f"takes/{first}/open", revision=5)
    assert ev(client, portrait) == 0.2
    renamed = ask(client, portrait, f"takes/{first}", "patch", name="quiet").json()
    assert renamed["name"] == "quiet"
    refused = client.delete(f"/api/portraits/{portrait.pk}/takes/{first}")
    assert "is open" in refused.json()["detail"]
    assert client.delete(f"/api/portraits/{portrait.pk}/takes/{second['id']}").status_code == 204
    assert Edit.objects.count() == 3
    assert Portrait.objects.get().take_id == first


def test_a_view_of_another_point_and_the_same_view_again(client, portrait):
    edit(client, portrait, 0, insert(["touches"], exposure("t", 0)))
    edit(client, portrait, 1, put(["touches", "t", "settings", "ev"], 2))
    frame = {"width": 300, "height": 375, "x": 0, "y": 0, "w": 300, "h": 375}

    def view(**more):
        return ask(client, portrait, "view", revision=2, frame=frame, **more).content

    first, now = list(Edit.objects.values_list("id", flat=True))
    assert view(at=first) == view(show="original")
    assert view(at=now) == view()
    assert view(at=first) != view()
    assert ask(client, portrait, "view", revision=2, frame=frame, at=10**9).status_code == 422


def test_views_are_kept_by_what_went_into_them_and_the_oldest_dropped():
    shown, made = Recent(25, len), []

    def get(key):
        return shown.made(key, lambda: made.append(key) or key.encode() * 10)

    assert get("a") == b"a" * 10
    assert get("b") == get("b")
    assert get("a") == b"a" * 10
    get("c")
    get("a")
    get("b")
    assert made == ["a", "b", "c", "b"]


def test_what_was_done_with_bands_of_the_first_version_can_be_undone(client, portrait):
    edit(client, portrait, 0, insert(["touches"], {"id": "t", "kind": "colour-bands", "settings": {"bands": []}}))
    band = {"centre": 30, "width": 40, "soft": 20}
    for number, by in enumerate((0.2, 0.5), 1):
        bands = [band | {"lean": 29.2, "lean_by": by}]
        edit(client, portrait, number, put(["touches", "t", "settings", "bands"], bands))
    # As the first version had kept them.
    for row in Edit.objects.all():
        for name in ("operations", "inverse", "document"):
            text = json.dumps(getattr(row, name)).replace('"lean_by"', '"red"').replace('"lean": 29.2, ', "")
            setattr(row, name, json.loads(text))
        row.save()
    import_module("studio.migrations.0006_bands_lean").lean(apps, None)
    sheets.DOCUMENTS.clear()
    sheets.AT_REVISION.clear()
    assert move(client, portrait, "undo", 3).status_code == 200
    kept = sheet(client, portrait)["document"]["touches"][0]["settings"]["bands"][0]
    assert (kept["lean"], kept["lean_by"]) == (29.2, 0.2)
