"""Presets: what finds itself again on another picture, what follows the face there, and what is said of the rest."""

from itertools import count

import numpy as np
import pytest

from retouch.faces import Found
from retouch.faces.found import Face, Map
from retouch.faces.mesh import IRISES
from retouch.faces.own import Own, own
from retouch.frame import Frame
from retouch.sheet import Document, Sheet, read_sheet
from retouch.sheet.by_face import Relation
from retouch.sheet.preset import lay, preset_of, read_preset
from retouch.types import PictureError

FACE = {"source": "face-part", "part": "skin"}
TONES = {"source": "tones", "join": "only", "ramp": [0, 0.2, 0.5, 1]}
TEETH = {"source": "face-part", "part": "teeth"}
STROKE = {"size": 0.1, "points": [[0.1, 0.1, 1]]}
MADE_BY = Own(0.4, (0.6, 0.03, 0.04))
EMPTY = Document(Sheet()).json


def sheet(areas, touches):
    raw = {"format": "needlepoint-sheet", "version": 2, "areas": areas, "touches": touches}
    return read_sheet(raw).model_dump(mode="json")


EVENING = sheet(
    [
        {"id": "skin", "name": "the skin", "feather": 0.008, "grow": -0.002, "parts": [FACE]},
        {"id": "dark", "name": "dark skin", "parts": [FACE, TONES]},
        {"id": "teeth", "name": "the teeth", "parts": [TEETH]},
        {"id": "cheek", "name": "cheek", "parts": [{"source": "strokes", "strokes": [STROKE]}]},
    ],
    [
        {"id": "e", "kind": "even", "settings": {"light": 0.5, "smaller": 0.02}, "area": "skin"},
        {"id": "x", "kind": "exposure", "settings": {"ev": 0.4}, "area": "dark",
         "limit": {"ramp": [0.2, 0.4, 1, 1]}},
        {"id": "z", "kind": "zones", "settings": {"contrast": 0.2, "pivot": -3}},
        {"id": "w", "kind": "saturation", "settings": {}, "area": "teeth"},
        {"id": "c", "kind": "exposure", "settings": {"ev": 0.1}, "area": "cheek"},
    ],
)  # fmt: skip


def mesh(x, y, size):
    """Landmarks of a face without a form, but with a height and irises."""
    places = [[x, y]] * 478
    places[10], places[152] = [x, y - size / 2], [x, y + size / 2]
    for ring in IRISES:
        for n, at in enumerate(ring):
            places[at] = [x + 0.01 * (n % 3 - 1), y]
    return tuple(map(tuple, places))


def found_on(*parts):
    at = Frame.whole(40, 50)
    maps = {f"{part}-1": Map(at, np.full(at.shape, 255, np.uint8)) for part in parts}
    return Found("key", (Face((0.3, 0.3, 0.2, 0.2), 1.0, mesh(0.4, 0.4, 0.2)),), maps)


def laid(preset, here=Own(), found=None, into=EMPTY):
    fresh = count(1)
    one = lay(preset, into, lambda letter: f"{letter}{next(fresh)}", here, found)
    return Document.read(into).changed(one.operations)[0], one


def test_a_preset_is_read_again_as_it_was_written():
    preset = preset_of(EVENING, ["e", "x"], " Evening ", "for lamps", MADE_BY)
    assert preset.name == "Evening"
    assert [a.name for a in preset.sheet.areas] == ["the skin", "dark skin"]
    assert read_preset(preset.model_dump_json()) == preset
    assert preset.finds


@pytest.mark.parametrize(
    ("data", "said"),
    [
        ("{", "not readable"),
        ('{"format": "needlepoint-sheet"}', "not a Needlepoint preset"),
        ('{"format": "needlepoint-preset", "version": 2, "sheet": {}}', "newer"),
        (preset_of(EVENING, ["e"], "x").model_dump() | {"name": " "}, "name"),
        (preset_of(EVENING, ["e"], "x").model_dump() | {"sheet": EMPTY}, "no touch in it"),
    ],
)
def test_what_is_no_preset_gets_a_sentence(data, said):
    with pytest.raises(PictureError, match=said):
        read_preset(data)


def test_lengths_follow_the_faces_size_and_tones_its_own_light():
    preset = preset_of(EVENING, ["e", "x", "z"], "Evening", own=MADE_BY)
    document, _ = laid(preset, Own(0.2, (0.3, 0, 0)), found_on("skin", "face"))
    [whole] = document.sheet.touches
    assert whole.name == "Evening"
    even, lift, zones = whole.touches
    was = preset.sheet.touches[0].settings
    assert even.settings.smaller == pytest.approx(was.smaller / 2)
    assert even.settings.larger == pytest.approx(was.larger / 2)
    skin, dark = (document.sheet.area(t.area) for t in (even, lift))
    assert (skin.feather, skin.grow) == (0.004, -0.001)
    # Half as light: the face's own zones lie half as high, and an end that is open stays open.
    assert dark.parts[1].ramp == (0, 0.1, 0.25, 1)
    assert lift.limit.ramp == (0.1, 0.2, 1, 1)
    # Half of OKLab's lightness is an eighth of the light: three EV.
    assert zones.settings.pivot == -6


def test_on_its_own_picture_nothing_of_it_is_other():
    preset = preset_of(EVENING, ["e", "x", "z", "w", "c"], "Evening", own=MADE_BY)
    document, _ = laid(preset, MADE_BY)
    [whole] = document.sheet.touches
    for mine, theirs in zip(whole.touches, EVENING["touches"], strict=True):
        assert mine.settings.model_dump(mode="json") == theirs["settings"]
        assert (mine.limit and mine.limit.model_dump(mode="json")) == theirs["limit"]
    shapes = [(a.feather, a.grow, len(a.parts)) for a in document.sheet.areas]
    assert sorted(shapes) == sorted((a["feather"], a["grow"], len(a["parts"])) for a in EVENING["areas"])


def test_what_is_not_found_and_what_was_placed_by_hand_is_told():
    preset = preset_of(EVENING, ["e", "w", "c"], "Evening", own=MADE_BY)
    document, one = laid(preset, found=found_on("skin", "face"))
    assert (one.by_hand, one.lacking) == (["cheek"], ["the teeth"])
    assert [a.name for a in document.sheet.areas if a.needs_look] == ["cheek"]
    # Where nothing was looked for yet, nobody knows.
    assert laid(preset)[1].lacking == []


def test_what_stands_on_a_face_stands_on_the_one_that_is_there():
    eye = {"x": 0.1, "y": 0.1, "radius": 0.02}
    light = {"id": "l", "kind": "catchlight", "settings": {"amount": 0.7, "eyes": [eye]}}
    preset = preset_of(sheet([], [light]), ["l"], "Lights", own=MADE_BY)
    there = found_on("skin")
    document, one = laid(preset, found=there)
    [touch] = document.sheet.touches
    irises = [pytest.approx(iris, abs=1e-5) for iris in there.faces[0].irises()]
    assert [(e.x, e.y, e.radius) for e in touch.settings.eyes] == irises
    assert not one.by_hand
    assert not touch.needs_look
    # With no face the lights stay where they were, and are marked.
    document, one = laid(preset, found=Found("key", (), {}))
    assert document.sheet.touches[0].settings.eyes[0].x == 0.1
    assert one.by_hand == ["Catchlight"]


def test_a_faces_own_size_and_colour_are_measured():
    whole = Frame.whole(80, 100)
    grey = np.full((*whole.shape, 3), 0.5, np.float32)
    mine = own(found_on("skin", "face"), whole, lambda frame: grey[frame.slices_in(whole)])
    assert mine.height == pytest.approx(0.2)
    # Of middle grey of the sRGB curve, 0.214 of the light: OKLab's lightness is its cube root.
    assert mine.colour == pytest.approx((0.2140 ** (1 / 3), 0, 0), abs=2e-3)
    assert own(None, whole, None) == Own()
    assert Relation.of(mine, Own(), None) == Relation()
