"""Portraits of a sitting side by side: who is who, on all of one sitter, the light table, the same light."""

import time
from urllib.request import Request, urlopen

import pytest
from django.conf import settings
from selenium.webdriver import ActionChains, Keys

from studio import following, sheets, viewing, who
from studio.models import Face, Portrait, Sitter
from tests.browser import conftest
from tests.studio.prepared import prepared
from tests.studio.talk import work


def darker(picture):
    return (picture * [0.72, 0.68, 0.6]).astype("uint8")


@pytest.fixture
def evening(choir, client, sitting):
    """Two sitters on five portraits: Alto 1 on three, the last of them in less light, and Soprano 2 on two."""
    for name in ("Alto 1", "Soprano 2"):
        room = choir(name, searched=True)
    for number, (name, changed) in enumerate((("Alto 1", None), ("Soprano 2", None), ("Alto 1", darker)), 1):
        data = conftest.small_copy(name, changed=changed)
        key = str(prepared(client, sitting, f"Late {number}.png", data).pk)
        viewing.keep_found(key, viewing.found(str(Portrait.objects.get(name=name).pk)))
        Portrait.objects.filter(pk=key).update(search="ready")
        who.note(key)
    return room


def of(portrait):
    return Face.objects.get(portrait__name=portrait).sitter


def choose(room, *names):
    for name in names:
        room.click(f"Choose {name}")


def test_two_sitters_are_told_apart_corrected_and_worked_on_alone(evening, sitting):
    room = evening
    room.go(f"/sittings/{sitting.pk}")
    room.click("Who is who")
    groups = room.until(lambda: [g for g in room.all("[data-sitter]")] or None)
    assert sorted(len(g.find_elements("css selector", "[aria-pressed]")) for g in groups) == [2, 3]
    [field] = [g.find_element("css selector", "input") for g in groups if "on 3" in g.text]
    field.send_keys("Alto 1", Keys.ENTER)
    room.one("[data-sitter='Alto 1']")
    # One of them is said to be somebody else's, and comes back by its name.
    room.click("Face on Late 1")
    room.click("somebody else’s")
    room.until(lambda: of("Late 1") != of("Alto 1"))
    one = room.until(lambda: next(g for g in room.all("[data-sitter='']") if "on 1 portrait" in g.text))
    one.find_element("css selector", "input").send_keys("Alto 1", Keys.ENTER)
    room.until(lambda: of("Late 1") == of("Alto 1"))
    assert Sitter.objects.count() == 2

    # What is done on one of hers is laid on all of hers, and on nobody else's.
    room.open_portrait(Portrait.objects.get(name="Alto 1").pk)
    room.until(lambda: room.one("[data-found=skin]").click() or True)
    room.start_touch("warmer", "Warm")
    room.keys(*[Keys.ESCAPE] * 4)
    ActionChains(room.driver).key_down(Keys.CONTROL).click(room.one("[data-touch] [data-picked]")).key_up(
        Keys.CONTROL
    ).perform()
    room.click("carry over to…")
    room.click("all of Alto 1")
    room.until(lambda: room.named("Carry over", tag="button").is_enabled(), "hers chosen")
    room.click("Carry over", tag="button")
    room.one("[data-carried=going]")
    work()
    room.one("[data-carried=ended]")
    laid = {p.name: len(sheets.document_of(p).json["touches"]) for p in Portrait.objects.all()}
    assert laid == {"Alto 1": 1, "Late 1": 1, "Late 3": 1, "Soprano 2": 0, "Late 2": 0}
    room.go(f"/sittings/{sitting.pk}")
    select = room.until(lambda: room.all("select")[1])
    select.find_element("xpath", ".//option[contains(., 'Alto 1')]").click()
    room.until(lambda: room.text("[data-count]") == "3 of 5")


def test_four_lie_on_the_light_table_with_one_view(evening, sitting):
    room = evening
    room.go(f"/sittings/{sitting.pk}")
    choose(room, "Alto 1", "Soprano 2", "Late 1", "Late 2")
    room.click("Light table")
    room.until(lambda: len(room.all("figure [data-drawn=true]")) == 4)
    pictures = [f.find_element("css selector", "img") for f in room.all("figure")]
    whole = [p.rect for p in pictures]
    room.keys("f")
    room.until(lambda: all(p.rect != w for p, w in zip(pictures, whole, strict=True)))
    # Faces of one size, wherever they lie in the picture; nearer and moved on one, all follow.
    room.until(lambda: len(room.all("figure [data-drawn=true]")) == 4)
    room.keys("+", "+")
    room.until(lambda: "× 1.6" in room.text("body"))
    ActionChains(room.driver).drag_and_drop_by_offset(pictures[0], 60, 30).perform()
    room.until(lambda: len(room.all("figure [data-drawn=true]")) == 4)
    heights = {round(p.size["height"]) for p in pictures[::2]}
    assert len(heights) == 1
    room.keys(Keys.ARROW_RIGHT, "k")
    room.until(lambda: Portrait.objects.get(name="Soprano 2").flag == "keep")
    room.click("Take Late 2 off the table")
    room.until(lambda: len(room.all("figure")) == 3)
    room.driver.refresh()
    room.until(lambda: len(room.all("figure")) == 3)


def test_the_same_light_is_proposed_for_one_sitter_and_laid_first(evening, sitting):
    room = evening
    who.group(sitting)
    room.go(f"/sittings/{sitting.pk}")
    # Drawn over with a frame, those under it are chosen; by keys, all.
    cards = room.until(lambda: len(room.all("[data-portrait]")) == 5 and room.all("[data-portrait]"))
    last = cards[2].find_element("css selector", "[data-done]")
    hand = ActionChains(room.driver).move_to_element(room.one("h1")).click_and_hold()
    hand.move_to_element(cards[1].find_element("css selector", "[data-done]")).move_to_element(last).release().perform()
    room.until(lambda: "2 portraits chosen" in (room.one("[role=group]").get_attribute("aria-label") or ""))
    room.keys("a", hold=Keys.CONTROL)
    room.until(lambda: "5 chosen" in room.text("[role=group]"))
    room.click("Same light…")
    row = room.one("[data-drift='Late 3']")
    assert "EV" in row.text
    ticked = {r.get_attribute("data-drift"): r.find_element("css selector", "input").is_selected()
              for r in room.all("[data-drift]")}  # fmt: skip
    assert ticked == {"Late 1": False, "Late 2": False, "Late 3": True, "Soprano 2": False}
    room.click("Correct 1")
    room.until(lambda: not room.all("[role=dialog]"))
    kinds = [t["kind"] for t in sheets.document_of(Portrait.objects.get(name="Late 3")).json["touches"]]
    assert kinds == ["white-balance", "exposure"]
    room.click("Same light…")
    room.until(lambda: "alike already" in room.text("[data-drift='Late 3']"))


def test_twenty_windows_that_follow_leave_the_database_to_others(house, client, portrait):
    """Each holds a line open, and none a connection: there are only a dozen of those."""
    cookie = {"Cookie": f"{settings.SESSION_COOKIE_NAME}={client.session.session_key}"}

    def ask(path):
        return urlopen(Request(f"{house[1]}/api/portraits/{portrait.pk}{path}", headers=cookie), timeout=20)

    lines = [ask("/following") for _ in range(20)]
    assert all(b"revision" in line.readline() for line in lines)
    for _ in range(15):
        with ask("") as answer:
            assert answer.status == 200
    for line in lines:
        line.close()
    # Lines that were closed are counted no more.
    deadline = time.monotonic() + 60
    while following._windows.total() and time.monotonic() < deadline:
        time.sleep(0.1)
    assert not following._windows.total()
