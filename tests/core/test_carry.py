"""Touches carried to another portrait's sheet."""

from itertools import count

import pytest

from retouch.sheet import Document, Sheet, read_sheet
from retouch.sheet.carry import carried
from retouch.types import PictureError


def sheet(areas, touches):
    raw = {"format": "needlepoint-sheet", "version": 1, "areas": areas, "touches": touches}
    return read_sheet(raw).model_dump(mode="json")


def exposure(name, area=None, ev=1.0):
    return {"id": name, "kind": "exposure", "settings": {"ev": ev}, "area": area}


STROKE = {"size": 0.1, "points": [[0.1, 0.1, 1]]}
SOURCE = sheet(
    [
        {"id": "teeth", "name": "the teeth", "parts": [{"id": "p", "source": "face-part", "part": "teeth"}]},
        {"id": "cheek", "name": "cheek", "parts": [{"id": "p", "source": "strokes", "strokes": [STROKE]}]},
        {"id": "both", "name": "both", "parts": [{"source": "area", "area": a} for a in ("teeth", "cheek")]},
    ],
    [
        exposure("one", "teeth"),
        exposure("two"),
        {"id": "set", "kind": "set", "area": "cheek", "touches": [exposure("in", "both")]},
    ],
)


def brought(touches, into):
    fresh = count(1)
    laid = carried(SOURCE, touches, into, lambda letter: f"{letter}{next(fresh)}")
    return Document.read(into).changed(laid.operations)[0].json, laid.by_hand


def test_touches_bring_their_areas_and_leave_what_is_there():
    into = sheet([{"id": "a", "name": "the teeth", "parts": []}], [exposure("mine", "a")])
    after, by_hand = brought(["one"], into)
    assert after["touches"][0]["id"] == "mine"
    assert after["areas"][0] == into["areas"][0]
    assert [a["name"] for a in after["areas"]] == ["the teeth", "the teeth 2"]
    assert after["touches"][1]["area"] == after["areas"][1]["id"]
    assert after["touches"][1]["settings"] == SOURCE["touches"][0]["settings"]
    assert by_hand == []
    assert not after["areas"][1]["needs_look"]


def test_a_set_brings_what_it_holds_and_areas_made_from_areas():
    after, by_hand = brought(["in", "set"], Sheet().model_dump(mode="json"))
    [kept] = after["touches"]
    assert kept["kind"] == "set"
    by_name = {a["name"]: a for a in after["areas"]}
    assert set(by_name) == {"the teeth", "cheek", "both"}
    assert [p["area"] for p in by_name["both"]["parts"]] == [by_name["the teeth"]["id"], by_name["cheek"]["id"]]
    assert by_hand == ["cheek"]
    assert by_name["cheek"]["needs_look"]
    assert not by_name["both"]["needs_look"]


def test_they_keep_their_order_and_can_be_carried_twice():
    once, _ = brought(["two", "one"], Sheet().model_dump(mode="json"))
    assert [t["area"] is None for t in once["touches"]] == [False, True]
    later = count(100)
    again = carried(SOURCE, ["one"], once, lambda letter: f"{letter}{next(later)}")
    assert len(Document.read(once).changed(again.operations)[0].json["touches"]) == 3


def test_what_is_gone_is_told():
    with pytest.raises(PictureError, match="no longer there"):
        brought(["gone"], Sheet().model_dump(mode="json"))


def test_what_was_placed_by_hand_in_a_touch_is_marked_there():
    strokes = {"id": "r", "kind": "dodge-burn", "settings": {"strokes": [STROKE]}}
    bare = {"id": "n", "kind": "dodge-burn", "settings": {}}
    source, fresh = sheet([], [strokes, bare, exposure("e")]), count(1)
    laid = carried(source, ["r", "n", "e"], sheet([], []), lambda letter: f"{letter}{next(fresh)}")
    assert laid.by_hand == ["Dodge and burn"]
    assert [operation.item["needs_look"] for operation in laid.operations] == [True, False, False]
