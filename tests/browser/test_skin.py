"""Skin and detail through the interface: one sentence with its place, light painted by pen, sharp where meant."""

import re

import numpy as np
import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from studio import viewing
from studio.models import Portrait
from tests.browser.test_found import on
from tests.browser.test_isolate import areas_of, where
from tests.browser.test_light_and_colour import touches_of

CHEEK, FOREHEAD, WALL, HAIR = (0.45, 0.52), (0.5, 0.36), (0.25, 0.12), (0.42, 0.75)


def roughness(room, place):
    """How much neighbouring pixels of the stage differ round a place."""
    pixels = room.driver.execute_script(
        """
        const c = document.querySelector('[data-picture]'), n = 41;
        const d = c.getContext('2d').getImageData(
          arguments[0] * c.width - n / 2, arguments[1] * c.height - n / 2, n, n).data;
        return Array.from({length: n * n}, (_, i) => d[4 * i] + d[4 * i + 1] + d[4 * i + 2]);
        """,
        *place,
    )
    grid = np.array(pixels, float).reshape(41, 41)
    return float(np.abs(np.diff(grid, axis=0)).mean() + np.abs(np.diff(grid, axis=1)).mean())


def test_skin_is_softened_by_one_sentence_with_its_place(choir):
    room = choir("Alto 1", searched=True)
    room.keys("1")
    room.settle()
    before = roughness(room, (0.5, 0.5)), room.colour(*WALL)
    room.start_touch("soften", "Soften the skin")
    room.settle()
    assert room.touches()[0].startswith("Detail of the skin")
    [touch] = touches_of("Alto 1")
    # Its sizes are those of this face, and one edit made touch and area.
    assert touch["settings"]["medium_size"] != 0.005
    assert room.revision() == 1
    room.keys("s")
    room.settle()
    soft = roughness(room, (0.5, 0.5))
    assert soft < before[0]
    assert room.colour(*WALL) == before[1]
    room.type_into("strength", "30")
    room.settle()
    assert soft < roughness(room, (0.5, 0.5)) < before[0]
    room.keys("z", hold=Keys.CONTROL)
    room.keys("z", hold=Keys.CONTROL)
    room.settle()
    assert room.touches() == []
    assert room.all("[data-area]") == [] or "the skin" not in [e.text for e in room.all("[data-area]")]


def test_a_cheek_at_full_size_before_and_after_by_one_key_and_back(choir):
    room = choir("Alto 1", searched=True)
    room.keys("z")
    room.settle()
    assert room.named("pair", tag="button").get_attribute("aria-pressed") == "true"
    room.keys("z")
    room.settle()
    assert room.named("pair", tag="button").get_attribute("aria-pressed") == "false"


def test_a_blotch_is_evened_and_unevenness_falls(choir):
    room = choir("Alto 1", searched=True)
    room.keys("b")
    room.type_into("flow", "100")
    room.type_into("size", "90")
    room.drag((0.43, 0.48), (0.46, 0.52), (0.44, 0.56))
    room.settle()
    room.start_touch("even", "Even the skin")
    assert touches_of("Alto 1")[0]["area"] is not None
    room.type_into("light", "100")
    room.type_into("larger than", "5")
    room.type_into("smaller than", "90")
    room.type_into("keep forms", "0")
    room.click("checks")
    room.until(lambda: room.driver.find_element("xpath", "//label[contains(., 'natural measures')]").click() or True)
    room.keys(Keys.ESCAPE)
    room.settle()

    def unevenness():
        figures = re.findall(r"\d+\.\d+", room.text("[data-open=true] [data-gauge=unevenness]"))
        return [float(v) for v in figures[:2]]

    room.until(lambda: unevenness()[1] < 0.9 * unevenness()[0], "less unevenness")


def test_light_is_painted_by_pen_under_the_helper_view_and_a_pass_is_undone(choir):
    room = choir("Alto 1", searched=True)
    room.start_touch("light strokes", "Dodge and burn with light strokes")
    assert room.named("lighter", tag="button").get_attribute("aria-pressed") == "true"
    room.settle()
    # Nothing is stitched over light that is judged.
    assert room.stitched(*CHEEK) == 0
    room.type_into("a pass", "20")
    plain = room.colour(*CHEEK)
    room.keys("n")
    room.settle()
    red, green, blue, _ = room.colour(*CHEEK)
    assert max(red, green, blue) - min(red, green, blue) < 6
    grey = red
    room.drag((0.42, 0.5), (0.45, 0.52), (0.48, 0.54), pen=[1.0, 1.0, 1.0])
    room.settle()
    assert room.colour(*CHEEK)[0] > grey + 2
    room.keys("t")
    room.drag((0.42, 0.5), (0.45, 0.52), (0.48, 0.54), pen=[1.0, 1.0, 1.0])
    room.settle()
    assert abs(room.colour(*CHEEK)[0] - grey) < 1.5
    strokes = touches_of("Alto 1")[0]["settings"]["strokes"]
    assert [s["darker"] for s in strokes] == [False, True]
    room.keys("z", hold=Keys.CONTROL)
    room.settle()
    room.rest_at(*CHEEK)
    room.until(lambda: "+0.2" in room.text("[data-ev]"), "how much stands under the pointer")
    # The brush put down, the helper steps aside; no helper is in the sheet.
    room.keys("b")
    room.settle()
    lit = room.colour(*CHEEK)
    assert sum(lit[:3]) > sum(plain[:3]) + 5
    assert lit[0] > lit[2] + 15
    room.type_into("of 120 px" if room.all("[aria-label='of 120 px, number']") else "of 30 px", "0")
    room.settle()
    assert np.abs(np.subtract(room.colour(*CHEEK), plain)).max() < 1.5


def test_a_softened_backdrop_takes_nothing_from_the_sitter(choir):
    room = choir("Alto 3", searched=True)
    room.keys("s")
    leaves, cheek = (0.3, 0.2), room.colour(*CHEEK)
    rough = roughness(room, leaves)
    room.start_touch("blur backdrop", "Soften the backdrop")
    room.type_into("radius", "60")
    room.settle()
    assert roughness(room, leaves) < 0.7 * rough
    assert room.colour(*CHEEK) == cheek
    assert "the backdrop" in room.touches()[0]


def test_all_is_sharpened_for_a_use_and_the_skin_taken_out(choir):
    room = choir("Alto 1", searched=True)
    room.keys("s", "1")
    room.settle()
    plain = roughness(room, (0.5, 0.5))
    room.start_touch("sharpen web", "Sharpen the whole for its use")
    room.type_into("radius", "1.5")
    room.type_into("amount", "300")
    room.type_into("grain spared", "0")
    room.settle()
    assert roughness(room, (0.5, 0.5)) > 1.3 * plain
    room.click("Sharpen for a use")
    room.click("take radius and amount")
    room.settle()
    assert touches_of("Alto 1")[0]["settings"]["amount"] == 0.5
    room.start_touch("sharpen", "Sharpen all but the skin")
    assert "all but the skin" in room.touches()[1]


@pytest.mark.parametrize(
    ("name", "hot", "cloth_at"),
    [("Bass 2", (0.487, 0.365), (0.4, 0.92)), ("Mezzo 2 and Bass 3", (0.640, 0.475), (0.75, 0.9))],
    ids=["tan", "dark"],
)
def test_shine_is_calmed_on_skin(choir, name, hot, cloth_at):
    room = choir(name, searched=True)
    room.keys("s")
    before, cloth = room.colour(*hot), room.colour(*cloth_at)
    room.start_touch("shiny", "Calm the shine")
    room.settle()
    after = room.colour(*hot)
    assert sum(after[:3]) < sum(before[:3]) - 30
    # Skin, not grey.
    assert after[0] - after[2] > before[0] - before[2]
    assert room.colour(*cloth_at) == cloth


def test_skin_is_taken_out_of_sharpening_by_a_stroke_that_spares_structure(choir):
    room = choir("Alto 1", searched=True)
    [face] = viewing.found(str(Portrait.objects.get(name="Alto 1").pk)).faces
    x, y, w, h = face.eyes()[0]
    eye, cheek = (x + w / 2, y + h / 2), (x + w / 2, y + 2.6 * h)
    room.keys("s")
    room.settle()

    def seen():
        return np.array([roughness(room, on(room, *place)) for place in (eye, cheek)])

    plain = seen()
    room.start_touch("sharpen web", "Sharpen the whole for its use")
    for label, value in (("radius", "2"), ("amount", "300"), ("grain spared", "0")):
        room.type_into(label, value)
    room.settle()
    sharp = seen()
    where(room, "Everything, then paint away")
    room.click("more", tag="button", within="@aria-label='The hand'")
    boxes = "//label[contains(., 'spare the structure')]"
    room.until(lambda: room.driver.find_element(By.XPATH, boxes).click() or True, "spare the structure")
    room.keys(Keys.ESCAPE)
    room.type_into("size", "300")
    room.type_into("flow", "100")
    room.drag(*(on(room, *place) for place in (eye, cheek, (cheek[0] + 0.01, cheek[1]))))
    room.keys("b")
    room.settle()
    [stroke] = areas_of("Alto 1")[0]["parts"][1]["strokes"]
    assert stroke["spare_structure"], stroke
    kept = (seen() - plain) / (sharp - plain)
    # Under the same stroke: what is sharp about an eye is its structure, round which there is skin.
    assert kept[1] < 0.3, kept
    assert kept[0] > 0.5, kept
