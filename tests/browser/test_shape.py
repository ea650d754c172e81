"""Pushing and swelling through the real interface: nothing behind bends, and what is drawn lands where it is seen."""

import io

import cv2
import numpy as np
import pytest
from PIL import Image
from selenium.webdriver import Keys

from retouch.frame import Frame
from studio import jobs, sheets, viewing
from studio.models import Portrait
from tests.browser import conftest
from tests.browser.test_found import on, take
from tests.browser.test_isolate import areas_of
from tests.studio.talk import work

SIDE = 750


def lined(picture):
    """A test picture of lines where the sitter of Alto 1 is not."""
    with np.load("demo/labels/Alto 1.npz") as labels:
        backdrop = cv2.resize(labels["backdrop"], picture.shape[1::-1], interpolation=cv2.INTER_AREA)
    lines = np.where((np.arange(picture.shape[1]) // 3) % 2, 70, 150)[None, :, None]
    share = (backdrop > 250)[..., None]
    return np.where(share, lines, picture).astype(picture.dtype)


def touch():
    return sheets.document_of(Portrait.objects.latest("created")).json["touches"][0]


def test_hair_swells_and_no_line_behind_it_bends(choir, downloads, monkeypatch):
    room = choir("Alto 1", searched=True)
    # What was found on the picture itself holds with lines behind the sitter as well.
    plain = viewing.found(str(Portrait.objects.get().pk))
    monkeypatch.setattr(jobs, "find", lambda *_: plain)
    room = choir("Alto 1", searched=True, changed=lined)
    start = conftest.small_copy("Alto 1", changed=lined)
    before = cv2.imdecode(np.frombuffer(start, np.uint8), cv2.IMREAD_COLOR)[..., ::-1].astype(int)
    room.start_touch("flat hair", "Give flat hair body")
    assert room.touches() == ["Shape the hair"]
    for side in (0.16, 0.62):
        room.drag(*[on(room, side, y) for y in (0.35, 0.45, 0.55)], pen=[0.9] * 3)
        room.settle()
    assert [s["does"] for s in touch()["settings"]["strokes"]] == ["swell", "swell"]
    seen = room.colour(*on(room, 0.4, 0.4))[:3]
    room.keys(Keys.ESCAPE, Keys.ESCAPE, Keys.ESCAPE)
    after = np.asarray(Image.open(io.BytesIO(room.exported(downloads, work)))).astype(int)
    # What one saw is what one has.
    assert seen == pytest.approx(after[296:305, 296:305].mean((0, 1)), abs=3)
    moved = np.abs(after - before).max(-1)
    assert (moved > 12).sum() > 500
    # Where no hair has come to lie, lines are as straight as they were; one sees it on the finished picture's mask.
    portrait = Portrait.objects.latest("created")
    renderer = viewing.renderer(portrait, sheets.document_of(portrait).sheet, wait=True)
    area = areas_of("Alto 1")[0]["id"]
    whole = Frame.whole(600, SIDE)
    then, now = renderer.area(area, whole), renderer.shapes.shown(lambda frame: renderer.area(area, frame), whole)
    assert (now > 0.5).sum() > (then > 0.5).sum() + 500
    with np.load("demo/labels/Alto 1.npz") as labels:
        backdrop = cv2.resize(labels["backdrop"], (600, SIDE), interpolation=cv2.INTER_AREA) > 250
    bare = (cv2.dilate(np.maximum(then, now), np.ones((5, 5))) < 0.004) & backdrop
    assert bare.mean() > 0.3
    assert moved[bare].max() <= 1


def test_light_painted_on_a_shaped_eye_stays_on_the_eye(choir):
    room = choir("Alto 1", searched=True)
    eye, by = (0.314, 0.4575), 0.035
    x, y = eye
    plain = room.colour(*on(room, *eye), side=5)
    room.start_touch("push", "Push into shape")
    room.drag(on(room, x, y + 0.01), on(room, x, y + 0.01 - by), pen=[1.0, 1.0])
    room.settle()
    moved = touch()["settings"]["strokes"][0]
    assert moved["points"][0][:2] == pytest.approx([x, y + 0.01], abs=0.003)
    # The eye is seen higher up now, and is painted there.
    room.keys(Keys.ESCAPE, Keys.ESCAPE)
    room.start_touch("lift", "Brighten")
    room.type_into("exposure", "1.5")
    room.until(lambda: room.all("[data-open=true] button[aria-label^='Where']")[0].click() or True)
    room.click("Paint a new area")
    room.type_into("size", "60")
    room.type_into("flow", "100")
    room.settle()
    room.drag(on(room, x, y - by + 0.005), on(room, x + 0.005, y - by + 0.005))
    room.settle()
    painted = areas_of("Alto 1")[0]["parts"][0]["strokes"][0]["points"][0]
    assert painted[1] > y - 0.5 * by
    assert painted[:2] == pytest.approx(eye, abs=0.02)
    # The shape is taken back: the light still lies on the eye.
    room.keys(Keys.ESCAPE, Keys.ESCAPE, Keys.ESCAPE)
    room.until(lambda: room.keys("j") or room.all("[data-shapes]"), "the shape, open")
    room.type_into("strength", "0")
    room.settle()
    assert sum(room.colour(*on(room, *eye), side=5)[:3]) > sum(plain[:3]) + 40


def test_a_face_stays_while_hair_is_pushed_and_all_is_undone(choir):
    room = choir("Alto 1", searched=True)
    cheek, hair, chin = (0.33, 0.52), (0.17, 0.55), (0.4, 0.62)
    before = {at: room.colour(*on(room, *at), side=3) for at in (cheek, chin)}
    look = "return document.querySelector('[data-picture]').toDataURL()"
    untouched = room.driver.execute_script(look)
    take(room, "face")
    room.keys(Keys.ESCAPE)
    room.start_touch("push", "Push into shape")
    room.click("stays where it is: nothing")
    room.click("face", tag="button", within="@role='menu'")
    room.settle()
    assert touch()["settings"]["pinned"] == areas_of("Alto 1")[0]["id"]
    room.drag(on(room, *hair), on(room, 0.3, 0.55), pen=[1.0, 1.0])
    room.settle()
    assert room.driver.execute_script(look) != untouched
    for at, colour in before.items():
        assert room.colour(*on(room, *at), side=3) == pytest.approx(colour, abs=1)
    # A stroke that wants to go too far ends, and it is said.
    assert room.all("[data-ended]")
    pushed = room.driver.execute_script(look)
    # Smoothed out, it is nearer to what it was; then everything is undone.
    room.click("smooth out")
    room.drag(*[on(room, 0.17 + 0.02 * n, 0.5 + 0.1 * (n % 2)) for n in range(8)], pen=[1.0] * 8)
    room.settle()
    assert room.driver.execute_script(look) != pushed
    for _ in range(int(room.revision())):
        room.keys("z", hold=Keys.CONTROL)
        room.saved()
    room.settle()
    assert areas_of("Alto 1") == []
    assert room.driver.execute_script(look) == untouched
