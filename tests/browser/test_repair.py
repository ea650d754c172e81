"""Repair through the interface: a spot by one click, a clamp cloned away, shading smeared, and all of it kept."""

import json

import cv2
import numpy as np
from selenium.webdriver import Keys

from tests.browser.conftest import PICTURES
from tests.browser.room import STAGE
from tests.browser.test_found import MARGIN, on
from tests.browser.test_isolate import areas_of
from tests.browser.test_light_and_colour import touches_of
from tests.browser.test_skin import roughness

BLEMISH, FOREHEAD, TIP, LEAVES = (0.327, 0.327), (0.39, 0.35), (0.617, 0.712), (0.68, 0.64)


def off(room, place, colour):
    """How far the stage at a place of the picture is from a colour, of 255."""
    return float(np.abs(np.subtract(room.colour(*on(room, *place)), colour)[:3]).max())


def patches_of(name):
    return touches_of(name)[-1]["settings"]["patches"]


def wait_for_patches(room, count):
    room.until(lambda: len(room.all("[data-patch]")) == count, f"{count} patches")
    room.settle()


def test_a_spot_goes_by_one_click_its_source_is_moved_and_another_one_found(choir):
    room = choir("Alto 3", searched=True)
    red = room.colour(*on(room, *BLEMISH))
    room.start_touch("spot", "Take away a spot")
    room.type_into("size", "40")
    room.drag(on(room, *BLEMISH))
    wait_for_patches(room, 1)
    healed = room.colour(*on(room, *BLEMISH))
    # Less red against green than the blemish was.
    assert healed[0] - healed[1] < red[0] - red[1] - 8
    [patch] = patches_of("Alto 3")
    room.keys("t")
    room.until(lambda: patches_of("Alto 3")[0]["source"] != patch["source"], "another source")
    room.settle()
    room.keys("b")
    other = patches_of("Alto 3")[0]["source"]
    room.pull(room.one("[data-end=source]"), 20)
    room.until(lambda: patches_of("Alto 3")[0]["source"][0] > other[0], "the source moved")
    # Next day: the page is opened anew, the patch is there and is switched off.
    room.driver.refresh()
    room.until(room.painted)
    room.settle()
    room.one("button[aria-label^='Touch 1:']").click()
    room.until(lambda: room.all("[data-patch]"))
    room.click("Patch 1 off")
    room.settle()
    assert off(room, BLEMISH, red) < 4
    room.click("Patch 1 on")
    room.settle()
    assert off(room, BLEMISH, red) > 4


def test_the_clamp_is_cloned_away_and_the_patch_deleted(choir):
    room = choir("Alto 3")
    orange = room.colour(*on(room, *TIP))
    assert orange[0] - orange[2] > 100
    room.start_touch("clone", "Clone from elsewhere")
    room.type_into("size", "60")
    # Without a source nothing is laid, and a sentence says what to do.
    room.drag(on(room, *TIP), on(room, TIP[0] + 0.01, TIP[1]))
    wait_for_patches(room, 1)
    assert "has no source yet" in room.one("[data-notice=care]").text
    assert off(room, TIP, orange) < 3
    room.click("Delete patch 1")
    room.settle()
    room.keys("p")
    room.drag(on(room, *LEAVES))
    room.drag(on(room, TIP[0] - 0.01, TIP[1] + 0.012), on(room, *TIP), on(room, TIP[0] + 0.02, TIP[1] - 0.015))
    wait_for_patches(room, 1)
    left = room.colour(*on(room, *TIP))
    assert left[0] - left[2] < 60
    room.keys("b")
    room.keys(Keys.DELETE)
    room.settle()
    assert patches_of("Alto 3") == []
    assert off(room, TIP, orange) < 3


def test_a_shadow_is_smeared_in_the_shading_and_pores_stay(choir):
    room = choir("Tenor 1")
    room.keys("1")
    room.settle()
    at, before = (0.5, 0.5), roughness(room, (0.5, 0.5))
    plain = room.colour(*at)
    room.start_touch("shadow edge", "Soften a shadow's edge")
    room.type_into("size", "120")
    for y in (0.46, 0.5, 0.54):
        room.drag((0.38, y), (0.44, y), (0.5, y), (0.56, y), pen=[0.8] * 4)
    wait_for_patches(room, 3)
    assert np.abs(np.subtract(room.colour(*at), plain)[:3]).max() > 3
    assert 0.85 < roughness(room, at) / before < 1.15
    assert {p["of"] for p in patches_of("Tenor 1")} == {"shading"}


def test_what_is_picked_below_a_lift_is_not_brightened_twice(choir):
    room = choir("Bass 1")
    room.start_touch("brighten", "Brighten")
    room.type_into("exposure", "1")
    room.settle()
    cheek, wall = (0.33, 0.50), (0.1, 0.2)
    lit = room.colour(*on(room, *cheek))
    room.start_touch("clone", "Clone from elsewhere")
    room.click("paint")
    room.click("pick the colour")
    room.drag(on(room, *cheek))
    room.until(lambda: touches_of("Bass 1")[-1]["settings"]["next_colour"] != "#808080", "a colour picked")
    room.type_into("size", "80")
    room.drag(on(room, *wall), on(room, wall[0] + 0.01, wall[1]))
    wait_for_patches(room, 1)
    assert off(room, wall, lit) < 12


def test_a_thing_is_taken_away_whole_and_another_try_made(choir):
    room = choir("Alto 3", searched=True)
    orange = room.colour(*on(room, *TIP))
    room.start_touch("thing", "Take away a thing")
    room.type_into("size", "36")
    room.drag(on(room, 0.63, 0.705), on(room, 0.618, 0.712), on(room, 0.602, 0.722))
    wait_for_patches(room, 1)
    left = room.colour(*on(room, *TIP))
    assert left[0] - left[2] < 60
    assert room.revision() == 2
    first = patches_of("Alto 3")[0]["filling"]
    # Another try, from the backdrop alone.
    room.click("takes from: what is round it")
    room.click("backdrop", within="@role='menu'")
    room.saved()
    room.keys("t")
    room.until(lambda: patches_of("Alto 3")[0]["filling"] != first, "another filling")
    room.settle()
    again = room.colour(*on(room, *TIP))
    assert again[0] - again[2] < 60
    for _ in range(3):
        room.keys("z", hold=Keys.CONTROL)
    room.settle()
    assert off(room, TIP, orange) < 3


TWO = "Mezzo 2 and Bass 3"


def reddened(picture):
    """A picture of two as a flash beside the lens would have lit their pupils, but for the lamp's small lights."""
    with np.load(PICTURES.parent / "labels" / f"{TWO}.npz") as stored:
        pupils = cv2.resize(stored["pupils"], picture.shape[1::-1], interpolation=cv2.INTER_AREA)
    glow = (pupils > 100) & (picture.min(-1) < 120)
    return np.where(glow[..., None], np.uint8([205, 40, 32]), picture)


def pupils_of(room):
    """The pupils of both on the picture of two, in shares of the stage, and how red each is now."""
    people = json.loads((PICTURES.parent / "labels" / f"{TWO}.json").read_text())["people"]
    box = room.one(STAGE).rect
    share = np.array([box["width"] - 2 * MARGIN] * 2) / [box["width"], box["height"]]
    pupils = [(np.subtract(p["landmarks"][f"iris-{side}"], (0.5, 0.4)) * share + 0.5)
              for p in people for side in ("left", "right")]  # fmt: skip

    def redness():
        colours = np.array([room.colour(*p, side=3) for p in pupils])
        return colours[:, 0] - colours[:, 1:3].max(1)

    return pupils, redness


def test_one_red_eye_that_was_not_found_is_cleared_by_clicks(choir):
    room = choir(TWO, searched=True, side=1200, changed=reddened)
    room.click("+ new area")
    # The brush may be any that was used before.
    for name, value in (("size", "24"), ("softness", "50"), ("flow", "100")):
        room.type_into(name, value)
    room.click("more")
    room.type_into("ceiling", "100")
    spare = next(e for e in room.all("label") if "spare the structure" in e.text).find_element("tag name", "input")
    if spare.is_selected():
        spare.click()
    room.click("more")
    room.keys("s")
    room.settle()
    pupils, redness = pupils_of(room)
    before = redness()
    room.drag(tuple(pupils[0]))
    room.saved()
    # It begins on the pupils that were found, and is put where the hand said.
    room.start_touch("red eyes flash", "Take the red out of pupils")
    painted = areas_of(TWO)[0]["name"]
    room.one("button.where").click()
    room.click(painted, within="self::*[@role='menu']")
    room.settle()
    room.until(lambda: redness()[0] < 0.4 * before[0], "the red gone")
    assert (redness()[1:] > 0.9 * before[1:]).all()


def test_the_flashs_red_leaves_the_pupils_of_two_and_a_new_light_is_set_in_each(choir):
    room = choir(TWO, searched=True, side=1200, changed=reddened)
    pupils, redness = pupils_of(room)
    before = redness()
    assert before.min() > 25
    room.start_touch("red eyes flash", "Take the red out of pupils")
    room.keys("s")
    room.settle()
    assert (redness() < 0.4 * before).all()
    dull = np.array([sum(room.colour(*p, side=7)[:3]) for p in pupils])
    room.start_touch("catchlight", "Set a catchlight in the eyes")
    room.settle()
    assert (np.array([sum(room.colour(*p, side=7)[:3]) for p in pupils]) > dull + 3).all()
    # One of them is taken out by a click, and set again.
    for count in (3, 4):
        room.click("point at an eye", tag="button")
        room.drag(tuple(pupils[0]))
        room.until(lambda n=count: len(touches_of(TWO)[-1]["settings"]["eyes"]) == n, "an eye more or less")
        room.settle()


def test_a_thing_is_pointed_at_and_taken_away_and_an_outline_healed(choir):
    room = choir("Alto 3", searched=True)
    orange = room.colour(*on(room, *TIP))
    room.start_touch("thing", "Take away a thing")
    room.click("point at the thing")
    room.drag(on(room, *TIP))
    room.until(lambda: "1 click" in room.driver.page_source, "the thing")
    room.settle()
    room.click("fill all of the thing")
    wait_for_patches(room, 1)
    left = room.colour(*on(room, *TIP))
    assert left[0] - left[2] < 0.5 * (orange[0] - orange[2])
    # The repair is everywhere again: its own edge would leave a rim.
    assert touches_of("Alto 3")[-1]["area"] is None
    red = room.colour(*on(room, *BLEMISH))
    room.click("heal")
    room.keys("b")
    room.click("more")
    room.one("section[aria-label='The hand'] input[type=checkbox]").click()
    room.keys(Keys.ESCAPE)
    room.type_into("size", "4")
    turns = np.linspace(0, 2 * np.pi, 14)
    room.drag(*(on(room, BLEMISH[0] + 0.014 * np.cos(t), BLEMISH[1] + 0.014 * np.sin(t)) for t in turns))
    wait_for_patches(room, 2)
    healed = room.colour(*on(room, *BLEMISH))
    assert healed[0] - healed[1] < red[0] - red[1] - 8
