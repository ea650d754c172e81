"""Edits: rows, undo and redo over restarts, stale revisions, and what is refused."""

from concurrent.futures import ThreadPoolExecutor

import pytest
from django.db import connection

from studio import sheets
from studio.models import Edit
from tests.studio.talk import edit, exposure, insert, move, put, sheet


def test_an_edit_is_a_row_with_its_change_its_inverse_and_its_words(client, portrait):
    answer = edit(client, portrait, 0, insert(["touches"], exposure()), words="Brighten the whole picture")
    assert answer.status_code == 200
    assert answer.json()["revision"] == 1
    row = Edit.objects.get()
    assert (row.revision, row.words, row.parent) == (1, "Brighten the whole picture", None)
    assert row.operations[0]["op"] == "insert"
    assert row.inverse == [{"op": "remove", "path": ["touches", "t1"]}]
    assert sheet(client, portrait)["document"]["touches"][0]["settings"] == {"ev": 1.0}


def test_undo_and_redo_go_all_the_way_and_survive_everything(client, portrait):
    documents = [sheet(client, portrait)["document"]]
    changes = [
        insert(["touches"], exposure()),
        put(["touches", "t1", "settings", "ev"], 0.25),
        insert(["areas"], {"id": "a1", "parts": [{"id": "p1", "source": "strokes", "strokes": []}]}),
        insert(["areas", "a1", "parts", "p1", "strokes"], {"size": 0.1, "points": [[0.5, 0.5, 1]]}),
        put(["touches", "t1", "area"], "a1"),
        {"op": "remove", "path": ["touches", "t1"]},
    ]
    for revision, change in enumerate(changes):
        assert edit(client, portrait, revision, change, words=f"step {revision}").status_code == 200
        documents.append(sheet(client, portrait)["document"])
    revision = len(changes)
    # A restarted server remembers nothing but its database.
    sheets.forget()
    for n in reversed(range(len(changes))):
        assert sheet(client, portrait)["undo"] == f"step {n}"
        revision = move(client, portrait, "undo", revision).json()["revision"]
        assert sheet(client, portrait)["document"] == documents[n]
    assert move(client, portrait, "undo", revision).json()["detail"] == "There is nothing to undo."
    for n in range(len(changes)):
        assert sheet(client, portrait)["redo"] == f"step {n}"
        revision = move(client, portrait, "redo", revision).json()["revision"]
        assert sheet(client, portrait)["document"] == documents[n + 1]
    assert move(client, portrait, "redo", revision).json()["detail"] == "There is nothing to redo."
    assert Edit.objects.count() == len(changes)


def test_a_change_on_an_older_point_starts_a_branch_and_keeps_the_old_one(client, portrait):
    edit(client, portrait, 0, insert(["touches"], exposure("t1")), words="first")
    edit(client, portrait, 1, insert(["touches"], exposure("t2")), words="second")
    move(client, portrait, "undo", 2)
    edit(client, portrait, 3, insert(["touches"], exposure("t3")), words="third")
    now = sheet(client, portrait)
    assert [t["id"] for t in now["document"]["touches"]] == ["t1", "t3"]
    assert (now["undo"], now["redo"]) == ("third", None)
    history = client.get(f"/api/portraits/{portrait.pk}/history").json()
    assert [e["words"] for e in history["edits"]] == ["first", "second", "third"]
    first = Edit.objects.get(words="first")
    assert set(first.children.values_list("words", flat=True)) == {"second", "third"}


def test_a_stale_revision_is_told_and_changes_nothing(client, portrait):
    edit(client, portrait, 0, insert(["touches"], exposure("t1")))
    for answer in (
        edit(client, portrait, 0, insert(["touches"], exposure("t2"))),
        move(client, portrait, "undo", 0),
        move(client, portrait, "redo", 0),
    ):
        assert answer.status_code == 409
        assert answer.json()["revision"] == 1
    assert [t["id"] for t in sheet(client, portrait)["document"]["touches"]] == ["t1"]


def test_two_windows_at_once_never_both_win(client, portrait):
    def write(name):
        try:
            return edit(client, portrait, 0, insert(["touches"], exposure(name))).status_code
        finally:
            connection.close()

    with ThreadPoolExecutor(6) as pool:
        answers = sorted(pool.map(write, [f"t{i}" for i in range(6)]))
    assert answers == [200, 409, 409, 409, 409, 409]
    assert len(sheet(client, portrait)["document"]["touches"]) == 1


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (put(["touches", "gone", "on"], False), "no longer there"),
        (insert(["touches"], {"id": "t1", "kind": "exposure", "settings": {"ev": 99}}), "less than or equal to 6"),
        (insert(["touches"], {"id": "t1", "kind": "exposure", "area": "a7"}), "area that is not there"),
        (insert(["areas"], {"id": "a1", "parts": [{"source": "area", "area": "a1"}]}), "circle"),
        (put(["format"], "other"), "format"),
        ({"op": "explode", "path": ["touches"]}, "explode"),
    ],
)
def test_a_change_that_cannot_be_made_is_said_and_nothing_is_kept(client, portrait, change, words):
    answer = edit(client, portrait, 0, change)
    assert answer.status_code == 422
    assert words in answer.json()["detail"]
    assert sheet(client, portrait)["revision"] == 0
    assert not Edit.objects.exists()


def test_a_touch_of_a_newer_program_lives_through_edits(client, portrait):
    newer = {"id": "n1", "kind": "moonlight", "settings": {"glow": 3}, "on": True}
    edit(client, portrait, 0, insert(["touches"], newer))
    edit(client, portrait, 1, insert(["touches"], exposure()))
    kept = sheet(client, portrait)["document"]["touches"][0]
    assert kept["settings"] == {"glow": 3}


def test_the_catalogue_tells_what_a_control_needs(client):
    for kind in client.get("/api/catalogue").json()["kinds"]:
        assert kind["starts"], kind["kind"]
        named = {s["name"] for s in kind["settings"]}
        assert all(set(start["settings"]) <= named for start in kind["starts"]), kind["kind"]
        for one in (*kind["settings"], *(f for s in kind["settings"] for f in s["fields"])):
            if isinstance(one["neutral"], float | int) and None not in (one["low"], one["high"], one["step"]):
                # A slider has two ends, its neutral place between them, and a step that is not the whole of it.
                assert one["low"] <= one["neutral"] <= one["high"], one["name"]
                assert 0 < one["step"] < (one["high"] - one["low"]) * one["scale"], one["name"]
            if one["control"] == "choice":
                assert one["neutral"] in one["choices"], one["name"]


def test_ready_sentences_say_what_they_leave_to_the_model(client):
    kinds = {k["kind"]: k for k in client.get("/api/catalogue").json()["kinds"]}
    calm = next(s for s in kinds["colour-bands"]["starts"] if s["title"] == "Calm red skin")
    assert all(band["soft"] > 0 and band["width"] > 0 for band in calm["settings"]["bands"])


def test_every_source_of_the_catalogue_can_be_put_into_an_area_as_it_begins(client, portrait):
    sources = client.get("/api/catalogue").json()["sources"]
    assert sources
    for number, source in enumerate(sources):
        parts = [{"source": source["source"], **start["settings"]} for start in source["starts"]]
        parts = [p for p in parts if not p.get("area")] or [{"source": source["source"]}]
        for part in parts if source["source"] not in ("area", "file") else ():
            area = {"id": f"a{number}", "parts": [part]}
            answer = edit(client, portrait, sheet(client, portrait)["revision"], put(["areas"], [area]))
            assert answer.status_code == 200, (source["source"], answer.content)
