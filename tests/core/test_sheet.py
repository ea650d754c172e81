"""The document: what it keeps, what it refuses and in which words, and that every edit can be undone."""

import copy
import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from retouch.frame import Frame
from retouch.render.plan import Renderer
from retouch.sheet import Document, read_sheet
from retouch.sheet.changes import Insert, Move, Put, Remove
from retouch.sheet.model import UnknownPart, UnknownTouch
from retouch.types import PictureError
from tests.pictures import Held, grainy


def document(**more):
    return {
        "format": "needlepoint-sheet",
        "version": 1,
        "areas": [
            {"id": "a1", "name": "Shadow side", "feather": 0.004, "parts": [
                {"id": "p1", "source": "strokes", "strokes": [{"size": 0.08, "points": [[0.4, 0.3, 0.8]]}]},
                {"source": "area", "join": "take", "area": "a2"}]},
            {"id": "a2", "name": "Eyes", "parts": [{"source": "whole"}]},
        ],
        "touches": [
            {"id": "t1", "kind": "exposure", "settings": {"ev": 0.65}, "area": "a1"},
            {"id": "s1", "kind": "set", "name": "Teeth", "strength": 0.6, "touches": [
                {"id": "t2", "kind": "curve", "blend": "soft-light"}]},
        ],
        **more,
    }  # fmt: skip


def test_a_sheet_comes_back_as_it_was():
    sheet = read_sheet(document())
    assert read_sheet(sheet.model_dump_json()) == sheet
    assert [s.id for s in sheet.steps()] == ["t1", "s1", "t2"]
    assert sheet.touches[0].settings.ev == 0.65


def test_what_a_newer_program_wrote_is_kept_to_the_letter():
    raw = document()
    raw["touches"].append({"id": "n1", "kind": "moonlight", "settings": {"glow": [1, 2]}, "on": True})
    raw["areas"][1]["parts"].append({"source": "scent", "reach": 3})
    sheet = read_sheet(raw)
    assert isinstance(sheet.touches[2], UnknownTouch)
    assert isinstance(sheet.areas[1].parts[1], UnknownPart)
    back = json.loads(sheet.model_dump_json())
    assert back["touches"][2]["settings"] == {"glow": [1, 2]}
    assert back["areas"][1]["parts"][1]["reach"] == 3


def change(raw, path, value):
    node = raw
    for step in path[:-1]:
        node = node[step]
    node[path[-1]] = value
    return raw


@pytest.mark.parametrize(
    ("path", "value", "words"),
    [
        (("touches", 0, "area"), "a9", "not there"),
        (("areas", 0, "parts", 1, "area"), "a9", "“Shadow side” uses an area that is not there"),
        (("areas", 1, "parts"), [{"source": "area", "area": "a1"}], "circle: “Shadow side” → “Eyes” → “Shadow side”"),
        (("areas", 1, "parts"), [{"source": "area", "area": "a2"}], "circle: “Eyes” → “Eyes”"),
        (("areas", 1, "id"), "a1", "used twice"),
        (("touches", 1, "touches", 0, "id"), "t1", "used twice"),
        (("touches", 0, "settings", "ev"), float("nan"), "ev"),
        (("touches", 0, "settings", "ev"), 60, "less than or equal to 6"),
        (("touches", 0, "strength"), 1.5, "strength"),
        (("touches", 0, "limit"), {"ramp": [0.5, 0.2, 0.8, 1]}, "must not fall"),
        (("touches", 0, "stregth"), 1, "stregth"),
        (("areas", 0, "parts", 0, "strokes", 0, "points"), [], "points"),
        (("areas", 0, "id"), "../../etc", "id"),
        (("areas", 0, "parts", 0, "source"), {"of": "strokes"}, "source"),
        (("touches", 0, "kind"), ["exposure"], "kind"),
        (("version",), 99, "newer Needlepoint"),
        (("version",), "1", "which version"),
        (("format",), "something-else", "not a Needlepoint sheet"),
    ],
)
def test_what_cannot_be_used_is_refused_in_one_sentence(path, value, words):
    with pytest.raises(PictureError, match=words) as caught:
        read_sheet(change(document(), path, value))
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize("text", ["", "{", "[" * 100_000, "[]", "null", '"needlepoint-sheet"'])
def test_what_is_no_sheet_at_all_is_refused_in_one_sentence(text):
    with pytest.raises(PictureError):
        read_sheet(text)


def test_sets_may_not_stand_too_deep():
    step = {"id": "x0", "kind": "exposure"}
    for n in range(1, 6):
        step = {"id": f"x{n}", "kind": "set", "touches": [step]}
    with pytest.raises(PictureError, match="more than 4 deep"):
        read_sheet(document(touches=[step]))


def plain():
    return read_sheet(document()).model_dump(mode="json")


def test_a_change_leaves_the_old_sheet_untouched():
    before = Document.read(plain())
    kept = copy.deepcopy(before.json)
    before.changed(
        [Put(path=["touches", "s1", "touches", "t2", "strength"], value=0.1), Remove(path=["touches", "t1"])]
    )
    assert before.json == kept


def test_a_change_that_leads_nowhere_or_breaks_the_sheet_is_refused():
    with pytest.raises(PictureError, match="touch that this change was meant for is no longer there"):
        Document.read(plain()).changed([Put(path=["touches", "gone", "on"], value=False)])
    with pytest.raises(PictureError, match="area that this change was meant for"):
        Document.read(plain()).changed([Insert(path=["areas", "gone", "parts"], item={"source": "whole"})])
    with pytest.raises(PictureError, match="not there"):
        Document.read(plain()).changed([Remove(path=["areas", "a1"])])


STROKE = {"size": 0.1, "points": [[0.5, 0.5, 1.0]]}
PLACES = [["touches"], ["touches", "s1", "touches"]]


@st.composite
def operations(draw, number):
    """An edit that a person could make: on one of the sheet's own areas and touches, or on what was added before."""
    kind = draw(st.integers(0, 8))
    unit = st.floats(0, 1, width=16)
    if kind == 0:
        touch = {"id": f"n{number}", "kind": "exposure", "settings": {"ev": draw(st.floats(-2, 2, width=16))}}
        return [Insert(path=draw(st.sampled_from(PLACES)), item=touch, index=draw(st.integers(0, 3)))]
    if kind == 1:
        return [Put(path=["touches", "t1", "settings", "ev"], value=draw(st.floats(-2, 2, width=16)))]
    if kind == 2:
        return [Insert(path=["areas", "a1", "parts", "p1", "strokes"], item=STROKE)]
    if kind == 3:
        return [Move(path=["touches", "t1"], into=["touches"], index=draw(st.integers(0, 4)))]
    if kind == 4:
        return [
            Put(path=["areas", "a1", "feather"], value=draw(unit) / 4),
            Put(path=["areas", "a2", "invert"], value=True),
        ]
    if kind == 5:
        return [
            Put(path=["touches", "s1", "touches", "t2", "limit"], value={"ramp": sorted(draw(unit) for _ in "abcd")})
        ]
    if kind == 6:
        area = {"id": f"b{number}", "parts": [{"source": "area", "area": "a1"}]}
        return [Insert(path=["areas"], item=area), Put(path=["touches", "t1", "area"], value=f"b{number}")]
    if kind == 7:
        return [Remove(path=["areas", "a1", "parts", draw(st.integers(1, 2))])]
    return [Move(path=["touches", "s1", "touches", "t2"], into=["touches"], index=0)]


@settings(max_examples=60)
@given(st.data())
def test_undoing_every_edit_gives_every_earlier_sheet_back(data):
    states, inverses = [Document.read(plain())], []
    for number in range(8):
        edit = data.draw(operations(number))
        try:
            after, inverse = states[-1].changed(edit)
        except PictureError:
            continue
        states.append(after)
        inverses.append(inverse)
    now = states[-1]
    for earlier, inverse in zip(reversed(states[:-1]), reversed(inverses), strict=True):
        now, again = now.changed(inverse)
        assert now.json == earlier.json == earlier.sheet.model_dump(mode="json")
        assert again


@pytest.mark.parametrize(
    ("path", "value", "words"),
    [(["version"], 99, "version"), (["areas", "a1", "feather"], 5e-324, "shorter than any pixel"),
     (["areas", "a1", "grow"], -1e-9, "shorter than any pixel")],
)  # fmt: skip
def test_what_no_view_survives_is_refused_and_a_sheet_that_holds_it_opens(path, value, words):
    kept = Document.read(plain())
    with pytest.raises(PictureError, match=words):
        kept.changed([Put(path=path, value=value)])
    opened = Document.stored(kept.json, [Put(path=path, value=value)])
    drawn = Renderer(Held(grainy(60, 48)), opened.sheet).draw(Frame.whole(60, 48))
    assert np.isfinite(drawn).all()
    assert opened.changed([Put(path=["touches", "t1", "strength"], value=0.5)])
