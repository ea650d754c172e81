"""Turning and cropping a portrait: part of its sheet, seen, undone, and several of a sitting together."""

import io

import numpy as np
from PIL import Image

from tests.pictures import bytes_of
from tests.studio.prepared import prepared
from tests.studio.talk import JSON, content, edit, frame, look, move, put, sheet, work
from tests.studio.test_looking import pixels


def test_a_picture_is_turned_and_cropped_seen_so_and_undone(client, portrait):
    high = portrait.facts["height"]
    upright = pixels(look(client, portrait, 0))
    crop = {"centre": [0.4, 0.5], "size": [0.4, 0.2]}
    assert edit(client, portrait, 0, put(["geometry"], {"turns": 1})).status_code == 200
    turned = look(client, portrait, 1, frame=frame(375, 300))
    assert np.abs(pixels(turned) - np.rot90(upright, -1)).mean() < 1
    # What one compares with is turned alike; a frame of the picture as it was does not fit any more.
    before = look(client, portrait, 1, frame=frame(375, 300), show="original")
    assert before.content == turned.content
    assert look(client, portrait, 1).status_code == 422
    edit(client, portrait, 1, put(["geometry"], {"turns": 1, "straighten": 3, "crop": crop}))
    card = client.get(f"/api/portraits/{portrait.pk}").json()
    assert card["finished"] == [round(0.4 * high), round(0.2 * high)]
    assert look(client, portrait, 2, frame=frame(*card["finished"])).status_code == 200
    move(client, portrait, "undo", 2)
    move(client, portrait, "undo", 3)
    assert client.get(f"/api/portraits/{portrait.pk}").json()["finished"] is None
    assert np.array_equal(pixels(look(client, portrait, 4)), upright)
    assert edit(client, portrait, 4, put(["geometry"], {"straighten": 40})).status_code == 422


def test_several_cards_are_turned_together_and_each_can_be_turned_back(client, portrait, sitting):
    other = prepared(client, sitting, "Tenor 2.jpg", bytes_of("JPEG", 600, 750))
    body = {"to": [str(portrait.pk), str(other.pk)], "by": 3}
    assert client.post(f"/api/sittings/{sitting.pk}/turns", body, JSON).status_code == 204
    work()
    for one in (portrait, other):
        card = client.get(f"/api/portraits/{one.pk}").json()
        assert (card["finished"], card["retouched"], card["steps"]) == ([750, 600], True, 0)
        shown = Image.open(io.BytesIO(content(client.get(f"/api/portraits/{one.pk}/retouched"))))
        assert shown.width > shown.height
        assert sheet(client, one)["undo"] == "turned to the left"
