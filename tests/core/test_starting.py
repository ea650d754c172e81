"""Ready touches made for a picture: their place, their lengths by the face, and strokes laid by landmarks."""

import numpy as np
import pytest

from retouch.faces.found import Face, Found, Map
from retouch.frame import Frame
from retouch.sheet import read_sheet
from retouch.sheet.starting import rests_on_found, started
from retouch.touches import KINDS
from retouch.types import PictureError
from tests.pictures import Held, smooth


def face(height=0.2, x=0.4, y=0.3):
    """A face whose landmarks lie on a disc, with the chin ``height`` below the top of the forehead."""
    rng = np.random.default_rng(2)
    marks = [(x + 0.3 * height * a, y + 0.3 * height * b) for a, b in rng.uniform(-1, 1, (478, 2))]
    marks[10], marks[152] = (x, y - height / 2), (x, y + height / 2)
    return Face((x - height / 2, y - height / 2, height, height), 1.0, tuple(marks))


def found(*names, faces=1, height=0.2):
    whole = Frame.whole(50, 40)
    maps = {f"{n}-{i}": Map(whole, np.full((40, 50), 255, np.uint8)) for n in names for i in range(1, faces + 1)}
    return Found("k", tuple(face(height, 0.3 + 0.3 * i) for i in range(faces)), maps)


def test_a_place_is_made_of_what_was_found_and_what_is_taken_away_need_not_be_there():
    ready = started("detail", "Soften the skin", found("skin", "lips"))
    assert [(p["part"], p["join"]) for p in ready.parts] == [("skin", "add"), ("lips", "take")]
    assert ready.area_name == "the skin"
    of_one = started("detail", "Soften the skin", found("skin", "lips", faces=2), of=2)
    assert {p["of"] for p in of_one.parts} == {2}


def test_a_place_that_was_not_found_is_told_and_a_touch_that_is_placed_asks_for_none():
    with pytest.raises(PictureError, match="Not found on this picture: the skin"):
        started("detail", "Soften the skin", found())
    assert started("detail", "Soften the skin", found(), placed=True).parts == []
    assert rests_on_found("detail", "Soften the skin", placed=False)
    assert not rests_on_found("detail", "Soften the skin", placed=True)
    with pytest.raises(PictureError, match="no such ready touch"):
        started("detail", "Something else", None)


def test_lengths_follow_the_face_and_sharpening_follows_the_pixels():
    near, far = (started("detail", "Soften the skin", found("skin", height=h)).settings for h in (0.4, 0.2))
    for size in ("medium_size", "coarse_size"):
        assert near[size] == pytest.approx(2 * far[size], rel=0.01)
    radii = {
        started("sharpen", "Sharpen the whole for its use", found(height=h)).settings["radius"] for h in (0.4, 0.2)
    }
    assert len(radii) == 1


def test_every_ready_touch_makes_a_sheet_that_can_be_read():
    everything = found("face", "skin", "eye-whites", "irises", "pupils", "lips", "teeth", "brows", "hair")
    everything.maps["person"] = everything.maps["skin-1"]
    for name, kind in KINDS.items():
        for start in kind.starts:
            ready = started(name, start.title, everything)
            area = {"id": "a", "feather": ready.feather, "parts": ready.parts}
            touch = {"id": "t", "kind": name, "settings": ready.settings, "area": "a", "blend": ready.blend}
            sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": [area], "touches": [touch]})
            # Everything in it is understood, and its place is one that is found here.
            assert type(sheet.touches[0].settings) is kind
            assert len(sheet.areas[0].known) == len(ready.parts)
            assert all(everything.has(part.part, 0) for part in sheet.areas[0].known if part.finds)


def test_form_is_given_by_strokes_along_the_face_and_only_where_one_is_known():
    strokes = started("dodge-burn", "Give the face form", found("skin")).settings["strokes"]
    assert {s["darker"] for s in strokes} == {False, True}
    places = np.array([p[:2] for s in strokes for p in s["points"]])
    assert (np.abs(places - [0.3, 0.3]) <= 0.1 + 1e-6).all()
    bare = Found("k", (Face((0.3, 0.3, 0.1, 0.1), 1.0),), found("skin").maps)
    with pytest.raises(PictureError, match="No face was found"):
        started("dodge-burn", "Give the face form", bare)


def test_what_lies_under_the_eyes_is_known_from_the_landmarks():
    frame, read = Frame.whole(400, 320), Held(smooth(400, 320)).read
    there = found(faces=2)
    both, one = (there.coverage("under-eyes", of, frame, read) for of in (0, 2))
    assert there.has("under-eyes", 2)
    assert not Found("k", (Face((0, 0, 1, 1), 1.0),), {}).has("under-eyes")
    assert one.max() > 0.5
    assert (one <= both + 1e-6).all()
    # A rectangle has the same coverage as the whole.
    cut = Frame(400, 320, 200, 60, 100, 100)
    np.testing.assert_allclose(there.coverage("under-eyes", 0, cut, read), both[cut.slices_in(frame)], atol=1e-6)
