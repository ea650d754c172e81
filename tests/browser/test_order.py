"""The sheet is put in order by mouse and pen: into sets, out of them, and copies where one expects them."""

import pytest
from selenium.webdriver import ActionChains, Keys

from studio import sheets
from studio.models import Portrait


def order():
    """Titles of the touches by their kind, sets as lists."""

    def told(touches):
        return [told(t["touches"]) if t["kind"] == "set" else t["kind"] for t in touches]

    sheets.forget()
    return told(sheets.document_of(Portrait.objects.get()).json["touches"])


@pytest.fixture
def set_of_two(room):
    """A white balance, then a set of an exposure and a curve."""
    for need, title in (("warmer", "Warm"), ("lift", "Brighten"), ("curve", "Draw a curve")):
        room.start_touch(need, title)
    room.keys(Keys.ESCAPE, Keys.ESCAPE)
    for number in (2, 3):
        button = room.one(f"button[aria-label^='Touch {number}:']")
        ActionChains(room.driver).key_down(Keys.CONTROL).click(button).key_up(Keys.CONTROL).perform()
    room.click("keep together")
    room.keys(Keys.ESCAPE, Keys.ESCAPE)
    room.settle()
    assert order() == ["white-balance", ["exposure", "curve"]]
    return room


def row(room, number):
    return room.one(f"[data-touch]:has(button[aria-label^='Touch {number}:'])")


@pytest.mark.parametrize("by", ["mouse", "pen", "touch"])
def test_touches_are_dragged_into_a_set_and_out_of_it(set_of_two, by):
    room = set_of_two
    last = row(room, 4).rect
    # Under the last of the set, and as far aside as its rows are.
    room.carry(row(room, 1), last["y"] + last["height"] - 4, 30, by)
    room.until(lambda: order() == [["exposure", "curve", "white-balance"]])
    last = row(room, 4).rect
    room.carry(row(room, 2), last["y"] + last["height"] + 8, -30, by)
    room.until(lambda: order() == [["curve", "white-balance"], "exposure"])
    room.keys("z", hold=Keys.CONTROL)
    room.until(lambda: order() == [["exposure", "curve", "white-balance"]])
    # One drag is one edit, and none of them was lost on the way.
    assert len(room.touches()) == 4


def test_a_copy_stands_after_what_it_is_of_in_a_set_too(set_of_two):
    room = set_of_two
    room.until(lambda: row(room, 3).find_element("css selector", "button").click() or True)
    room.keys("d", hold=Keys.CONTROL)
    room.until(lambda: order() == ["white-balance", ["exposure", "exposure", "curve"]])
    room.saved()
    assert len(set(room.touches()[2:4])) == 1
