"""Fingers, pens and the keyboard alone; and stitches that step aside once a place was chosen."""

import io
from functools import partial

import numpy as np
import pytest
from PIL import Image
from selenium.webdriver import ActionChains, Keys
from selenium.webdriver.common.action_chains import ActionBuilder
from selenium.webdriver.common.actions.pointer_input import PointerInput

from studio import sheets
from studio.models import Portrait
from tests.browser.test_isolate import areas_of
from tests.studio.talk import work

BARREL = 2


def touches(room, *fingers, what="touchStart"):
    """What fingers do, each at a place of the stage (shares of it)."""
    at = [{"x": x, "y": y, "id": n} for n, (x, y) in enumerate(room.spot(*place) for place in fingers)]
    room.driver.execute_cdp_cmd("Input.dispatchTouchEvent", {"type": what, "touchPoints": at})


def strokes():
    return areas_of(Portrait.objects.get().name)[0]["parts"][0].get("strokes", [])


def test_two_fingers_zoom_and_pan_whatever_is_in_hand(room):
    room.click("+ new area")
    room.settle()
    # The first finger paints until the second comes; nothing of it stays.
    touches(room, (0.45, 0.5))
    touches(room, (0.45, 0.5), (0.55, 0.5))
    for spread in (0.08, 0.12, 0.2):
        touches(room, (0.5 - spread, 0.45), (0.5 + spread, 0.45), what="touchMove")
    touches(room, what="touchEnd")
    room.settle()
    kept = "return JSON.parse(localStorage.getItem('needlepoint-views'))"
    view = room.driver.execute_script(kept)[str(Portrait.objects.get().pk)]
    fitted = 652 / 750
    assert view["zoom"] == pytest.approx(4 * fitted, rel=0.05)
    # What lay between the fingers lies there still: the picture's middle, a little higher.
    assert view["x"] == pytest.approx(300, abs=4)
    assert view["y"] == pytest.approx(375 + 0.05 * 708 / view["zoom"], abs=6)
    assert strokes() == []


def test_a_pen_takes_away_by_its_button_and_its_palm_does_nothing(room):
    room.click("+ new area")
    room.settle()
    room.drag((0.45, 0.5), (0.55, 0.5), pen=[0.8, 0.8])
    room.settle()
    pen = PointerInput("pen", "a-pen")
    builder = ActionBuilder(room.driver, mouse=pen, duration=30)
    action = builder.pointer_action
    action.move_to_location(*room.spot(0.5, 0.5))
    action.source.create_pointer_down(button=BARREL, pressure=0.8)
    action.source.create_pointer_move(30, *room.spot(0.52, 0.5), pressure=0.8)
    action.source.create_pointer_up(button=BARREL)
    builder.perform()
    # The palm comes down beside the pen that has just been there.
    room.drag((0.4, 0.3), pen=[0.5])
    touches(room, (0.6, 0.7))
    touches(room, (0.6, 0.75), what="touchMove")
    touches(room, what="touchEnd")
    room.settle()
    assert [s["erase"] for s in strokes()] == [False, True, False]


def test_stitches_of_a_chosen_place_fade_and_a_key_holds_them(choir):
    room = choir("Alto 1", searched=True)
    room.one("[data-start]").send_keys("lift the face by 0.4")
    room.one("[data-wishes=read]")
    room.one("[data-start]").send_keys(Keys.ENTER)
    room.until(lambda: room.all("[data-open=true]"))
    # Faded, nothing of it is seen.
    faded = partial(room.driver.find_elements, "css selector", "[data-overlay][data-faded]")
    room.until(faded, "faded")
    ActionChains(room.driver).key_down(Keys.SHIFT).key_down("s").perform()
    room.until(lambda: not faded(), "held on")
    ActionChains(room.driver).key_up("s").key_up(Keys.SHIFT).perform()
    # With the area opened from its column its sentence is open as well: weakening and narrowing go together.
    room.keys(Keys.ESCAPE, Keys.ESCAPE)
    room.until(lambda: not room.all("[data-open=true]"))
    room.until(lambda: room.all("[data-area='the face']")[0].click() or True)
    room.until(lambda: room.all("[data-open=true]") and room.all("aside button[aria-label^='Take part']"))
    assert not faded()


def focused(room):
    """What is in focus, by what it says."""
    return room.driver.execute_script(
        "const e = document.activeElement; if (e === document.body) return '';"
        "return [e.getAttribute('aria-label'), e.dataset.tip, e.innerText, e.tagName].filter(Boolean).join(' | ')"
    )


def tab_to(room, words, most=80):
    """Press Tab until what carries the words is in focus."""
    for _ in range(most):
        if words in focused(room):
            return
        room.keys(Keys.TAB)
    raise AssertionError(f"{words} cannot be reached by Tab; the last was {focused(room)}")


def test_the_whole_way_by_keyboard_alone(choir, downloads):
    room = choir("Alto 1", searched=True)
    # Open.
    room.go("/")
    room.until(lambda: room.all("a[href*='sittings/']"))
    tab_to(room, Portrait.objects.get().sitting.name)
    room.keys(Keys.ENTER)
    room.until(lambda: room.all("a[href*='portraits/']"))
    tab_to(room, "Alto 1")
    room.keys(Keys.ENTER)
    room.until(room.painted)
    room.settle()
    plain = room.colour(0.5, 0.5)
    # Find and isolate: the sentence takes the face that was found.
    room.keys("/")
    room.until(lambda: "INPUT" in focused(room))
    room.keys(*"lift the face by 0.4")
    room.one("[data-wishes=read]")
    room.keys(Keys.ENTER)
    room.until(lambda: room.touches() == ["Brighten the face by +0.40 EV"])
    room.settle()
    lifted = room.colour(0.5, 0.5)
    assert sum(lifted[:3]) > sum(plain[:3]) + 10
    # Change.
    tab_to(room, "exposure: +0.40 EV")
    room.keys(Keys.ARROW_UP, Keys.ARROW_UP)
    room.until(lambda: room.touches() == ["Brighten the face by +0.50 EV"])
    room.settle()
    # Compare.
    ActionChains(room.driver).key_down("q").perform()
    room.until(lambda: room.colour(0.5, 0.5) == pytest.approx(plain, abs=3), "before")
    ActionChains(room.driver).key_up("q").perform()
    # Export.
    tab_to(room, "Export")
    room.keys(Keys.ENTER)
    room.one("[role=dialog]")
    tab_to(room, "Make the file")
    room.keys(Keys.ENTER)
    room.until(lambda: room.all("[data-export=waiting]"))
    work()
    room.until(lambda: room.all("[data-export=ready]"))
    for old in downloads.iterdir():
        old.unlink()
    tab_to(room, "download")
    room.keys(Keys.ENTER)
    path = room.until(lambda: next(p for p in downloads.iterdir() if p.suffix == ".jpg"), "the file")
    image = np.asarray(Image.open(io.BytesIO(path.read_bytes())))
    room.keys(Keys.ESCAPE)
    assert image.shape[:2] == (750, 600)
    assert len(sheets.document_of(Portrait.objects.get()).json["touches"]) == 1
