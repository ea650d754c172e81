"""Before and after, checks, measures, history and takes, through the real interface."""

import json

import cv2
import numpy as np
import pytest
from selenium.webdriver import ActionChains, Keys

from studio import levels, sheets
from studio.models import Edit, Portrait
from tests.browser import conftest
from tests.browser.test_found import on
from tests.studio.prepared import prepared
from tests.studio.talk import edit, exposure, insert, put, work


def pick_before(room, name):
    """Choose what before is."""
    room.until(lambda: room.all("button[aria-label^='What before is']")[0].click() or True)
    room.until(lambda: next(e for e in room.all("[role=menuitem]") if e.text == name).click() or True, name)


def check(room, name):
    """Switch a check on or off."""
    room.until(lambda: room.all("header button[data-tip^='ways of looking']")[0].click() or True)
    room.until(lambda: room.one(f"[data-look={name}]").click() or True)
    room.keys(Keys.ESCAPE)
    room.settle()


def pick(room, *numbers):
    """Pick several touches."""
    for number in numbers:
        button = room.one(f"button[aria-label^='Touch {number}:']")
        ActionChains(room.driver).key_down(Keys.CONTROL).click(button).key_up(Keys.CONTROL).perform()


def test_a_split_and_a_pair_that_pan_together(room):
    plain = room.colour(*on(room, 0.2, 0.5))
    room.start_touch("lift", "Brighten")
    room.type_into("exposure", "1.5")
    room.settle()
    left, right = on(room, 0.2, 0.5), on(room, 0.6, 0.5)
    after = room.colour(*left)
    assert sum(after) > sum(plain) + 30
    room.keys(Keys.ESCAPE, "x")
    room.until(lambda: room.colour(*left) == pytest.approx(plain, abs=3), "before on the left")
    assert sum(room.colour(*right)) > sum(plain)
    # The line is dragged; what it has passed is before.
    ActionChains(room.driver).drag_and_drop_by_offset(room.one("[data-split]"), -300, 0).perform()
    room.until(lambda: room.colour(*left) == pytest.approx(after, abs=3), "after where the line has left")
    room.keys("x")
    room.until(lambda: room.colour(*on(room, 0.4, 0.2)) != room.colour(*on(room, 0.4, 0.9)))
    room.keys("x", "a")
    room.settle()
    # Side by side, each half shows the same place; a drag in one moves both.
    box = room.one("[data-stage]").rect

    def both():
        return room.colour(0.25, 0.55), room.colour(0.75, 0.55)

    first = both()
    assert sum(first[1]) > sum(first[0]) + 30
    room.keys("1")
    room.settle()
    before = both()
    room.drag((0.2, 0.5), (0.2 + 90 / box["width"], 0.62))
    room.settle()
    moved = both()
    assert moved[0] != pytest.approx(before[0], abs=2)
    assert sum(moved[1]) > sum(moved[0]) + 30
    assert room.all("[data-map]")


def test_a_check_is_seen_and_never_exported(room, downloads):
    room.start_touch("lift", "Brighten")
    room.settle()
    plain = room.colour(0.5, 0.5)
    room.keys(Keys.ESCAPE)
    check(room, "unevenness")
    assert room.colour(0.5, 0.5) != pytest.approx(plain, abs=4)
    assert "not changed" in room.text("[data-stage] [role=status]")
    image = cv2.imdecode(np.frombuffer(room.exported(downloads, work), np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
    assert plain[:3] == pytest.approx(image[367:384, 292:309].mean((0, 1)), abs=3)
    # The view comes back as it was.
    check(room, "unevenness")
    assert room.colour(0.5, 0.5) == pytest.approx(plain, abs=1)
    for name in ("grey", "texture", "proof", "final", "halo"):
        check(room, name)
        assert "changed" in room.text("[data-stage] [role=status]")
    assert Portrait.objects.get().revision == 1


def test_two_takes_are_compared(room):
    middle = (0.5, 0.5)
    room.start_touch("lift", "Brighten")
    room.type_into("exposure", "0.3")
    room.settle()
    quiet = room.colour(*middle)
    room.keys(Keys.ESCAPE, "m")
    room.click("+ new take")
    room.one("[role=dialog] input").send_keys("brighter", Keys.ENTER)
    room.until(lambda: room.named("brighter").get_attribute("aria-pressed") == "true")
    room.until(lambda: room.all("[data-touch] button[aria-expanded=false]")[0].click() or True)
    room.type_into("exposure", "1.5")
    room.settle()
    bright = room.colour(*middle)
    assert sum(bright) > sum(quiet) + 20
    pick_before(room, "the take “first take”")
    room.keys("a")
    room.settle()
    assert room.colour(0.25, 0.5)[:3] == pytest.approx(quiet[:3], abs=6)
    assert room.colour(0.75, 0.5)[:3] == pytest.approx(bright[:3], abs=6)
    room.keys("a")
    room.click("first take")
    room.settle()
    assert room.colour(*middle) == pytest.approx(quiet, abs=1)
    room.click("brighter")
    room.settle()
    assert room.colour(*middle) == pytest.approx(bright, abs=1)


def test_two_hundred_edits_back_and_forward_again_and_a_branch_beside(room, client, portrait):
    edit(client, portrait, 0, insert(["touches"], exposure("t", 0)), words="edit 1")
    for n in range(2, 200):
        edit(client, portrait, n - 1, put(["touches", "t", "settings", "ev"], n / 200), words=f"edit {n}")
    room.driver.refresh()
    room.until(room.painted)
    room.until(lambda: room.all("[data-touch] button[aria-expanded=false]")[0].click() or True)
    room.type_into("exposure", "1")
    room.settle()
    assert room.revision() == 200
    # The browser is closed and the server remembers nothing but its database.
    room.go("/")
    sheets.forget()
    levels.pyramid.cache_clear()
    room.open_portrait(portrait.pk)
    bright = room.colour(0.5, 0.5)
    room.keys("m")

    def go(number):
        room.until(lambda: room.one(f"[data-edit='{number}']").click() or True)
        room.until(lambda: room.one(f"[data-edit='{number}']").get_attribute("aria-current") == "true")
        room.settle()

    def ev():
        return sheets.document_of(Portrait.objects.get()).json["touches"][0]["settings"]["ev"]

    go(50)
    assert ev() == 0.25
    dark = room.colour(0.5, 0.5)
    assert sum(dark) < sum(bright) - 20
    go(200)
    assert ev() == 1
    assert room.colour(0.5, 0.5) == pytest.approx(bright, abs=1)
    go(50)
    room.click("Mark point 50")
    room.one("[role=dialog] input").send_keys("half way", Keys.ENTER)
    room.named("half way")
    room.until(lambda: room.all("[data-touch] button[aria-expanded=false]")[0].click() or True)
    room.type_into("exposure", "-1")
    room.settle()
    assert room.until(lambda: [e.text for e in room.all("[data-history] button") if "another way" in e.text]) == [
        "another way from here, 150 edits"
    ]
    room.click("another way from here, 150 edits")
    room.until(lambda: ev() == 1)
    room.until(lambda: "another way from here, 1 edit" in room.text("[data-history]"))
    assert Edit.objects.count() == 201
    # The mark can be compared with, and gone back to.
    pick_before(room, "the mark “half way”")
    room.keys("x")
    room.settle()
    assert room.colour(*on(room, 0.2, 0.5)) != room.colour(*on(room, 0.6, 0.5))
    room.click("half way")
    room.until(lambda: ev() == 0.25)


def test_a_set_is_made_used_and_copied_to_the_next_portrait(choir, client, sitting):
    # What was found stands in for every search of this test: it must be a picture of the same size.
    other = prepared(client, sitting, "Alto 9.png", conftest.small_copy("Alto 1"))
    room = choir("Alto 1", searched=True)
    room.until(lambda: room.one("[data-found=skin]").click() or True)
    room.start_touch("lift", "Brighten")
    room.start_touch("colour", "Less colour")
    room.keys(*[Keys.ESCAPE] * 4)
    pick(room, 1, 2)
    room.until(lambda: "2 picked" in room.text("[data-picked-bar]"))
    room.click("keep together")
    room.settle()
    document = sheets.document_of(Portrait.objects.get(name="Alto 1")).json
    assert [t["kind"] for t in document["touches"]] == ["set"]
    assert len(document["touches"][0]["touches"]) == 2
    # One strength for both; folded, they are out of the way; a note is kept.
    lifted = room.colour(*on(room, 0.33, 0.52))
    room.type_into("strength", "20")
    room.settle()
    assert sum(room.colour(*on(room, 0.33, 0.52))) < sum(lifted) - 5
    room.click("Fold the set")
    room.until(lambda: len(room.touches()) == 1)
    room.click("More for touch 1")
    room.click("Add a note…", within="self::*[@role='menu']")
    room.one("[role=dialog] input").send_keys("as agreed with the choir", Keys.ENTER)
    room.until(lambda: room.text("[data-note]") == "as agreed with the choir")
    pick(room, 1)
    room.click("carry over to…")
    room.until(lambda: room.one("[role=dialog] input[type=checkbox]").click() or True)
    room.click("Carry over")
    room.one("[data-carried=going]")
    work()
    room.one("[data-carried=ended]")
    copied = sheets.document_of(Portrait.objects.get(pk=other.pk)).json
    [kept] = copied["touches"]
    assert kept["kind"] == "set"
    assert kept["strength"] == 0.2
    assert [a["name"] for a in copied["areas"]] == ["the skin"]
    assert not copied["areas"][0]["needs_look"]
    # The set is taken apart again.
    room.open_portrait(Portrait.objects.get(name="Alto 1").pk)
    room.one("[data-touch] [data-picked]").click()
    room.click("More for touch 1")
    room.click("Take the set apart", within="self::*[@role='menu']")
    room.until(lambda: len(room.touches()) == 2)


def test_gauges_tell_of_an_over_whitened_mouth(choir):
    room = choir("Soprano 2", searched=True)
    room.until(lambda: room.one("[data-found=teeth]").click() or True)
    room.start_touch("lift", "Brighten")
    room.until(lambda: room.all("header button[data-tip^='ways of looking']")[0].click() or True)
    room.until(lambda: room.driver.find_element("xpath", "//label[contains(., 'natural measures')]").click() or True)
    room.keys(Keys.ESCAPE)
    told = room.until(lambda: room.text("[data-open=true] [data-gauge='teeth over eye whites']"))
    assert "whiter than the eyes" not in told
    room.type_into("exposure", "2")
    room.until(lambda: "whiter than the eyes" in room.text("[data-open=true] [data-gauge='teeth over eye whites']"))
    room.type_into("exposure", "0.1")
    room.until(lambda: "whiter than the eyes" not in room.text("[data-open=true] [data-gauge='teeth over eye whites']"))


def test_keys_go_to_faces_and_eyes_and_the_view_is_kept(choir):
    room = choir("Alto 1", searched=True)
    room.until(lambda: room.all("[data-found=skin]"))
    key = str(Portrait.objects.get().pk)

    def view():
        return json.loads(room.driver.execute_script("return localStorage.getItem('needlepoint-views')"))[key]

    room.keys("h")
    room.settle()
    assert room.all("[data-map]")
    kept = view()
    room.keys("y")
    room.settle()
    near = view()
    assert near["zoom"] > 1.5 * kept["zoom"]
    room.driver.refresh()
    room.until(room.painted)
    room.settle()
    again = view()
    assert again == near
    room.keys("f")
    room.until(lambda: not room.all("[data-map]"))


def test_the_sheet_as_a_page_to_read(choir):
    room = choir("Alto 1", searched=True)
    room.until(lambda: room.one("[data-found=skin]").click() or True)
    room.start_touch("lift", "Brighten")
    room.settle()
    room.go(room.driver.current_url.removeprefix(room.address) + "/page")
    room.until(lambda: len([i for i in room.all("main img") if i.get_property("naturalWidth") > 300]) == 2)
    assert room.text("[data-sentences]").splitlines() == ["1", "Brighten the skin by +0.30 EV"]


def test_two_windows_follow_each_other(room, portrait):
    first = room.driver.current_window_handle
    room.driver.switch_to.new_window("tab")
    try:
        room.open_portrait(portrait.pk)
        room.click("follow")
        room.keys("2")
        room.settle()
        second = room.driver.current_window_handle
        room.driver.switch_to.window(first)
        room.click("follow")
        room.driver.switch_to.window(second)
        room.drag((0.5, 0.5), (0.4, 0.4))
        room.settle()
        # The window that shows the whole has what the other has in view marked on it.
        room.driver.switch_to.window(first)
        mark = room.one("[data-elsewhere] rect")
        before = mark.rect
        room.driver.switch_to.window(second)
        room.drag((0.4, 0.4), (0.6, 0.6))
        room.settle()
        room.driver.switch_to.window(first)
        room.until(lambda: mark.rect["x"] < before["x"] - 5)
        # It moved up as well, and is as large as it was: one panned.
        after = mark.rect
        assert after["y"] < before["y"] - 5
        assert (after["width"], after["height"]) == pytest.approx((before["width"], before["height"]), abs=2)
    finally:
        room.driver.switch_to.window(first)
        for window in set(room.driver.window_handles) - {first}:
            room.driver.switch_to.window(window)
            room.driver.close()
        room.driver.switch_to.window(first)
