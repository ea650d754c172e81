"""Areas that the program finds by itself, and things by pointing, through the real interface."""

import json

import numpy as np
import pytest
from selenium.webdriver import ActionChains, Keys

from studio import sheets
from studio.models import Portrait
from tests.browser.room import STAGE
from tests.browser.test_isolate import areas_of, join_with, part
from tests.studio.talk import work

MARGIN = 28
"""Pixels round a picture that fits the stage."""


def on(room, x, y):
    """A place of an upright 4:5 portrait that fits the stage, in long sides, as shares of the stage."""
    box = room.one(STAGE).rect
    long_side = box["height"] - 2 * MARGIN
    return 0.5 + (x - 0.4) * long_side / box["width"], (MARGIN + y * long_side) / box["height"]


def stitched(room, place):
    """How opaque the stitches are at a place of the portrait."""
    return room.stitched(*on(room, *place))


def take(room, name):
    """Click something found."""
    room.until(lambda: room.one(f"[data-found={name}]").click() or True, name)
    room.settle()


def test_found_areas_appear_when_the_search_is_over_and_are_shown_on_the_stage(choir):
    room = choir("Alto 1")
    room.until(lambda: "Looking for faces" in room.text("aside[aria-label=Areas]"))
    work("search")
    room.until(lambda: room.all("[data-found=irises]"))
    assert not room.all("[data-found=teeth]")
    cheek, hair, wall = (0.33, 0.52), (0.17, 0.6), (0.1, 0.08)

    def pointed_at_skin():
        # Skin is there first; what comes after it moves it from under the pointer.
        ActionChains(room.driver).move_to_element(room.one("[data-found=skin]")).perform()
        return stitched(room, cheek) > 20

    room.until(pointed_at_skin)
    assert stitched(room, hair) < 6
    assert stitched(room, wall) == 0
    # Looking alone changed nothing.
    assert areas_of("Alto 1") == []


def test_nobody_found_is_said_calmly_and_all_else_works(room, portrait):
    work("search")
    room.until(lambda: "Nobody found on this picture" in room.text("aside[aria-label=Areas]"))
    room.start_touch("lift", "Brighten")
    assert len(room.touches()) == 1


def test_teeth_are_found_and_a_missed_one_is_added(choir):
    room = choir("Soprano 2", searched=True)
    take(room, "teeth")
    room.start_touch("lift", "Brighten")
    assert room.touches() == ["Brighten the teeth by +0.30 EV"]
    [area] = areas_of("Soprano 2")
    assert area["parts"][0]["source"] == "face-part"
    share = float(room.text("aside[aria-label=Areas] p").split()[0])
    assert 0 < share < 2
    # One is missed: taken away, and then painted in.
    tooth = (0.39, 0.587)
    whole = stitched(room, tooth)
    assert whole > 0
    part(room, "brush")
    join_with(room, 2, "take away")
    room.keys("b")
    room.type_into("size", "40")
    room.type_into("flow", "100")
    room.drag(on(room, tooth[0] - 0.005, tooth[1]), on(room, tooth[0] + 0.005, tooth[1]))
    room.settle()
    assert stitched(room, tooth) < 0.4 * whole
    join_with(room, 2, "add")
    room.settle()
    assert stitched(room, tooth) > 0.8 * whole


def test_the_person_and_the_missed_sleeve_in_one_area_used_by_two_touches(choir):
    room = choir("Alto 1", searched=True)
    take(room, "person")
    room.start_touch("lift", "Brighten")
    beside, face = (0.08, 0.7), (0.4, 0.5)
    assert stitched(room, face) > 20
    assert stitched(room, beside) == 0
    part(room, "brush")
    room.keys("b")
    room.type_into("flow", "100")
    room.drag(on(room, 0.04, 0.7), on(room, 0.12, 0.7))
    room.settle()
    assert stitched(room, beside) > 20
    room.keys("b")
    room.start_touch("saturation", "Less colour")
    [area] = areas_of("Alto 1")
    touches = sheets.document_of(Portrait.objects.get(name="Alto 1")).json["touches"]
    assert [t["area"] for t in touches] == [area["id"], area["id"]]
    assert "used by touches 1 and 2" in room.text("aside[aria-label=Areas]")
    # Changed once, both work elsewhere.
    before_wall, before_face = room.colour(*on(room, 0.1, 0.1)), room.colour(*on(room, *face))
    room.keys("i")
    room.settle()
    assert room.colour(*on(room, 0.1, 0.1)) != before_wall
    assert room.colour(*on(room, *face)) != before_face


def test_a_box_round_a_thing_and_a_region_clicked_out_of_it(choir):
    room = choir("Alto 1", searched=True)
    room.click("+ new area")
    room.settle()
    part(room, "thing")
    blouse, face, wall = (0.2, 0.93), (0.4, 0.5), (0.1, 0.3)
    room.drag(on(room, 0.005, 0.745), on(room, 0.795, 0.995))
    room.settle()
    assert stitched(room, blouse) > 20
    assert stitched(room, face) == 0
    assert stitched(room, wall) == 0
    thing = areas_of("Alto 1")[0]["parts"][1]
    assert thing["box"] == pytest.approx([0.005, 0.745, 0.795, 0.995], abs=0.01)
    # Whole things at first; the blouse is clicked out again and the face in.
    room.rest_at(*on(room, *face))
    room.drag(on(room, *face))
    room.settle()
    assert stitched(room, face) > 20
    room.rest_at(*on(room, *blouse))
    room.drag(on(room, *blouse), hold=Keys.ALT)
    room.settle()
    clicks = areas_of("Alto 1")[0]["parts"][1]["clicks"]
    assert [(c["level"], c["take"]) for c in clicks] == [("whole", False), ("whole", True)]
    assert stitched(room, blouse) < 6
    assert stitched(room, face) > 20


def test_people_are_told_apart_by_their_faces_and_can_be_named(choir):
    name = "Mezzo 2 and Bass 3"
    room = choir(name, searched=True)
    room.until(lambda: len(room.all("[aria-label=Whose] button")) == 3)
    room.one("[aria-label=Whose] button[aria-label='face 2']").click()
    field = room.one("input[placeholder=name]")
    field.send_keys("Bass 3", Keys.ENTER)
    room.until(lambda: room.all("[aria-label=Whose] button[aria-label='Bass 3']"))
    take(room, "skin")
    room.start_touch("lift", "Brighten")
    assert room.touches() == ["Brighten the skin of Bass 3 by +0.30 EV"]
    document = sheets.document_of(Portrait.objects.get(name=name)).json
    assert document["people"] == ["", "Bass 3"]
    assert document["areas"][0]["parts"][0]["of"] == 2


def zoom(room):
    """How large the picture is shown, in CSS pixels for each of its own; 0 if it fits the stage."""
    views = json.loads(room.driver.execute_script("return localStorage.getItem('needlepoint-views')"))
    return views.get(room.driver.current_url.rsplit("/", 1)[1], {"zoom": 0})["zoom"]


def test_one_comes_closer_to_what_is_small_and_goes_back(choir):
    room = choir("Alto 2", searched=True)
    room.click("irises")
    room.until(lambda: "Shift+F closer" in room.text("[data-stage] [role=status]"))
    room.keys("F")
    room.settle()
    room.until(lambda: "closer" not in room.text("[data-stage] [role=status]"))
    # Both eyes fill the stage's width: at fit it is under 1.
    assert 2 < zoom(room) < 8
    room.keys("F")
    room.settle()
    room.until(lambda: "Shift+F closer" in room.text("[data-stage] [role=status]"))
    assert zoom(room) == 0
    # So does a silhouette that is clicked twice, though the column turns into the area's parts at the first click.
    room.click("all areas ›")
    ActionChains(room.driver).double_click(room.one("[data-found=lips]")).perform()
    room.until(lambda: zoom(room) > 2)
    room.settle()
    assert [area["name"] for area in areas_of("Alto 2")] == ["the irises", "the lips"]


def test_an_empty_sheet_offers_first_steps_and_forces_none(choir):
    room = choir("Alto 2", searched=True)
    assert "Nothing is done yet" in room.text("[aria-label='The sheet']")
    dark = room.colour(0.5, 0.95)
    room.click("what the shadows hold")
    room.settle()
    assert np.mean(room.colour(0.5, 0.95)) > np.mean(dark) + 10
    room.click("what the shadows hold")
    room.click("isolate somebody")
    room.until(lambda: sheets.document_of(Portrait.objects.get()).sheet.areas[0].name == "the person")
    room.settle()
    room.keys(Keys.ESCAPE)
    # With an area there is still no touch: what may be begun with stays.
    room.click("balance the whole")
    room.one("[data-open=true]")
    assert len(room.touches()) == 1
    assert not room.all("[data-first-steps]")


def test_three_wishes_in_a_row_land_where_they_were_said_and_an_unknown_one_makes_nothing(choir):
    room = choir("Soprano 2", searched=True)

    def say(words):
        field = room.one("[data-start]")
        field.click()
        field.send_keys(Keys.CONTROL, "a", Keys.NULL, words)
        room.one("[data-wishes=read]")
        room.keys(Keys.ENTER)
        room.settle()

    wanted = ["whiten the teeth", "soften the skin", "remove the mole"]
    for count, words in enumerate(wanted, 1):
        say(words)
        room.until(lambda n=count: len(room.touches()) == n)
    of = {t["kind"]: t["area"] for t in sheets.document_of(Portrait.objects.get()).json["touches"]}
    names = {a["id"]: a["name"] for a in areas_of("Soprano 2")}
    assert [names.get(area) for area in of.values()] == ["the teeth", "the skin", None]
    for words in ("vignette", "isolate the person"):
        say(words)
        assert "Not understood" in room.text(".choices [role=status]")
        room.keys(Keys.ESCAPE)
    assert len(room.touches()) == 3
